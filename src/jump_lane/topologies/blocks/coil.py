"""Inductors: duty ratio, boundary and choice of the converters that step down and of those that hand energy over; what they carry."""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line, Proof
from jump_lane.topologies.blocks.shape import times, triangle
from jump_lane.topologies.blocks.sources import (
    BOUNDARY_CONDITION,
    DEFINITION,
    DISCONTINUOUS_RATIO,
    ENERGY,
    KIRCHHOFF,
    MARGIN,
    PEAK_DERIVED,
    RMS_VALUES,
    VOLT_SECONDS,
)
from jump_lane.topologies.variant import Variant

COIL = triangle("I_Lv", "I_Lpk", "D", "D_2")
"""The current of a single inductor."""

GATE = Proof("S1.gate", "average")

USUAL = 0.01
"""Accuracy of an inductor's currents where its page claims to hold."""


def ratio(worst: str = "max") -> Line:
    """Return the conversion ratio."""
    return Line("M", "V_o/V_in", "", "conversion ratio", DEFINITION, worst)


def ratio_left(ideal_ratio: str) -> Line:
    """Return the part of the ideal conversion ratio at this duty ratio that losses (or idling) leave."""
    return Line("k_M", f"M/({ideal_ratio})", "", "part of the ideal conversion ratio that losses (or idling) leave", DEFINITION, "min")


def ideal(text: str) -> Line:
    """Return the duty ratio with ideal parts."""
    return Line("D_i", text, "", "duty ratio with ideal parts", VOLT_SECONDS)


def chosen(v: Variant, name: str = "L", ripple: str = "L_rip", critical: str = "L_crit", full: str = "L_full") -> Line:
    """Return the choice of an inductance for the conduction mode asked for.

    ``ripple``, ``critical`` and ``full`` are the formulas of what the ripple asked needs, of the critical inductance at each
    load, and of that at full load.
    """
    texts = {
        "continuous": (f"(1 + m_L)*max({critical}, {ripple})", "ripple and continuous conduction, with margin"),
        "either": (f"(1 + m_L)*({ripple})", "ripple as asked, with margin"),
        "boundary": (full, "at the boundary at full load"),
        "discontinuous": (f"{full}/(1 + m_L)", "discontinuous up to full load, with margin"),
    }
    text, meaning = texts[v.target]
    worst = "min" if v.target == DISCONTINUOUS else "max"
    return Line(name, text, "H", f"inductance: {meaning}", MARGIN, worst, component=True)


def sized(
    v: Variant,
    volts: str,
    name: str = "L",
    load: str = "I_o",
    full: str = "I_max",
    phases: str = "",
    half: str = "",
    frequency: str = "f_s",
) -> tuple[Line, ...]:
    """Return the choice of an inductance from the voltage that makes its ripple, and the boundary load current.

    Parameters
    ----------
    volts
        Formula of the voltage times its part of the period: the ripple is this over f·L.
    load, full
        Formulas of its average current at the boundary: half of the ripple, at each load and at full load.
    phases
        Formula of the load current over that average.
    half
        Formula of what stands for ``volts`` at the boundary, where the inductor feeds the output in a part of the period only, or not
        alone.
    """
    half = half or volts
    return (
        Line("L_rip", f"{volts}/({frequency}*dI_ask)", "H", "inductance for the ripple asked", VOLT_SECONDS),
        Line("L_crit", f"{half}/(2*{frequency}*{load})", "H", "critical inductance at the load", BOUNDARY_CONDITION),
        Line("L_full", f"{half}/(2*{frequency}*{full})", "H", "critical inductance at full load", BOUNDARY_CONDITION),
        chosen(v, name),
        Line("I_B", times(phases, f"{half}/(2*{frequency}*{name})"), "A", "boundary load current", BOUNDARY_CONDITION),
    )


def volts(on: str, off: str) -> tuple[Line, ...]:
    """Return the voltage of an inductor while its current rises and, reversed, while it falls."""
    return (
        Line("V_on", on, "V", "inductor voltage while its current rises", VOLT_SECONDS),
        Line("V_off", off, "V", "inductor voltage reversed, while it falls", VOLT_SECONDS),
    )


def balance() -> Line:
    """Return the duty ratio in continuous conduction from the volt-seconds of an inductor."""
    return Line("D_c", "V_off/(V_on + V_off)", "", "duty ratio in continuous conduction, with drops", VOLT_SECONDS)


def lossy_duty(a: str, b: str, c: str, load: str = "I_o") -> tuple[Line, ...]:
    """Return the duty ratio in continuous conduction from the energy balance a·D'² − b·D' + c = 0.

    ``load`` is the formula of the load current (of one phase).
    """
    return (
        Line("a_D", a, "V", "energy balance: factor of D'²", ENERGY),
        Line("b_D", b, "V", "energy balance: factor of −D'", ENERGY),
        Line("c_D", c, "V", "energy balance: what is left", ENERGY),
        Line("D_c", "1 - (b_D + sqrt(b_D**2 - 4*a_D*c_D))/(2*a_D)", "", "duty ratio in continuous conduction, with drops", ENERGY),
        Line("I_c", f"{load}/(1 - D_c)", "A", "current handed over in continuous conduction", VOLT_SECONDS),
    )


def peak_ratio(resistance: str, load: str = "R_o") -> tuple[Line, ...]:
    """Return the highest conversion ratio that losses leave a converter whose output steps up by D/D'.

    ``resistance`` is the formula of that in which the current flows as S1 conducts, ``load`` that of the load.
    """
    return (
        Line("k_R", f"({resistance})/{load}", "", "resistance over that of the load", PEAK_DERIVED),
        Line("D_pk", "1 + k_R - sqrt(k_R + k_R**2)", "", "duty ratio of the highest output", PEAK_DERIVED, "min"),
        Line("M_pk", "D_pk*(1 - D_pk)/((1 - D_pk)**2 + k_R)", "", "highest conversion ratio", PEAK_DERIVED, "min"),
    )


