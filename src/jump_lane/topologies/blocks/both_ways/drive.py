"""What drives a transformer both ways."""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.topologies.point import SHARING


@dataclass(frozen=True)
class Drive:
    """What drives the transformer both ways, by the formulas of what differs.

    Attributes
    ----------
    voltage, resistance
        What is put to the primary, and the resistance in its circuit.
    bodies
        How many body diodes conduct, in series with the primary, where a reversed current begins a pulse in dead time.
    lost
        The part of the switching period in which the primary current turns round at each pulse, if that does not
        follow from the leakage on the secondary: then an inductance in series with the primary turns it round, and
        carries it on between the pulses.
    leakage
        Symbol of the inductance in series, as the primary sees it.
    bend
        What a rising primary current adds to the mean voltage of a pulse, over its slope and the square of the pulse's
        length, where it discharges a capacitance.
    back
        Half-wave: current that the secondary delivers between the pulses, in place of a primary that carries as much
        one way as the other.  ``{I}`` is the inductor current at the end of a pulse, ``{D}`` the duty ratio.
    shift
        Half-wave: by how much the secondary voltage of the pulse that is passed on is larger than that of the other.
    """

    voltage: str
    resistance: str
    bodies: str = "1"
    lost: str = ""
    leakage: str = "L_kT"
    bend: str = ""
    back: str = ""
    shift: str = ""

    def returned(self, current: str, duty: str) -> str:
        """Return the formula of the secondary current between the pulses, half-wave."""
        if self.back:
            return self.back.format(I=current, D=duty)
        resistance, idle = (f"({self.resistance} + {SHARING}*R_o*min(1, (V_in/V_o)**2))", f"(1 - 2*{duty})*n**2")
        return (
            f"({resistance}*{duty}*I_o + f_s*{self.leakage}*{current} + {idle}*R_D1*I_o)"
            f"/(2*{resistance}*{duty} + 2*f_s*{self.leakage} + {idle}*(2*R_D1 + R_sT))"
        )
