"""Inductors: their choice, and what they carry."""

from __future__ import annotations

from collections.abc import Mapping

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, DEFINITION, KIRCHHOFF, MARGIN, RMS_VALUES, VOLT_SECONDS
from jump_lane.topologies.page import ByTarget


def inductance(name: str, ripple: str, critical: str, full: str, needed: bool = False) -> ByTarget:
    """Return the choice of an inductance for each conduction target.

    Parameters
    ----------
    ripple, critical, full
        Symbols of the inductance for the asked ripple, of the critical inductance at each corner's load, and
        of the critical inductance at full load.
    needed
        Whether the circuit needs continuous conduction, even where the file leaves the mode open.
    """

    def line(text: str, meaning: str, worst: str = "max") -> Line:
        return Line(name, text, "H", meaning, MARGIN, worst, component=True)

    continuous = line(f"(1 + m_L)*max({critical}, {ripple})", "inductance: ripple and continuous conduction, with margin")
    either = line(f"(1 + m_L)*{ripple}", "inductance: ripple as asked, with margin")
    return ByTarget(
        {
            "continuous": continuous,
            "either": continuous if needed else either,
            "boundary": line(full, "inductance: at the boundary at full load"),
            "discontinuous": line(f"{full}/(1 + m_L)", "inductance: discontinuous up to full load, with margin", "min"),
        }
    )


LIGHT = (
    "Below I_need the circuit idles; this secondary side is derived for continuous conduction only, so that values there are "
    "off. The simulation tells them, and what it shows is judged."
)


def continuous_only() -> Line:
    """Return the load current that a circuit needs which is derived for continuous conduction only."""
    need = {CONTINUOUS: "0", DISCONTINUOUS: "I_B"}
    return Line("I_need", need, "A", "smallest load current for continuous conduction", DEFINITION)


def inductor(name: str, average: str, ripple: str, conducting: str) -> tuple[Line, ...]:
    """Return average, valley, peak, rms and energy of an inductor.

    Its current rises and falls by ``ripple`` during the fraction ``conducting`` of the period and stays at
    its valley in the rest.

    Parameters
    ----------
    average, ripple, conducting
        Formulas of the average current, of the peak-to-peak value, and of that fraction.
    """
    x = name.replace("_", "")
    square = f"I_{x}v**2 + ({conducting})*(I_{x}v*{ripple} + {ripple}**2/3)"
    return carries(name, average, f"I_{x} - ({conducting})*{ripple}/2", f"I_{x}v + {ripple}", f"sqrt({square})")


def carries(name: str, average: str, valley: str, peak: str, rms: str | Mapping[str, str], inductance: str = "") -> tuple[Line, ...]:
    """Return what an inductor carries, from the formulas of average, valley, peak and rms value of its current.

    ``inductance`` is its symbol where it is not called like the inductor.
    """
    x = name.replace("_", "")
    return (
        Line(f"I_{x}", average, "A", f"average current of {name}", VOLT_SECONDS),
        Line(f"I_{x}v", valley, "A", f"valley current of {name}", KIRCHHOFF, "min"),
        Line(f"I_{x}pk", peak, "A", f"peak current of {name}", KIRCHHOFF),
        Line(f"I_{x}rms", rms, "A", f"rms current of {name}", RMS_VALUES),
        Line(f"W_{x}", f"{inductance or name}*I_{x}pk**2/2", "J", f"energy in {name} at the peak", DEFINITION),
        Line(f"I_{x}sat", f"(1 + m_I)*I_{x}pk", "A", f"saturation current {name} should have", MARGIN),
    )


def sized(
    volt_seconds: str, load: str = "I_o", full: str = "I_max", phases: str = "1", least: str = "", needed: bool = False, beyond: str = ""
) -> tuple[Line | ByTarget, ...]:
    """Return the sizing of an inductance from the volt-seconds that make its ripple.

    Parameters
    ----------
    volt_seconds
        Their formula; the ripple is this over L.
    load, full, phases
        Formulas of the load current and of full load of one inductor, and the number of inductors.
    least
        Formula of half of the ripple at which continuous conduction ends, where that is not the load current.
    needed
        Whether the circuit needs continuous conduction.
    beyond
        Formula of the valley current of one inductor at the boundary, where that is not zero.
    """
    boundary = f"{phases}*{volt_seconds}/(2*L)"
    return (
        Line("L_rip", f"{volt_seconds}/dI_ask", "H", "inductance for the ripple asked", VOLT_SECONDS),
        Line("L_crit", f"{volt_seconds}/(2*{least or load})", "H", "critical inductance at the load", BOUNDARY_CONDITION),
        Line("L_full", f"{volt_seconds}/(2*{full})", "H", "critical inductance at full load", BOUNDARY_CONDITION),
        inductance("L", "L_rip", "L_crit", "L_full", needed),
        Line("I_B", f"{boundary} + {phases}*{beyond}" if beyond else boundary, "A", "boundary load current", BOUNDARY_CONDITION),
    )


def single_inductor_sizing(load: str = "I_o", full: str = "I_max", phases: str = "1", name: str = "L") -> tuple[Line | ByTarget, ...]:
    """Return the sizing of one inductor that stores energy while S1 conducts and hands it over afterwards.

    Parameters
    ----------
    load, full, phases
        Formulas of the load current and of full load of one phase, and of the number of phases (or what else
        takes the boundary of one to that of the load).
    """
    volt_seconds = "V_1c*D_c*(1 - D_c)"
    return (
        Line("L_rip", "V_1c*D_c/(f_s*dI_ask)", "H", "inductance for the ripple asked", VOLT_SECONDS),
        Line("L_crit", f"{volt_seconds}/(2*f_s*{load})", "H", "critical inductance at the load", BOUNDARY_CONDITION),
        Line("L_full", f"{volt_seconds}/(2*f_s*{full})", "H", "critical inductance at full load", BOUNDARY_CONDITION),
        inductance(name, "L_rip", "L_crit", "L_full"),
        Line("I_B", f"{phases}*{volt_seconds}/(2*f_s*{name})", "A", "boundary load current", BOUNDARY_CONDITION),
    )
