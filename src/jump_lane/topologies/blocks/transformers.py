"""Transformers: turns ratio, leakage, and what a winding carries."""

from __future__ import annotations

from collections.abc import Mapping

from jump_lane.circuit.elements import Element, IdealTransformer, Inductor, Resistor, Winding
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.spec import Spec
from jump_lane.topologies.blocks.sources import DEFINITION, KIRCHHOFF, RMS_VALUES, VOLT_SECONDS
from jump_lane.topologies.page import Cases
from jump_lane.topologies.point import Point

TURNS = (("N_p : N_s", "n"),)
"""How the ratio of one primary to one secondary winding is written."""

LOOSER = {"L_kT": 0.03}
"""With leakage, currents bend where the formulas take straight lines."""


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


SEEN = {"V_o": "V_op", "I_o": "I_or", "I_max": "I_mr", "R_o": "R_or", "V_FD1": "V_Fr", "R_D1": "R_Dr", "R_Co": "R_Cr", "V_BD1": "V_Br"}
"""Symbols of output and rectifier, as the primary sees them."""


def seen_from_primary() -> tuple[Line, ...]:
    """Return output and rectifier as the primary sees them."""
    seen = "as the primary sees it"
    return (
        Line("V_op", "n*V_o", "V", f"output voltage {seen}", KIRCHHOFF),
        Line("I_or", "I_o/n", "A", f"load current {seen}", KIRCHHOFF),
        Line("I_mr", "I_max/n", "A", f"load current at full load {seen}", KIRCHHOFF),
        Line("R_or", "n**2*R_o", "Ω", f"load resistance {seen}", KIRCHHOFF, "min"),
        Line("V_Fr", "n*V_FD1", "V", f"forward voltage of D1 {seen}", KIRCHHOFF),
        Line("R_Dr", "n**2*(R_D1 + R_sT)", "Ω", f"resistance of D1 and secondary {seen}", KIRCHHOFF),
        Line("R_Cr", "n**2*R_Co", "Ω", f"equivalent series resistance of C_o {seen}", KIRCHHOFF),
        Line("V_Br", "n*V_BD1", "V", f"forward voltage of the body diode of D1 {seen}", KIRCHHOFF),
    )


def winding(name: str, average: str, rms: str | Mapping[str, str]) -> tuple[Line, ...]:
    """Return average and rms current of a winding, from formulas."""
    return (
        Line(f"I_{name}", average, "A", f"average current of winding {name}", KIRCHHOFF),
        Line(f"I_{name}rms", rms, "A", f"rms current of winding {name}", RMS_VALUES),
    )


def secondary(spec: Spec, sheet: Sheet) -> str:
    """Return what rectifies."""
    return spec.transformer.secondary or ""


def behind(symbol: str, texts: Mapping[str, str | Mapping[str, str]], unit: str, meaning: str, source: str, worst: str = "max") -> Cases:
    """Return a line whose formula depends on what rectifies: kind of secondary side to formula."""
    return Cases(secondary, {k: (Line(symbol, text, unit, meaning, source, worst),) for k, text in texts.items()})


def leaking(spec: Spec, sheet: Sheet) -> str:
    """Return whether the transformer has leakage inductance: "leaking" or "tight"."""
    return "leaking" if sheet["L_kT"].worst > 0.0 else "tight"


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
