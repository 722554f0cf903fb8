"""Two inductors that share one rectifier (SEPIC, Ćuk, Zeta), on one core or on two.

Both see the same voltages, V_1 while S1 conducts and V_2 reversed while the rectifier does; the sum of their
currents flows through S1 and then through the rectifier.
"""

from __future__ import annotations

from jump_lane.equations.sheet import WHOLE, Line
from jump_lane.topologies.blocks.duty import handed_over, lossy_duty, peak_ratio, ratio_left
from jump_lane.topologies.blocks.inductors import inductor
from jump_lane.topologies.blocks.sources import BOUNDARY_CONDITION, COUPLED, DEFINITION, MARGIN, VOLT_SECONDS, WITH_LOSSES, ZEROS
from jump_lane.topologies.page import ByTarget

RIPPLES = (("dI_1ask", "I_max*V_o/V_in"), ("dI_2ask", "I_max"))
"""Asked ripples: of the average input current in L1, of the load current in L2."""

ONE_CORE = {
    "k_T": "With both windings on one core, the ripple of C_s drives a current through the leakage that the formulas "
    "leave out: ripples are 1 to 4 % off in discontinuous conduction at 5 % of coupling_ripple."
}
"""What the formulas leave out."""


def pair_sizing(esr: str = "") -> tuple[Line | ByTarget, ...]:
    """Return duty ratio, and the sizing of L1 and L2: ripple of each, continuous conduction of the sum.

    Parameters
    ----------
    esr
        Further term of the energy balance, such as `` - R_Co`` where the output capacitor is charged by a
        rectifier.
    """
    return (
        Line("M", "V_o/V_in", "", "conversion ratio", DEFINITION),
        Line("D_i", "V_o/(V_in + V_o)", "", "duty ratio with ideal parts", VOLT_SECONDS),
        *lossy_duty(
            f"V_in + V_o + V_FD1 + (R_L1 + R_L2 - R_Cs{esr})*I_o",
            f"V_in + (R_S1 - R_D1 + 2*R_L1 - R_Cs{esr})*I_o - 2*t_d*f_s*V_BD1",
            "(R_S1 + R_L1)*I_o",
        ),
        *peak_ratio("R_L1 + R_S1"),
        Line("V_1c", "V_in - R_S1*I_c - R_L1*I_o*V_o/V_in", "V", "voltage of both inductors, S1 on", WITH_LOSSES),
        Line("c_T", "floor(k_T + 0.999999)", "", "1 with both windings on one core, else 0", DEFINITION),
        Line("L_r1", "V_1c*D_c/(f_s*dI_1ask)", "H", "inductance for the ripple asked of L1", VOLT_SECONDS),
        Line("L_r2", "V_1c*D_c/(f_s*dI_2ask)", "H", "inductance for the ripple asked of L2", VOLT_SECONDS),
        Line("L_n1", "max(L_r1, c_T*L_r2)/(1 + k_T)", "H", "inductance L1 needs for the ripple", COUPLED),
        Line("L_n2", "max(L_r2, c_T*L_r1)/(1 + k_T)", "H", "inductance L2 needs for the ripple", COUPLED),
        Line("L_crit", "V_1c*D_c*(1 - D_c)/(2*f_s*I_o)", "H", "critical inductance of both in parallel at the load", BOUNDARY_CONDITION),
        Line("L_full", "V_1c*D_c*(1 - D_c)/(2*f_s*I_max)", "H", "critical inductance of both in parallel at full load", BOUNDARY_CONDITION),
        _choice("L1", "L_n1", "L_n2"),
        _choice("L2", "L_n2", "L_n1"),
        Line("M_T", "k_T*sqrt(L1*L2)", "H", "mutual inductance", COUPLED),
        Line("L_e", "(L1*L2 - M_T**2)/(L1 + L2 - 2*M_T)", "H", "inductance of both in parallel", COUPLED),
        Line("I_B", "V_1c*D_c*(1 - D_c)/(2*f_s*L_e)", "A", "boundary load current", BOUNDARY_CONDITION),
        Line("K", "2*L_e*f_s/R_o", "", "conduction parameter", BOUNDARY_CONDITION, "min"),
        Line("K_crit", "(1 - D_i)**2", "", "conduction parameter at the boundary", BOUNDARY_CONDITION),
    )


def _choice(name: str, own: str, other: str) -> ByTarget:
    def line(text: str, meaning: str, worst: str = "max") -> Line:
        return Line(name, text, "H", f"inductance {name}: {meaning}", MARGIN, worst, component=True)

    share = f"(1 + {own}/{other})/(1 + k_T)"
    return ByTarget(
        {
            "continuous": line(f"(1 + m_L)*max({own}, L_crit*{share})", "ripple and continuous conduction, with margin"),
            "either": line(f"(1 + m_L)*{own}", "ripple as asked, with margin"),
            "boundary": line(f"L_full*{share}", "at the boundary at full load"),
            "discontinuous": line(f"L_full*{share}/(1 + m_L)", "discontinuous up to full load, with margin", "min"),
        }
    )


def pair_operation(off: str) -> tuple[Line, ...]:
    """Return the operation of both inductors.

    Parameters
    ----------
    off
        Formula of the voltage V_2 that both see, reversed, while the rectifier conducts.
    """
    return (
        Line("I_1x", "I_o*V_o/V_in", "A", "current of L1 that sets the drops", VOLT_SECONDS),
        *handed_over("V_in - R_S1*I_x - R_L1*I_1x", off, "V_o + V_FD1", "L_e"),
        Line("dI_L1", "V_1*D_1*(L2 - M_T)/(f_s*(L1*L2 - M_T**2))", "A", "ripple of L1, peak to peak", COUPLED),
        Line("dI_L2", "V_1*D_1*(L1 - M_T)/(f_s*(L1*L2 - M_T**2))", "A", "ripple of L2, peak to peak", COUPLED),
        ratio_left("D/(1 - D)"),
        Line(
            "f_z",
            "D_2**2*R_o/(2*pi*D_1*(D_1*L1 + D_2*M_T))",
            "Hz",
            "right-half-plane zero, below the resonance of C_s",
            ZEROS,
            "min",
            modes=WHOLE,
        ),
        *inductor("L1", "D_1*I_m", "dI_L1", "D_1 + D_2"),
        *inductor("L2", "I_o", "dI_L2", "D_1 + D_2"),
    )
