"""Two inductors that share one rectifier (SEPIC, Ćuk, Zeta), on one core or on two, behind a transformer or without.

Both see the same voltages, V_on while S1 conducts and V_off reversed while the rectifier does; the sum of their
currents flows through S1 and then through the rectifier.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from jump_lane.equations.sheet import WHOLE, Line
from jump_lane.topologies.blocks import coil
from jump_lane.topologies.blocks.shape import Shape, times, triangle
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, COUPLED, KIRCHHOFF, VOLT_SECONDS, ZEROS
from jump_lane.topologies.page import Ripple
from jump_lane.topologies.variant import Variant

RIPPLES = (Ripple("L1", "I_max*V_o/V_in", "dI_1ask"), Ripple("L2", "I_max", "dI_2ask"))
"""Ripples that may be asked: of the average input current in L1, of the load current in L2."""

ONE_CORE = {
    "k_T": "With both windings on one core, the ripple of C_s drives a current through the leakage that the formulas "
    "leave out: ripples are 1 to 4 % off in discontinuous conduction at 5 % of coupling_ripple."
}
"""What the formulas leave out."""

SUM = triangle("I_v", "I_pk", "D", "D_2")
"""The sum of both currents, which S1 and then the rectifier carry."""


@dataclass(frozen=True)
class Output:
    """The output as both inductors see it, by formulas, and the second inductor.

    Attributes
    ----------
    voltage, load, full, resistance
        Its voltage, load current, full load, load resistance.
    drop, series
        Forward voltage of the rectifier; resistances in series with L1, with S1, with L2, with the rectifier.
    second
        Symbol of the second inductance, as it is seen.
    turns
        Symbol of the turns ratio behind which it is L2; empty where it is on this side.
    """

    voltage: str = "V_o"
    load: str = "I_o"
    full: str = "I_max"
    resistance: str = "R_o"
    drop: str = "V_FD1"
    rectifier: str = "R_D1"
    winding: str = "R_L2"
    coupling: str = "R_Cs"
    second: str = "L2"
    turns: str = ""


PLAIN = Output()


def sizing(v: Variant, output: Output = PLAIN, esr: str = "", third: Line | None = None) -> tuple[Line, ...]:
    """Return duty ratio, and the sizing of L1 and of the second inductor: ripple of each, continuous conduction of the sum.

    Parameters
    ----------
    esr
        What is added to the resistance of the coupling capacitor: that of an output capacitor which a rectifier charges.
    third
        The choice of an inductance in parallel with both.
    """
    o = output
    through = f"({o.coupling}{f' + {esr}' if esr else ''})"
    alone = f"V_on*D_c*(1 - D_c)/(2*f_s*{o.load})"
    return (
        coil.ratio(),
        coil.ideal(f"{o.voltage}/(V_in + {o.voltage})"),
        *coil.lossy_duty(
            f"V_in + {o.voltage} + {o.drop} + (R_L1 + {o.winding} - {through})*{o.load}",
            f"V_in + (R_S1 - {o.rectifier} + 2*R_L1 - {through})*{o.load}",
            f"(R_S1 + R_L1)*{o.load}",
            o.load,
        ),
        *coil.peak_ratio("R_L1 + R_S1", o.resistance),
        *coil.volts(
            f"V_in - R_S1*I_c - R_L1*{o.load}*{o.voltage}/V_in", f"{o.voltage} + {o.drop} + {o.rectifier}*I_c + {o.winding}*{o.load}"
        ),
        Line("L_r1", "V_on*D_c/(f_s*dI_1ask)", "H", "inductance for the ripple asked of L1", VOLT_SECONDS),
        Line("L_r2", times(o.turns, "V_on*D_c/(f_s*dI_2ask)"), "H", f"inductance for the ripple asked of {o.second}", VOLT_SECONDS),
        *_needed(v, o),
        Line("L_crit", alone, "H", "critical inductance of both in parallel at the load", BOUNDARY_CONDITION),
        Line("L_full", f"V_on*D_c*(1 - D_c)/(2*f_s*{o.full})", "H", "the same at full load", BOUNDARY_CONDITION),
        *_choices(v, o, third),
        *_parallel(v, o, third),
        Line("K", f"2*L_e*f_s/({o.resistance})", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
    )


def _needed(v: Variant, o: Output) -> tuple[Line, ...]:
    """Return what each inductor needs for the ripple; windings on one core share theirs."""
    both = "max(L_r1, L_r2)/(1 + k_T)"
    return (
        Line("L_n1", both if v.one_core else "L_r1", "H", "inductance L1 needs for the ripple", COUPLED),
        Line("L_n2", both if v.one_core else "L_r2", "H", f"inductance {o.second} needs for the ripple", COUPLED),
    )


def _choices(v: Variant, o: Output, third: Line | None) -> tuple[Line, ...]:
    def choice(name: str, own: str, other: str, turns: str = "") -> Line:
        share = f"(1 + {own}/{other})" + ("/(1 + k_T)" if v.one_core else "")
        texts = (own, f"L_crit*{share}", f"L_full*{share}")
        return coil.chosen(v, name, *(f"{text}/{turns}**2" if turns else text for text in texts))

    first, further = choice("L1", "L_n1", "L_n2"), () if third is None else (third,)
    if not o.turns:
        return first, choice(o.second, "L_n2", "L_n1"), *further
    seen = Line(o.second, f"{o.turns}**2*L2", "H", "inductance L2 as the primary sees it", KIRCHHOFF)
    return first, choice("L2", "L_n2", "L_n1", o.turns), seen, *further


def _parallel(v: Variant, o: Output, third: Line | None) -> tuple[Line, ...]:
    boundary = "V_on*D_c*(1 - D_c)/(2*f_s*L_e)"
    if v.one_core:
        text = f"(L1*{o.second} - M_T**2)/(L1 + {o.second} - 2*M_T)"
        core: tuple[Line, ...] = (Line("M_T", f"k_T*sqrt(L1*{o.second})", "H", "mutual inductance", COUPLED),)
    else:
        text = f"1/(1/L1 + 1/{o.second}" + (f" + 1/{third.symbol})" if third else ")")
        core = ()
    load = f"{boundary}*I_o/{o.load}" if o.load != "I_o" else boundary
    return (
        *core,
        Line("L_e", text, "H", "inductance of all in parallel", COUPLED),
        Line("I_B", load, "A", "boundary load current", BOUNDARY_CONDITION),
    )


def operation(v: Variant, output: Output = PLAIN, load: str = "", lost: str = "", third: str = "") -> tuple[Line, ...]:
    """Return the operation of both inductors.

    Parameters
    ----------
    load
        Formula of what both hand over, where a clamp takes part of it.
    lost
        Formula of what the clamp takes.
    third
        The inductance that is in parallel with both.
    """
    o, two = output, output.second
    x = two.replace("_", "")
    handed = load or o.load
    swings = (coil.swing("L1", "V_on*D"), coil.swing(two, "V_on*D"))
    zero = f"D_2**2*{o.resistance}/(2*pi*D*D*L1)"
    if v.one_core:
        square = f"(L1*{two} - M_T**2)"
        swings = (
            coil.swing("L1", f"V_on*D*(1 - M_T/{two})", inductance=f"({square}/{two})"),
            coil.swing(two, "V_on*D*(1 - M_T/L1)", inductance=f"({square}/L1)"),
        )
        zero = f"D_2**2*{o.resistance}/(2*pi*D*(D*L1 + D_2*M_T))"
    average = f"{handed}*D/D_2" + (f" + {lost}" if lost else "")
    swing = "ripple of the magnetising current, peak to peak"
    beside = (Line(f"dI_{third.replace('_', '')}", f"V_on*D/(f_s*{third})", "A", swing, VOLT_SECONDS),) if third else ()
    swung = f" {{}} dI_{third.replace('_', '')}/2" if third else ""
    other = (swings[1], *coil.carried(two, o.load))
    return (
        *coil.handed_over("L_e", handed)[:-1],
        swings[0],
        Line("f_z", zero, "Hz", "right-half-plane zero, below the resonance of C_s", ZEROS, "min", modes=WHOLE),
        *coil.carried("L1", average),
        *(replace(line, proof=None) if o.turns else line for line in other),
        *beside,
        Line("I_pk", f"I_L1pk + I_{x}pk{swung.format('+')}", "A", "peak of the current handed over", KIRCHHOFF),
        Line("I_v", f"I_L1v + I_{x}v{swung.format('-')}", "A", "valley of the current handed over", KIRCHHOFF, "min"),
        coil.ratio_left("D/(1 - D)"),
    )


def through(second: str = "L2", beside: str = "") -> Shape:
    """Return the current of the coupling capacitor: that of the second inductor while S1 conducts, of L1 otherwise.

    ``beside`` is the symbol of the ripple of an inductance in parallel.
    """
    x, more = second.replace("_", ""), f"{beside}/2" if beside else "0"
    idle = "max(1 - D - D_2, 0)"
    return Shape((("D", f"-I_{x}v + {more}", f"-I_{x}pk - {more}"), ("D_2", "I_L1pk", "I_L1v"), (idle, "I_L1v", "I_L1v")))


def swing(capacitor: str = "C_s", second: str = "L2") -> str:
    """Return the formula of what the coupling capacitor's resistance adds to its ripple."""
    return f"R_{capacitor.replace('_', '')}*(max(I_L1v, 0) + I_{second.replace('_', '')}pk)"
