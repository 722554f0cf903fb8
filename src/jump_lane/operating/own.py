"""The steady state of a circuit of one's own, and why it may not be trusted."""

from __future__ import annotations

from jump_lane.circuit.file import CircuitFile
from jump_lane.errors import ConvergenceError
from jump_lane.switching.balance import balance, jumps, open_balances
from jump_lane.switching.record import Recording, record
from jump_lane.switching.regulation import Regulation
from jump_lane.switching.steady import SteadyState, steady_state


def steady(loaded: CircuitFile) -> tuple[SteadyState, Recording, tuple[str, ...]]:
    """Return steady state and recording of a circuit file, what it holds held, and the doubts about it.

    Raises
    ------
    NoResultError
        If there is no steady state.
    """
    held = None
    if loaded.hold is not None:
        held = Regulation(
            loaded.hold.branch,
            loaded.hold.average,
            loaded.hold.voltage,
            loaded.control.lowest,
            loaded.control.highest,
        )
    state = steady_state(loaded.circuit, held, _nearby(loaded))
    recording = record(state)
    return state, recording, (*jumps(recording), *open_balances(recording, balance(recording)))


def _nearby(loaded: CircuitFile) -> dict[str, float] | None:
    """Return the states at the file's own frequency, where that is to hold an average: there may be two that do."""
    if loaded.hold is None or loaded.control.symbol != "frequency":
        return None
    try:
        return steady_state(loaded.circuit).states
    except ConvergenceError:
        return None
