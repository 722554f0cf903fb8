"""Converters that step down: a pulse of voltage is put through an inductor to the output.

The inductor sees V_1 while the pulse lasts and V_2 reversed afterwards.  The pulse comes once a period or, where a
transformer is driven both ways, twice; f_r is how often.
"""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, REVERSED, Line
from jump_lane.topologies.blocks.duty import gate_times
from jump_lane.topologies.blocks.inductors import carries, sized
from jump_lane.topologies.blocks.ramps import root_mean_square
from jump_lane.topologies.blocks.sources import (
    BETWEEN_PULSES,
    DISCONTINUOUS_RATIO,
    FROM_CAPACITOR,
    KIRCHHOFF,
    LEAKAGE_FORWARD,
    VOLT_SECONDS,
    WITH_LOSSES,
)
from jump_lane.topologies.page import ByTarget

HELD = "magnetising current, as the secondary sees it, that holds the inductor current up"


@dataclass(frozen=True)
class StepDown:
    """A converter that steps down, by the formulas of what differs.

    Attributes
    ----------
    on, off
        V_1 and V_2, with ``{I}`` for the current that sets the drops.
    pulse
        The voltage of the pulse.
    load, full, phases
        Load current and full load of one inductor, and the number of inductors.
    frequency
        The frequency f_r of the pulses.
    body
        Voltage of the body diode that conducts during dead time.
    share
        What makes the control variable D of the pulse's duty ratio, such as ``/2``.
    lost
        Part of f_r's period that the pulse loses to leakage.
    series
        Inductance in series with L while the pulse lasts.
    series_off
        Inductance in series with L afterwards.
    least
        Half of the ripple at which continuous conduction ends, where that is not the load current.
    needed
        Whether the circuit needs continuous conduction.
    bend, magnetising
        What a rising current adds to the mean voltage of a pulse, over its slope and the square of the pulse's length,
        where the pulse discharges a capacitance; and the inductance of the core, whose current is part of it.
    core
        Inductance of a core that the rectifiers short between the pulses; the current of L does not fall below what the
        core carries.  Empty where there is none.
    """

    on: str
    off: str
    pulse: str = "V_in"
    load: str = "I_o"
    full: str = "I_max"
    phases: str = "1"
    frequency: str = "f_s"
    body: str = "V_BD1"
    share: str = ""
    lost: str = ""
    series: str = ""
    series_off: str = ""
    least: str = ""
    needed: bool = False
    bend: str = ""
    magnetising: str = ""
    core: str = ""

    def sizing(self, magnetising: tuple[Line, ...] = ()) -> tuple[Line | ByTarget, ...]:
        """Return duty ratio (of the pulse, in continuous conduction), inductance and boundary.

        ``magnetising`` tells the inductance of the core, which follows from the duty ratio.
        """
        f, load = self.frequency, self.load
        return (
            Line("V_1c", self.on.format(I=load), "V", "inductor voltage, pulse on", WITH_LOSSES),
            Line("V_2c", self.off.format(I=load), "V", "inductor voltage reversed, pulse off", WITH_LOSSES),
            Line(
                "D_c",
                f"(V_2c + 2*t_d*{f}*{self.body})/(V_1c + V_2c)",
                "",
                "duty ratio of the pulse with drops, continuous conduction",
                WITH_LOSSES,
            ),
            *magnetising,
            *(self._held_at_boundary() if self.core else ()),
            *sized(f"V_1c*D_c/{f}", load, self.full, self.phases, self.least, self.needed, "I_Hc" if self.core else ""),
        )

    def _held_at_boundary(self) -> tuple[Line, ...]:
        """Return what the core carries between the pulses in continuous conduction."""
        text = f"V_2c/(2*{self.frequency}*{self.core})"
        return (Line("I_Hc", text, "A", f"{HELD} in continuous conduction", BETWEEN_PULSES),)

    def operation(self) -> tuple[Line, ...]:
        """Return duty ratio and inductor current in every conduction mode."""
        f, load = self.frequency, self.load
        idling = f"sqrt({load}*({self.pulse} - V_o)*V_o/(2*L*{f}*{self.pulse}))"
        on, off = self.on.format(I="I_x"), self.off.format(I="I_x")
        if self.bend:
            core = f"{self.bend}*T_p**2*{self.pulse}/({self.magnetising})"
            on = f"({on} + {core})/(1 - {self.bend}*T_p**2/L)"
        rising, least, fall = "V_1", "", "D_1*V_1/V_2"
        if self.core:
            rising = f"(V_1 + (V_1 + V_2)*L/({self.core}))"
            least, fall = "I_Hv + ", f"(I_pk - I_H)*{f}*L/V_2"
        return (
            Line(
                "I_x",
                {CONTINUOUS: load, DISCONTINUOUS: idling},
                "A",
                "current that sets the drops (half the peak in discontinuous conduction)",
                WITH_LOSSES,
            ),
            *(self._length() if self.bend else ()),
            Line(
                "V_1",
                f"({on})*L/(L + {self.series})" if self.series else on,
                "V",
                "inductor voltage, pulse on",
                FROM_CAPACITOR if self.bend else WITH_LOSSES,
            ),
            Line(
                "V_2",
                f"({off})*L/(L + {self.series_off})" if self.series_off else off,
                "V",
                "inductor voltage reversed, pulse off",
                WITH_LOSSES,
            ),
            Line(
                "D_1",
                {
                    CONTINUOUS: f"(V_2 + 2*t_d*{f}*{self.body})/(V_1 + V_2)",
                    REVERSED: f"(V_2 + t_d*{f}*({self.body} - V_BS1))/(V_1 + V_2)",
                    DISCONTINUOUS: f"sqrt(2*L*{f}*{load}*V_2/({rising}*(V_1 + V_2)))",
                },
                "",
                "rising part of the period",
                DISCONTINUOUS_RATIO,
            ),
            Line("dI_L", f"V_1*D_1/({f}*L)", "A", "inductor ripple, peak to peak", VOLT_SECONDS),
            *(self._held() if self.core else ()),
            Line("I_m", {CONTINUOUS: load, DISCONTINUOUS: f"{least}dI_L/2"}, "A", "middle of the inductor's slope", KIRCHHOFF),
            Line("I_pk", "I_m + dI_L/2", "A", "peak of the inductor's slope", KIRCHHOFF),
            Line("I_v", "I_m - dI_L/2", "A", "valley of the inductor's slope", KIRCHHOFF, "min"),
            Line(
                "D_2", {CONTINUOUS: "1 - D_1", DISCONTINUOUS: fall}, "", "falling part of the period (second interval)", DISCONTINUOUS_RATIO
            ),
            *self._control(),
            *gate_times(),
        )

    def _length(self) -> tuple[Line, ...]:
        """Return the length of a pulse, by which its voltage bends."""
        idling = f"2*I_x*L/({self.pulse} - V_o)"
        ideal = {CONTINUOUS: f"V_o/({self.pulse}*{self.frequency})", DISCONTINUOUS: idling}
        return (Line("T_p", ideal, "s", "length of a pulse with ideal parts", VOLT_SECONDS),)

    def _held(self) -> tuple[Line, ...]:
        """Return what the core carries once L has no more current than that."""
        f, core = self.frequency, self.core
        swing = f"(V_1 + V_2)*D_1/({f}*{core})"
        whole = f"V_2/(2*{f}*{core})"
        return (
            Line("I_H", {CONTINUOUS: whole, DISCONTINUOUS: f"min({whole}, {swing})"}, "A", HELD, BETWEEN_PULSES),
            Line(
                "I_Hv", {CONTINUOUS: "I_H", DISCONTINUOUS: f"{swing} - I_H"}, "A", HELD + " as the next pulse begins", BETWEEN_PULSES, "min"
            ),
        )

    def carried(self) -> tuple[Line, ...]:
        """Return what the inductor carries, where a core holds its current up."""
        f = self.frequency
        return (
            Line("I_He", {CONTINUOUS: "I_v", DISCONTINUOUS: "I_H"}, "A", "inductor current as its slope ends", BETWEEN_PULSES, "min"),
            Line(
                "D_3",
                {CONTINUOUS: "0", DISCONTINUOUS: f"max(min(1 - D_1 - D_2, (I_H - I_v)*(L + {self.core})*{f}/V_2), 0)"},
                "",
                "part of the period in which the core holds the inductor current up",
                BETWEEN_PULSES,
            ),
            *carries(
                "L",
                self.load,
                "I_v",
                "I_pk",
                {
                    CONTINUOUS: f"sqrt({self.load}**2 + dI_L**2/12)",
                    DISCONTINUOUS: root_mean_square(("D_1", "I_v", "I_pk"), ("D_2", "I_pk", "I_H"), ("D_3", "I_H", "I_v")),
                },
            ),
        )

    def _control(self) -> tuple[Line, ...]:
        commutation = Line("D_k1", self.lost, "", "part of the period that commutation takes from the pulse", LEAKAGE_FORWARD)
        pulse = "D_1 + D_k1" if self.series else "D_1"
        return (
            *((commutation,) if self.series else ()),
            Line(
                "D",
                {CONTINUOUS: f"({pulse}){self.share}", REVERSED: f"({pulse} - t_d*{self.frequency}){self.share}"},
                "",
                "duty ratio that holds the output",
                DISCONTINUOUS_RATIO,
            ),
        )
