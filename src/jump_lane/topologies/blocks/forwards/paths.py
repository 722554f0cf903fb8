"""The two paths through a secondary that is tapped or a bridge, behind a forward converter.

D1 passes the pulse on, D2 what resets the core.  A bridge has two rectifiers in each path: D3 goes with D1, D4 with D2.
"""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.forwards.lines import secondary_voltage
from jump_lane.topologies.blocks.sources import WITH_LOSSES


@dataclass(frozen=True)
class Paths:
    """What the two paths through the secondary have in them.

    Attributes
    ----------
    count
        Rectifiers in each path; as many leakage inductances have their current changed.
    tapped
        Whether each path has a winding of its own.
    """

    count: str
    tapped: bool

    @property
    def first(self) -> str:
        """Drop of the path of D1, with ``{I}`` for the current."""
        return f"{self.count}*V_FD1 + ({self.count}*R_D1 + R_sT)*{{I}}"

    @property
    def second(self) -> str:
        """Drop of the path of D2."""
        return f"{self.count}*V_FD2 + ({self.count}*R_D2 + R_sT)*{{I}}"


PATHS = {"centre-tap": Paths("1", True), "bridge": Paths("2", False)}
"""The paths of each secondary side that has two."""


def on_voltages(paths: Paths, primary: str) -> tuple[Line, ...]:
    """Return the voltages while S1 conducts, in continuous conduction."""
    return (
        secondary_voltage("V_mc", f"2*{primary}*I_o/n"),
        Line("V_1c", f"V_mc - V_o - ({paths.first.format(I='I_o')}) - R_L*I_o", "V", "inductor voltage, S1 on", WITH_LOSSES),
    )


def both_conduct(paths: Paths, current: str) -> Line:
    """Return the inductor voltage while D1 and D2 conduct together and short the winding."""
    voltage = f"V_o + {paths.count}*(V_FD1 + V_BD1 + V_FD2 + R_D2*{current})/2 + R_L*{current}"
    return Line(
        "V_f",
        f"({voltage} + R_sT*{current}/2)*L/(L + L_kT/(2*n**2))" if paths.tapped else voltage,
        "V",
        "inductor voltage reversed, D1 and D2 on",
        WITH_LOSSES,
    )
