"""Behind a forward converter: what rectifiers, windings and output capacitor of every secondary side bear.

They follow from the currents that `reset` derives: of the inductor, and of the core whose reset a second path rectifies.
"""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line
from jump_lane.topologies.blocks import capacitors
from jump_lane.topologies.blocks.shape import Shape, triangle
from jump_lane.topologies.blocks.sources import KIRCHHOFF
from jump_lane.topologies.blocks.stress import stress, winding
from jump_lane.topologies.variant import Variant

SIDES = ("half-wave", "centre-tap", "bridge", "current-doubler")
"""What can rectify behind a forward converter; the first one is usual."""

COIL = triangle("I_Lv", "I_Lpk", "D_1", "D_2")
ROUGH = 0.06
"""Accuracy behind a secondary that rectifies the reset."""

TWICE = Shape((("D_1", "I_Lv", "I_Lpk"), ("D_F", "I_Lpk", "I_h"), ("D_3", "I_h", "I_Lv")), high="I_Lpk")
"""The current of L where the reset is rectified."""

IDLE = {
    "half-wave": "V_r/n + V_o + dV_o/2",
    "centre-tap": "V_r/n + max(V_r/n, V_o + dV_o/2)",
    "bridge": "max(V_r/n, V_o + dV_o/2)",
    "current-doubler": "V_r/(2*n) + max(V_r/(2*n), V_o + dV_o/2)",
}
"""What D1 blocks behind an active clamp where L has no current and leaves its end at the output."""

WOUND = {
    "half-wave": ("I_D1", "I_D1rms"),
    "centre-tap": ("max(I_D1, I_D2)", "max(I_D1rms, I_D2rms)"),
    "bridge": ("abs(I_D1 - I_D2)", "sqrt(I_D1rms**2 + I_D2rms**2)"),
}
"""Average and rms current of the secondary winding, of the half that carries more: pulse and reset go through either half."""


def borne(v: Variant, clamped: bool = False) -> tuple[Line, ...]:
    """Return rectifiers, windings and output capacitor."""
    if v.secondary == "current-doubler":
        return _doubler(clamped)
    count = "2*" if v.secondary == "centre-tap" else ""
    blocked = {CONTINUOUS: f"{count}V_r/n - V_FD2"}
    if clamped:
        blocked[DISCONTINUOUS] = IDLE[v.secondary]
    output: Shape | None = None  # a rectified reset has its capacitor before V_r, which the ripple moves
    if v.secondary == "half-wave":
        first, second, output = COIL.during("D_1"), COIL.during("D_2"), COIL
    elif clamped:
        first = Shape((("D_1", "I_o - dI_1/2", "I_o + dI_1/2"),))
        second = Shape((("1 - D_1", "I_o + dI_1/2", "I_o - dI_1/2"),))
        output = first + second
    else:
        shared = ("D_F", "(I_Lpk - I_h)/2", "0")
        first = Shape((("D_1", "I_Lv", "I_Lpk"), shared), high="I_Lpk")
        second = Shape((("D_F", "(I_Lpk + I_h)/2", "I_h"), ("D_3", "I_h", "I_Lv")), high="max((I_Lpk + I_h)/2, I_h)")
    within = 0.02 if v.secondary == "half-wave" else ROUGH
    return (
        *(capacitors.smoothing(output, scale="dI_L") if output else ()),
        *stress("D1", first, blocked, spike=True, within=within),
        *stress("D2", second, f"{count}V_s - V_FD1", spike=True, within=within),
        *winding("Np", "I_S1", "I_S1rms"),
        *winding("Ns", *WOUND[v.secondary]),
    )


def _doubler(clamped: bool) -> tuple[Line, ...]:
    """Return what rectifiers and output of a current doubler bear: D1 conducts with S1, D2 carries both inductors otherwise."""
    least, pulse = f"{capacitors.MATCHING}*dI_L/(8*f_s)", ("D_1", "I_j1", "I_j2")
    after: tuple[tuple[str, str, str], ...] = (("1 - D_1", "I_j2", "I_j1"),)
    if not clamped:
        turned = "I_Lpk - dI_L*D_e/(1 - D_1) + I_2 + dI_L2/2"
        after = (("D_e", "I_j2", turned), ("1 - D_1 - D_e", turned, "I_j1"))
    both, start = Shape((pulse, *after)), "I_2 + dI_L2/2" if clamped else "I_a2"
    blocked = {CONTINUOUS: "V_r/n - V_FD2"} | ({DISCONTINUOUS: IDLE["current-doubler"]} if clamped else {})
    return (
        Line("I_j1", f"I_Lv + {start}", "A", "current of both inductors as the pulse begins", KIRCHHOFF),
        Line("I_j2", "I_Lpk + I_2 - dI_L2/2", "A", "current of both inductors as the pulse ends", KIRCHHOFF),
        *capacitors.smoothing(both, least=least, scale="dI_L"),
        *stress("D1", Shape((pulse,)), blocked, spike=True, within=ROUGH),
        *stress("D2", Shape(after), "V_s - V_FD1", spike=True, within=2.0 * ROUGH),
        *winding("Np", "I_S1", "I_S1rms"),
        *winding("Ns", "abs(D_1*I_1 - (1 - D_1)*I_2)", "sqrt(D_1*I_1**2 + (1 - D_1)*I_2**2)"),
    )
