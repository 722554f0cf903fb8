"""What switches, rectifiers and windings bear."""

from __future__ import annotations

from jump_lane.equations.sheet import Line, Proof
from jump_lane.topologies.blocks.shape import Shape
from jump_lane.topologies.blocks.sources import KIRCHHOFF, MARGIN, RMS_VALUES

USUAL = 0.02
"""Accuracy of a device's currents where its page claims to hold."""

ALL, CURRENTS, EFFECTIVE = "average rms peak blocked", "average rms peak", "rms"
"""What a simulated period shows of a device; where its output capacitance discharges through it, its rms current alone."""


def stress(
    name: str, carries: Shape, blocks: str | dict[str, str], spike: bool = False, within: float = USUAL, shows: str = ALL
) -> tuple[Line, ...]:
    """Return average, rms and peak current and blocked voltage of a device, and the ratings it should have.

    Parameters
    ----------
    blocks
        Formula of the voltage it blocks, or one for each conduction mode.
    spike
        Whether no clamp protects it from the spike of a leakage inductance.
    shows
        Which of average, rms, peak and blocked a simulated period shows: not how two open switches share a voltage, say.
    """
    lines = stresses(name, carries.average, carries.rms, carries.peak, blocks, within, shows)
    x = name.replace("_", "")
    return (
        (*lines, Line(f"V_{x}s", f"(1 + m_sp)*V_{x}r", "V", f"voltage rating of {name} with the spike of leakage", MARGIN))
        if spike
        else lines
    )


def stresses(
    name: str, average: str, rms: str, peak: str, blocks: str | dict[str, str], within: float = USUAL, shows: str = ALL
) -> tuple[Line, ...]:
    """Return the same from formulas of what the device carries; see `stress`."""
    x = name.replace("_", "")
    signal, top = f"{name}.i", f"I_{x}pk"

    def proof(which: str, of: str, measure: str, scale: str = "") -> Proof | None:
        return Proof(of, measure, within, scale) if which in shows else None

    blocked = "maximum" if name.startswith("S") else "reverse"
    return (
        Line(f"I_{x}", average, "A", f"average current of {name}", RMS_VALUES, proof=proof("average", signal, "average", top)),
        Line(f"I_{x}rms", rms, "A", f"rms current of {name}", RMS_VALUES, proof=proof("rms", signal, "rms", top)),
        Line(top, peak, "A", f"peak current of {name}", KIRCHHOFF, proof=proof("peak", signal, "maximum")),
        Line(f"V_{x}", blocks, "V", f"voltage that {name} blocks", KIRCHHOFF, proof=proof("blocked", f"{name}.v", blocked)),
        Line(f"V_{x}r", f"(1 + m_V)*V_{x}", "V", f"voltage rating {name} should have", MARGIN),
        Line(f"I_{x}r", f"(1 + m_I)*{top}", "A", f"peak current rating {name} should have", MARGIN),
    )


def winding(name: str, average: str, rms: str) -> tuple[Line, ...]:
    """Return average and rms current of a winding, from formulas."""
    return (
        Line(f"I_{name}", average, "A", f"average current of winding {name}", KIRCHHOFF),
        Line(f"I_{name}rms", rms, "A", f"rms current of winding {name}", RMS_VALUES),
    )
