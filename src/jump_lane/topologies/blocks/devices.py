"""What switches and rectifiers bear."""

from __future__ import annotations

from collections.abc import Mapping

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.ramps import root_mean_square
from jump_lane.topologies.blocks.sources import KIRCHHOFF, MARGIN, RMS_VALUES


def device(name: str, fraction: str, middle: str, ripple: str, blocks: str | Mapping[str, str], noun: str = "switch") -> tuple[Line, ...]:
    """Return average, rms, peak and blocking stress of a device, and the ratings it should have.

    Parameters
    ----------
    fraction
        Formula of the part of the period in which it conducts a current that slopes by ``ripple`` about
        ``middle``.
    blocks
        Formula of the voltage it blocks, or one for each conduction mode.
    """
    return stresses(
        name, f"({fraction})*{middle}", f"sqrt(({fraction})*({middle}**2 + {ripple}**2/12))", f"{middle} + {ripple}/2", blocks, noun
    )


def ramped_device(
    name: str, fraction: str, first: str, last: str, blocks: str | Mapping[str, str], up: str = "0", down: str = "0", noun: str = "switch"
) -> tuple[Line, ...]:
    """Return the stresses of a device whose current rises straight to ``first`` and in the end falls from ``last``.

    Parameters
    ----------
    fraction
        Formula of the part of the period between the two, in which the current changes from one to the other.
    first, last
        Formulas of these currents.
    up, down
        Formulas of the parts of the period in which the current rises and falls.
    """
    rms = root_mean_square((f"({fraction})", first, last), (up, "0", first), (down, last, "0"))
    average = f"({fraction} + {up})*{first}/2 + ({fraction} + {down})*{last}/2"
    return stresses(name, average, rms, f"max({first}, {last})", blocks, noun)


def with_spike(name: str, noun: str = "switch") -> Line:
    """Return the rating of a device that no clamp protects from the spike of a leakage inductance."""
    meaning = f"voltage rating of {noun} {name} with the spike of leakage"
    return Line(f"V_{name}s", f"(1 + m_sp)*V_{name}r", "V", meaning, MARGIN)


def stresses(
    name: str, average: str, rms: str | Mapping[str, str], peak: str, blocks: str | Mapping[str, str], noun: str = "switch"
) -> tuple[Line, ...]:
    """Return the stresses of a device from their formulas, and the ratings it should have."""
    return (
        Line(f"I_{name}", average, "A", f"average current of {noun} {name}", RMS_VALUES),
        Line(f"I_{name}rms", rms, "A", f"rms current of {noun} {name}", RMS_VALUES),
        Line(f"I_{name}pk", peak, "A", f"peak current of {noun} {name}", KIRCHHOFF),
        Line(f"V_{name}", blocks, "V", f"voltage that {noun} {name} blocks", KIRCHHOFF),
        Line(f"V_{name}r", f"(1 + m_V)*V_{name}", "V", f"voltage rating {name} should have", MARGIN),
        Line(f"I_{name}r", f"(1 + m_I)*I_{name}pk", "A", f"peak current rating {name} should have", MARGIN),
    )
