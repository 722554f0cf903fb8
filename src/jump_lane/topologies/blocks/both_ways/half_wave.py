"""Half-wave rectification behind a transformer that is driven both ways: only every other pulse is passed on.

The primary carries no average current (or none that resistance would not bring down), so that the magnetising current
takes what the secondary asks for.  Between the pulses it flows through D1, beside D2, which carries the rest of the
inductor current.
"""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.both_ways.drive import Drive
from jump_lane.topologies.blocks.capacitors import chopped_input, smoothing
from jump_lane.topologies.blocks.devices import stresses, with_spike
from jump_lane.topologies.blocks.ramps import mean_square
from jump_lane.topologies.blocks.shape import triangle
from jump_lane.topologies.blocks.sources import KIRCHHOFF, LEAKAGE_FORWARD, ONE_SIDED
from jump_lane.topologies.blocks.transformers import winding

PULSE = mean_square(("D_p", "I_p1", "I_p2"), ("D_q", "0", "I_p1"), ("D_r", "I_p2", "0"))
"""Mean square of the primary current in a pulse that is passed on."""

OTHER = "((D - D_b/3)*I_M0**2 + D*dI_Lm**2/12)"
"""Mean square of the primary current in the pulse that half-wave rectification does not pass on."""


def biased(text: str) -> tuple[Line, ...]:
    """Return the average magnetising current, from its formula."""
    return (Line("I_M0", text, "A", "average magnetising current", ONE_SIDED, "min"),)


def magnetised(drive: Drive) -> tuple[Line, ...]:
    """Return the magnetising current of a core that is loaded in one direction only."""
    passed = "D_p*I_m + D_q*(I_v + I_u)/2 + (0.5 - D)*(I_pk + I_d + I_u)/2 + D_b*I_d/2"
    return (
        Line("s_L", "dI_L/(1 - D_1)", "A", "fall of the inductor current, per period", KIRCHHOFF),
        *(_carried_on(drive) if drive.lost else ()),
        Line(
            "I_sM",
            passed if drive.lost else drive.returned("I_pk", "D"),
            "A",
            "secondary current in place of the magnetising current",
            ONE_SIDED,
        ),
        *biased("-I_sM/n"),
        *(() if drive.lost else (_handed_back(drive, "I_sM"),)),
    )


def _carried_on(drive: Drive) -> tuple[Line, ...]:
    """Return what D1 carries between the pulses where an inductance in series with the primary carries on."""
    return (
        Line(
            "k_e",
            f"exp(-max({drive.resistance} - 2*n**2*V_BD1/I_pk, 0)*(0.5 - D)/(f_s*{drive.leakage}))",
            "",
            "part of the primary current that is left after freewheeling",
            LEAKAGE_FORWARD,
        ),
        Line("I_l", "I_pk - s_L*(0.5 - D)", "A", "inductor current half a period after the pulse began", KIRCHHOFF),
        Line(
            "I_d", "min(I_l, k_e*I_pk + (1 - k_e)*I_o/2)", "A", "current that D1 still carries as the other pulse begins", LEAKAGE_FORWARD
        ),
        Line("I_u", "(1 - k_e)*I_o/2", "A", "current that D1 carries already as its pulse begins", LEAKAGE_FORWARD),
        _handed_back(drive, "I_d"),
    )


def _handed_back(drive: Drive, current: str) -> Line:
    meaning = "part of the period in which D1 hands its current back as the other pulse begins"
    return Line("D_b", f"f_s*{drive.leakage}*{current}/(n*{drive.voltage})", "", meaning, LEAKAGE_FORWARD)


@dataclass(frozen=True)
class Carried:
    """What the rectifiers carry, by formulas.

    Attributes
    ----------
    average, first
        Average and mean square of the current of D1.
    second, peak
        Mean square and peak of that of D2.
    drawn
        Average of what the input delivers beside the pulse that is passed on.
    """

    average: str
    first: str
    second: str
    peak: str
    drawn: str


PASSED = "D_p*(I_m**2 + dI_L**2/12)"
"""Mean square of the current of D1 in its pulse."""

SHARED = Carried(
    average="D_p*I_m + D_q*I_v/2 + D_r*(I_pk - I_sM)/2 + (1 - 2*D)*I_sM",
    first=f"{PASSED} + D_q*I_v**2/3 + D_r*(I_pk**2 + I_pk*I_sM - 2*I_sM**2)/3 + (1 - 2*D)*(I_sM**2 + (n*dI_Lm/2)**2)",
    second="D*(I_m**2 + (s_L*D)**2/12) + (0.5 - D)*(2*(I_m - I_sM)**2 + 2*(s_L/4 + n*dI_Lm/2)**2 + s_L**2*(0.5 - D)**2/6)",
    peak="max(I_pk - I_sM, I_m + s_L*D/2)",
    drawn="D_q*I_p1/2 - D_r*I_p2/2 - (D - D_b)*I_M0",
)
"""Between the pulses D1 carries what the magnetising current asks for, D2 the rest."""

ALONE = Carried(
    average="I_sM",
    first=f"{PASSED} + (D_q*(I_v**2 + I_v*I_u + I_u**2) + (0.5 - D)*(I_pk**2 + I_pk*I_d + I_d**2 + I_u**2) + D_b*I_d**2)/3",
    second="((0.5 - D)*(I_l - I_d)**2 + D_b*(I_l**2 + I_l*(I_l - I_d) + (I_l - I_d)**2)"
    " + (0.5 - D_b)*(I_l**2 + I_l*(I_v - I_u) + (I_v - I_u)**2))/3",
    peak="I_l",
    drawn="D_q*(I_p1 + I_start)/2 - D_b*(I_fe + I_M0)/2 - (D - D_b)*I_M0",
)
"""An inductance in series with the primary carries its current on: D1 carries all after its pulse."""


def rectifiers(drive: Drive) -> tuple[Line, ...]:
    """Return D1, which passes every other pulse on, D2, which carries the inductor current otherwise, and the rest."""
    shape = ALONE if drive.lost else SHARED
    return (
        *stresses(
            "D1",
            shape.average,
            f"sqrt({shape.first})",
            "I_pk",
            f"({drive.voltage} + {drive.resistance}*I_M0)/n - V_FD1 - R_D1*I_v + dV_p/(2*n)",
            "rectifier",
        ),
        *stresses("D2", "I_o - I_D1", f"sqrt({shape.second})", shape.peak, "V_sw + dV_p/(2*n)", "rectifier"),
        with_spike("D2", "rectifier"),
        Line("I_sback", "I_sM + n*dI_Lm/2", "A", "largest magnetising current as the secondary sees it", ONE_SIDED),
        Line("I_Lmv", "I_M0 - dI_Lm/2", "A", "valley of the magnetising current", ONE_SIDED, "min"),
        Line("W_Lm", "L_m*I_Lmv**2/2", "J", "energy in the core at the peak", ONE_SIDED),
        *winding("Ns", "I_D1", "I_D1rms"),
        *smoothing(triangle()),
        *chopped_input(
            "(2*D_1)",
            "(I_m*k_in/(2*n))",
            "(dI_L*k_in/n)",
            "(2*f_s)",
            f"k_in*(D_p*(I_p1 + I_p2)/2 + {shape.drawn})",
            f"k_in**2*({PULSE} + {OTHER})",
        ),
    )
