"""What a network around an amplifier has to say, and what every amplifier does to its states.

A page holds its lines, by which its values follow from gain and boost at the crossover, and the states and rates that these
values make.  The states of a network: ``v_1`` at C_1, ``v_2`` at C_2 and ``v_3`` at C_3 (`Law` has the form of rates and rows).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.law import ONE, Row
from jump_lane.equations.sheet import Line

REFERENCE = "V_ref"
"""The reference, a value that the law holds."""

K_FACTOR = "Venable 1983: k factor"
NODES = "node equations of the network"


@dataclass(frozen=True)
class Dynamics:
    """States of a network: rates, the row of the voltage that it puts out, and where the states rest.

    ``rest`` gives them for an output of the amplifier [V] and the average of what is held [V].
    """

    rates: Mapping[str, Row]
    command: Row
    rest: Callable[[float, float], Mapping[str, float]]


@dataclass(frozen=True)
class Network:
    """A page about a network.

    Attributes
    ----------
    name, title
        What it is called in a file, and in words.
    lines
        How its values follow from ``f_c``, ``G_c`` (gain that it has to have there), ``b_c`` (boost there [°]) and ``R_1``.
    values
        Its components, by symbol; capacitors begin with a C.
    boost
        Range of the boost that it can give [°].
    dynamics
        The states that values make; `sensed` is the signal that is held.
    """

    name: str
    title: str
    lines: tuple[Line, ...]
    values: tuple[str, ...]
    boost: tuple[float, float]
    dynamics: Callable[[Mapping[str, float], str], Dynamics]
    needs: tuple[str, ...] = field(default=())
    """Further symbols of the amplifier that its lines use."""
    divided: bool = True
    """Whether a divider from the output goes into it."""


def add(*rows: Row) -> dict[str, float]:
    """Return the sum of rows."""
    out: dict[str, float] = {}
    for row in rows:
        for name, factor in row.items():
            out[name] = out.get(name, 0.0) + factor
    return out


def times(row: Row, factor: float) -> dict[str, float]:
    """Return a row times a factor."""
    return {name: factor * value for name, value in row.items()}


def in_place(row: Row, rows: Mapping[str, Row]) -> dict[str, float]:
    """Return a row with others in place of what they are named by."""
    return add(*(times(rows.get(name, {name: 1.0}), factor) for name, factor in row.items()))


def response(dynamics: Dynamics, sensed: str, frequencies: NDArray[np.float64]) -> NDArray[np.complex128]:
    """Return what a network puts out for a small signal that it senses, from its rates, (f,)."""
    states = tuple(dynamics.rates)
    rate = np.array([[dynamics.rates[k].get(n, 0.0) for n in states] for k in states])
    into = np.array([[dynamics.rates[k].get(sensed, 0.0)] for k in states])
    out = np.array([dynamics.command.get(n, 0.0) for n in states])
    turning = 2j * math.pi * frequencies[:, None, None] * np.eye(len(states)) - rate
    inside = np.linalg.solve(turning, np.broadcast_to(into, (len(frequencies), *into.shape)))
    return np.asarray(out @ inside[..., 0].T + dynamics.command.get(sensed, 0.0))


def operational(v: Mapping[str, float], sensed: str) -> Dynamics:
    """Return the states of an operational amplifier: R_1 and (R_3, C_3 in series) into its inverting input, R_b from there to
    ground, (R_2, C_1 in series) beside C_2 back from its output; what is missing of these is left out.

    Values: components [Ω, F], ``A_0`` open-loop gain [1] and ``f_u`` gain-bandwidth product [Hz], infinite if so.
    """
    gain, unity = v["A_0"], 2.0 * math.pi * v["f_u"]
    finite = math.isfinite(unity)
    out: Row = {"v_a": 1.0}
    if not finite:
        part = 1.0 if math.isinf(gain) else gain / (1.0 + gain)
        out = {REFERENCE: part, "v_2": -part}
    inverting = add(out, {"v_2": 1.0})
    over = add({sensed: 1.0}, times(inverting, -1.0))
    fed = add(times(over, 1.0 / v["R_1"]), times(inverting, -1.0 / v["R_b"]))
    rates: dict[str, Row] = {}
    if "R_3" in v:
        branch = times(add(over, {"v_3": -1.0}), 1.0 / v["R_3"])
        fed = add(fed, branch)
        rates["v_3"] = times(branch, 1.0 / v["C_3"])
    if "R_2" in v:
        beside = times({"v_2": 1.0, "v_1": -1.0}, 1.0 / v["R_2"])
        rates["v_1"] = times(beside, 1.0 / v["C_1"])
        rates["v_2"] = times(add(fed, times(beside, -1.0)), 1.0 / v["C_2"])
    else:
        rates["v_2"] = times(fed, 1.0 / v["C_1"])
    if finite:
        lag = {"v_a": -unity / gain} if math.isfinite(gain) else {}
        rates["v_a"] = add(times({REFERENCE: 1.0}, unity), times(inverting, -unity), lag)

    def rest(command: float, held: float) -> Mapping[str, float]:
        inverted = v["V_ref"] - (command / gain if math.isfinite(gain) else 0.0)
        across = inverted - command
        return {"v_1": across, "v_2": across, "v_3": held - inverted, "v_a": command}

    return Dynamics(rates, out, rest)


def transconductance(v: Mapping[str, float], sensed: str) -> Dynamics:
    """Return the states of a transconductance amplifier behind a divider, R_2 and C_1 in series beside C_2 at its output."""
    share = v["R_b"] / (v["R_1"] + v["R_b"])
    driven: Row = {REFERENCE: v["g_m"], sensed: -v["g_m"] * share}
    leak = {"v_2": -v["g_m"] / v["A_0"]} if math.isfinite(v["A_0"]) else {}
    if "R_2" not in v:
        rates: dict[str, Row] = {"v_2": times(add(driven, leak), 1.0 / v["C_1"])}
    else:
        beside = times({"v_2": 1.0, "v_1": -1.0}, 1.0 / v["R_2"])
        rates = {
            "v_1": times(beside, 1.0 / v["C_1"]),
            "v_2": times(add(driven, leak, times(beside, -1.0)), 1.0 / v["C_2"]),
        }
    return Dynamics(rates, {"v_2": 1.0}, lambda command, _: {"v_1": command, "v_2": command})


def optocoupler(v: Mapping[str, float], sensed: str) -> Dynamics:
    """Return the states of a shunt reference with C_1 from its cathode, which drives the diode of an optocoupler through R_d
    from the output; its transistor pulls R_p down, beside which C_2 lies.
    """
    current = times({sensed: 1.0, ONE: -v["V_F"], REFERENCE: -1.0, "v_1": 1.0}, 1.0 / v["R_d"])
    pulled = add({ONE: v["V_cc"]}, times(current, -v["R_p"] * v["r_t"]), {"v_2": -1.0})
    lag = v["R_p"] * v["C_2"] + 1.0 / (2.0 * math.pi * v["f_o"])
    rates: dict[str, Row] = {
        "v_1": times({sensed: 1.0 / v["R_1"], REFERENCE: -1.0 / v["R_1"] - 1.0 / v["R_b"]}, 1.0 / v["C_1"]),
        "v_2": times(pulled, 1.0 / lag),
    }

    def rest(command: float, held: float) -> Mapping[str, float]:
        taken = (v["V_cc"] - command) / (v["R_p"] * v["r_t"])
        return {"v_1": v["R_d"] * taken - held + v["V_F"] + v["V_ref"], "v_2": command}

    return Dynamics(rates, {"v_2": 1.0}, rest)