def stepping_down(
    v: Variant, name: str = "L", load: str = "I_o", full: str = "I_max", phases: str = "", frequency: str = "f_s"
) -> tuple[Line, ...]:
    """Return duty ratio and choice of an inductor that a pulse feeds and that feeds the output all the time."""
    return (balance(), *sized(v, "V_on*D_c", name, load, full, phases, frequency=frequency))


def fed(name: str = "L", load: str = "I_o", rise: str = "D", element: str = "") -> tuple[Line, ...]:
    """Return rising and falling part of the period, and the ripple, of such an inductor."""
    idling = f"sqrt(2*{name}*f_s*{load}*V_off/(V_on*(V_on + V_off)))"
    return times_of(name, {CONTINUOUS: "D_c", DISCONTINUOUS: idling}, rise, element=element)


def handing_over(
    v: Variant, name: str = "L", load: str = "I_o", full: str = "I_max", phases: str = "", frequency: str = "f_s"
) -> tuple[Line, ...]:
    """Return the choice of an inductor that hands over its current while S1 is open."""
    return sized(v, "V_on*D_c", name, load, full, phases, "V_on*D_c*(1 - D_c)", frequency)


def handed_over(name: str = "L", load: str = "I_o", rise: str = "D", frequency: str = "f_s", element: str = "") -> tuple[Line, ...]:
    """Return rising and falling part of the period, and the ripple, of such an inductor."""
    idling = f"sqrt(2*{name}*{frequency}*{load}*V_off)/V_on"
    return times_of(name, {CONTINUOUS: "D_c", DISCONTINUOUS: idling}, rise, frequency, element)


def times_of(name: str, duty: dict[str, str], rise: str = "D", frequency: str = "f_s", element: str = "") -> tuple[Line, ...]:
    """Return the parts of the period in which an inductor's current rises and falls, and its ripple."""
    rising = Line(rise, duty, "", "part of the period in which the current rises", DISCONTINUOUS_RATIO)
    if rise == "D":
        rising = gated(duty)[0]
    return (
        rising,
        *(on_time() if rise == "D" else ()),
        Line(
            "D_2",
            {CONTINUOUS: f"1 - {rise}", DISCONTINUOUS: f"{rise}*V_on/V_off"},
            "",
            "part of the period in which the current falls",
            DISCONTINUOUS_RATIO,
        ),
        swing(name, f"V_on*{rise}", element, frequency=frequency),
    )


def gated(duty: str | dict[str, str]) -> tuple[Line, ...]:
    """Return the duty ratio of S1, its on-time and its angle."""
    return (Line("D", duty, "", "duty ratio that holds the output", DISCONTINUOUS_RATIO, proof=GATE), *on_time())


def on_time() -> tuple[Line, ...]:
    """Return on-time and gate angle."""
    return (Line("t_on", "D/f_s", "s", "on-time", DEFINITION), Line("phi_on", "360*D", "°", "on-time as gate angle", DEFINITION))


def swing(name: str, volts: str, element: str = "", inductance: str = "", frequency: str = "f_s") -> Line:
    """Return the ripple of an inductor from the voltage that makes it, times its part of the period."""
    x, meaning = name.replace("_", ""), f"ripple of {name}, peak to peak"
    proof = Proof(f"{element or name}.i", "peak_to_peak")
    return Line(f"dI_{x}", f"{volts}/({frequency}*{inductance or name})", "A", meaning, VOLT_SECONDS, proof=proof)


def carried(name: str, average: str, rise: str = "D", fall: str = "D_2", element: str = "", within: float = USUAL) -> tuple[Line, ...]:
    """Return what an inductor carries whose current rises and falls by its ripple and stays at its valley in the rest.

    Parameters
    ----------
    average
        Formula of its average current.
    element
        The element that shows it, where that is not called like it.
    """
    x = name.replace("_", "")
    shape = triangle(f"I_{x}v", f"I_{x}pk", rise, fall, idle=True)
    valley = f"I_{x} - ({rise} + {fall})*dI_{x}/2"
    return carries(name, average, valley, f"I_{x}v + dI_{x}", shape.rms, element, within)


def carries(
    name: str, average: str, valley: str | dict[str, str], peak: str, rms: str, element: str = "", within: float = USUAL
) -> tuple[Line, ...]:
    """Return what an inductor carries, from the formulas of average, valley, peak and rms value of its current."""
    x, top = name.replace("_", ""), f"I_{name.replace('_', '')}pk"

    def proof(measure: str, accuracy: float = within) -> Proof:
        return Proof(f"{element or name}.i", measure, accuracy, top if measure != "maximum" else "")

    return (
        Line(f"I_{x}", average, "A", f"average current of {name}", VOLT_SECONDS, proof=proof("average")),
        Line(f"I_{x}v", valley, "A", f"valley current of {name}", KIRCHHOFF, "min", proof=proof("minimum", 2.0 * within)),
        Line(top, peak, "A", f"peak current of {name}", KIRCHHOFF, proof=proof("maximum")),
        Line(f"I_{x}rms", rms, "A", f"rms current of {name}", RMS_VALUES, proof=proof("rms")),
        Line(f"W_{x}", f"{name}*{top}**2/2", "J", f"energy in {name} at the peak", DEFINITION),
        Line(f"I_{x}sat", f"(1 + m_I)*{top}", "A", f"saturation current {name} should have", MARGIN),
    )
