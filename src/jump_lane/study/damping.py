"""A ringing device simulated without and with its damping."""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.design.derive import Design
from jump_lane.dissipation.damping import Damped, derive_damping, with_ringing
from jump_lane.errors import NoResultError
from jump_lane.operating.point import held
from jump_lane.switching import balance
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import steady_state


@dataclass(frozen=True)
class Comparison:
    """Derived damping and both simulations at one operating point; ``free`` is None where it has no result."""

    design: Design
    damped: Damped
    free: Recording | None
    quiet: Recording
    reason: str = ""

    def peak(self, recording: Recording) -> float:
        """Return the largest voltage across the device [V]."""
        return recording.measures("C_p.v").peak


def compare_damping(design: Design, device: str) -> Comparison:
    """Simulate one operating point without and with damping.

    Raises
    ------
    NoResultError
        If the damped circuit has no steady state.
    """
    damped = derive_damping(design, device)
    reason, free = "", None
    try:
        free = _run(design, damped, False)
    except NoResultError as error:
        reason = str(error)
    return Comparison(design, damped, free, _run(design, damped, True), reason)


def _run(design: Design, damped: Damped, damping: bool) -> Recording:
    point = design.point(0, 0)
    circuit = with_ringing(design.page.at(point), damped, damping)
    guess = {e: point[s] for e, s in design.page.starts.items() if s in point.values}
    if damped.data.clamp is not None:
        guess["C_d"] = damped["V_k"]
    recording = record(steady_state(circuit, held(design.page, point), guess))
    balance.require(recording)
    return recording
