"""Transformers: turns ratio, what the primary sees, and their circuit with leakage and resistances."""

from __future__ import annotations

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Resistor, Winding
from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.sources import DEFINITION, KIRCHHOFF, VOLT_SECONDS
from jump_lane.topologies.point import Point

TURNS = (("N_p : N_s", "n"),)
"""How the ratio of one primary to one secondary winding is written."""


def turns_ratio(at_limit: str) -> tuple[Line, ...]:
    """Return the turns ratio N_p/N_s, with whole numbers of turns where a primary number is given.

    The secondary number is rounded up, so that the duty ratio stays below its limit.

    Parameters
    ----------
    at_limit
        Formula of the ratio at which the duty ratio reaches its limit.
    """
    return (
        Line("n_d", f"k_n*({at_limit})", "", "turns ratio that brings the duty ratio to its limit", VOLT_SECONDS, "min"),
        whole_turns(0.999999),
    )


def whole_turns(rounding: float = 0.5) -> Line:
    """Return the turns ratio from the one wanted, n_d, with whole numbers of turns where a primary number is given.

    ``rounding`` is added before the secondary number is cut: a half takes the nearest one, nearly 1 rounds up.
    """
    return Line(
        "n",
        f"n_d*(1 - min(1, N_p)) + min(1, N_p)*N_p/max(1, floor(N_p/n_d + {rounding}))",
        "",
        "turns ratio N_p : N_s, to 1; whole turns where N_p is given",
        DEFINITION,
        "min",
        component=True,
    )


def reflected(drop: str = "V_FD1") -> tuple[Line, ...]:
    """Return load current and output voltage as the primary sees them."""
    return (
        Line("I_or", "I_o/n", "A", "load current as the primary sees it", KIRCHHOFF),
        Line("V_or", f"n*(V_o + {drop})", "V", "output voltage as the primary sees it", KIRCHHOFF),
    )


def path(name: str, a: str, b: str, inductance: float, resistance: float) -> tuple[Element, ...]:
    """Return leakage inductance and resistance in series from a to b; nothing takes a resistor's place."""
    if inductance > 0.0:
        return (Inductor(f"L_{name}", a, b, inductance, resistance),)
    return (Resistor(f"R_{name}", a, b, resistance),) if resistance > 0.0 else ()


def two_windings(p: Point, primary: tuple[str, str], secondary: tuple[str, str], magnetising: str = "L_m") -> tuple[Element, ...]:
    """Return a transformer with leakage and resistances; the first node of each pair is the dotted end."""
    leak, r_p, r_s = p["L_kT"], p["R_pT"], p["R_sT"]
    inner_p = "T.p" if leak > 0.0 or r_p > 0.0 else primary[0]
    inner_s = "T.s" if r_s > 0.0 else secondary[0]
    return (
        *path("k", primary[0], "T.p", leak, r_p),
        *path("s", secondary[0], "T.s", 0.0, r_s),
        IdealTransformer("T", (Winding("Np", inner_p, primary[1], p["n"]), Winding("Ns", inner_s, secondary[1], 1.0))),
        Inductor(magnetising, inner_p, primary[1], p[magnetising]),
    )
