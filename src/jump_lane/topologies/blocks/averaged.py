"""Averaged small-signal models: how the output answers the duty ratio, as textbooks have it.

The response is G_0·(1 + s/ω_esr)·(1 − s/ω_rhp)/(1 + s/(Q·ω_0) + s²/ω_0²) in continuous, and G_0·(1 + s/ω_esr)/(1 + s/ω_p) in
discontinuous conduction.
"""

from __future__ import annotations

from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, WHOLE, Line

MODEL = "Erickson/Maksimović 2020, chapters 8 and 11: averaged switch model"
ESR = Line("f_esr", "1/(2*pi*R_Co*C_o)", "Hz", "zero of the output capacitor's resistance", MODEL)


def filtered(resistance: str) -> tuple[Line, ...]:
    """Return the model of a converter whose inductor feeds the output: ``resistance`` is that in its way."""
    return (
        Line("r_a", resistance, "Ω", "average resistance in the way of the inductor current", MODEL),
        Line(
            "G_0",
            {CONTINUOUS: "(V_in + V_FD1)/(1 + r_a/R_o)", DISCONTINUOUS: "2*V_o/D*(1 - M)/(2 - M)"},
            "V",
            "output per duty ratio at low frequency",
            MODEL,
        ),
        Line("f_0", "sqrt((1 + r_a/R_o)/(L*C_o*(1 + R_Co/R_o)))/(2*pi)", "Hz", "resonance", MODEL, modes=WHOLE),
        Line("Q_0", "(1 + r_a/R_o)/(2*pi*f_0*(L/R_o + C_o*(r_a + R_Co*(1 + r_a/R_o))))", "", "its quality", MODEL, modes=WHOLE),
        Line("f_p", "(2 - M)/((1 - M)*2*pi*R_o*C_o)", "Hz", "pole", MODEL, modes=(DISCONTINUOUS,)),
        ESR,
    )


def handed(gain: str, zero: str, gain_dcm: str, pole: str, inductance: str = "L") -> tuple[Line, ...]:
    """Return the model of a converter whose inductor hands its current over to the output while the switch is off.

    Parameters
    ----------
    gain, gain_dcm
        Output per duty ratio at low frequency in continuous and discontinuous conduction.
    zero
        Right-half-plane zero.
    pole
        Pole in discontinuous conduction.
    inductance
        The inductance as the output sees it.
    """
    loss = "((R_L + D*R_S1)/(1 - D)**2 + R_D1/(1 - D))"
    if inductance != "L":
        loss = "((R_pT + D*R_S1)/n**2/(1 - D)**2 + (R_D1 + R_sT)/(1 - D))"
    return (
        Line("r_a", loss, "Ω", "average resistance in the way of the current handed over, seen at the output", MODEL),
        Line("G_0", {CONTINUOUS: gain, DISCONTINUOUS: gain_dcm}, "V", "output per duty ratio at low frequency", MODEL),
        Line("f_0", f"(1 - D)*sqrt((1 + r_a/R_o)/(({inductance})*C_o))/(2*pi)", "Hz", "resonance", MODEL, modes=WHOLE),
        Line(
            "Q_0", f"(1 + r_a/R_o)/(2*pi*f_0*(({inductance})/((1 - D)**2*R_o) + C_o*(r_a + R_Co)))", "", "its quality", MODEL, modes=WHOLE
        ),
        Line("f_rhp", zero, "Hz", "right-half-plane zero", MODEL, modes=WHOLE),
        Line("f_p", pole, "Hz", "pole", MODEL, modes=(DISCONTINUOUS,)),
        ESR,
    )
