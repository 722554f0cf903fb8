"""What switches and rectifiers bear."""

from __future__ import annotations

from collections.abc import Mapping

from jump_lane.derivation import Line
from jump_lane.topologies.blocks.sources import (
    KIRCHHOFF,
    MARGIN,
    RMS_VALUES,
)


def device(
    name: str, fraction: str, middle: str, ripple: str, blocks: str | Mapping[str, str], noun: str = "switch"
) -> tuple[Line, ...]:
    """Return average, rms, peak and blocking stress of a device, and the ratings it should have.

    Parameters
    ----------
    fraction
        Formula of the part of the period in which it conducts a current that slopes by ``ripple`` about
        ``middle``.
    blocks
        Formula of the voltage it blocks, or one for each conduction mode.
    """
    return (
        Line(f"I_{name}", f"({fraction})*{middle}", "A", f"average current of {noun} {name}", RMS_VALUES),
        Line(
            f"I_{name}rms",
            f"sqrt(({fraction})*({middle}**2 + {ripple}**2/12))",
            "A",
            f"rms current of {noun} {name}",
            RMS_VALUES,
        ),
        Line(f"I_{name}pk", f"{middle} + {ripple}/2", "A", f"peak current of {noun} {name}", KIRCHHOFF),
        Line(f"V_{name}", blocks, "V", f"voltage that {noun} {name} blocks", KIRCHHOFF),
        Line(f"V_{name}r", f"(1 + m_V)*V_{name}", "V", f"voltage rating {name} should have", MARGIN),
        Line(f"I_{name}r", f"(1 + m_I)*I_{name}pk", "A", f"peak current rating {name} should have", MARGIN),
    )
