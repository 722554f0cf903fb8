"""One operating point of a design, simulated: with the output held, or at a fixed duty ratio."""

from __future__ import annotations

from dataclasses import replace

from jump_lane.switching import balance
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import Regulation, SteadyState, steady_state
from jump_lane.topologies.design import Design


def solve(
    design: Design, i: int = 0, j: int = 0, control: float | None = None
) -> tuple[SteadyState, Recording]:
    """Return steady state and recording of a corner.

    Parameters
    ----------
    i, j
        Input and load corner.
    control
        Value of the control variable to run at; None lets it hold the average output.

    Raises
    ------
    NoResultError
        If there is no such state, or its balances do not close.
    """
    point = design.point(i, j)
    circuit = design.circuit(i, j)
    guess = {element: point[symbol] for element, symbol in design.page.start.items()}
    if control is None:
        state = steady_state(circuit, Regulation("load", point["V_o"]), guess)
    else:
        state = steady_state(replace(circuit, control=control), None, guess)
    recording = record(state)
    balance.require(recording)
    return state, recording
