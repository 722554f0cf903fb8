"""The steady state of a circuit of one's own, and why it may not be trusted."""

from __future__ import annotations

from jump_lane.circuit.file import CircuitFile
from jump_lane.switching.balance import balance, jumps, open_balances
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import Regulation, SteadyState, steady_state


def steady(loaded: CircuitFile) -> tuple[SteadyState, Recording, tuple[str, ...]]:
    """Return steady state and recording of a circuit file, what it holds held, and the doubts about it.

    Raises
    ------
    NoResultError
        If there is no steady state.
    """
    held = None
    if loaded.hold is not None:
        held = Regulation(loaded.hold.branch, loaded.hold.average, loaded.hold.voltage)
    state = steady_state(loaded.circuit, held)
    recording = record(state)
    return state, recording, (*jumps(recording), *open_balances(recording, balance(recording)))
