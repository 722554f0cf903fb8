"""How warm a wound component gets in still air, standing on a board.

Against R = 53·V_e^−0.54 (cm³, K/W): median ratio 0.8, range 0.68 to 1.07; ±25 % are to be allowed.

References
----------
W. H. McAdams, "Heat Transmission", 3rd edition, 1954 (free convection: h = 1.42·(ΔT/L)^¼).
"""

from __future__ import annotations

from jump_lane.catalogue.magnetic import Core

EMISSIVITY, BOLTZMANN = 0.9, 5.670374419e-8
CONVECTION = 1.42
"""W/(m²·K) at 1 K over 1 m."""

HEADS = 1.6
"""How far both winding heads together stand out of the core, in widths of the window: it is filled to four fifths."""

CONDUCTIVITY = 0.3
"""Of a winding across its layers [W/(m·K)]; 0.2 to 0.5 are usual."""

ABSOLUTE = 273.15


def surface(core: Core) -> float:
    """Return the surface that gives heat off [m²]: that of the block around core and winding heads, without its foot."""
    w, d, h = core.width, max(core.depth, core.leg_depth + HEADS * core.window_width), core.height
    return 2.0 * h * (w + d) + w * d


def dissipated(core: Core, rise: float, ambient: float) -> float:
    """Return what a surface gives off [W] when it is warmer than the air by so much [K]."""
    if rise <= 0.0:
        return 0.0
    hot, cold = ambient + rise + ABSOLUTE, ambient + ABSOLUTE
    convection = CONVECTION * (rise / core.height) ** 0.25 * rise
    radiation = EMISSIVITY * BOLTZMANN * (hot**4 - cold**4)
    return float(surface(core) * (convection + radiation))


def rise_of(core: Core, power: float, ambient: float) -> float:
    """Return how much warmer than the air a surface gets [K] that gives off a power [W]."""
    from scipy.optimize import brentq

    if power <= 0.0:
        return 0.0
    high = 10.0
    while dissipated(core, high, ambient) < power:
        high *= 2.0
    return float(brentq(lambda r: dissipated(core, r, ambient) - power, 0.0, high, xtol=1e-6))


def hot_spot(core: Core, copper: float, build: float) -> float:
    """Return how much warmer than its surface the middle of a winding is [K]: P·build/(2·k·A)."""
    around = 2.0 * (core.leg_width + core.leg_depth) + 4.0 * build
    area = max(core.window_height * around, 1e-9)
    return copper * build / (2.0 * CONDUCTIVITY * area)
