"""Temperatures and losses solved together; thermal runaway is told, not iterated into."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jump_lane.errors import NoResultError, RunawayError
from jump_lane.switching.waveforms import Array

TOLERANCE = 1e-9
"""Temperature difference at which the solution counts as found [K]."""


@dataclass(frozen=True)
class Network:
    """Thermal resistances between components and ambient.

    Attributes
    ----------
    names
        Components, (k,).
    resistance
        Temperature rise of each per watt in each, (k, k) [K/W]; off the diagonal what shared sinks do.
    ambient
        Ambient temperature [°C].
    """

    names: tuple[str, ...]
    resistance: Array
    ambient: float


def solve(network: Network, heat: Callable[[Array], Array], start: Array | None = None) -> Array:
    """Return the temperatures at which losses and cooling balance, (k,) [°C].

    Parameters
    ----------
    heat
        Loss of every component [W], (k,), at their temperatures [°C], (k,); each depends on its own alone.
    start
        Where to start; ambient if not given, from where the stable solution is reached first.

    Raises
    ------
    RunawayError
        If there is no stable solution: somewhere on the way every further kelvin brings more loss than it
        carries off.

    Notes
    -----
    T = T_a + R·P(T) by Newton's method.  With P linear in T, P = P₀·(1 + α·(T − T₀)), and one component:
    T − T_a = R·P₀·(1 + α·(T_a − T₀))/(1 − α·R·P₀), stable for α·R·P₀ < 1; for several, the largest eigenvalue of
    R·∂P/∂T has to stay below 1.

    References
    ----------
    N. Mohan, T. M. Undeland and W. P. Robbins 2003, chapter 29 (thermal resistances).
    """
    count = len(network.names)
    temperatures = np.full(count, network.ambient) if start is None else np.array(start, dtype=np.float64)
    for _ in range(60):
        slope = _slopes(heat, temperatures)
        gain = network.resistance @ slope
        if count and float(np.max(np.linalg.eigvals(gain).real)) >= 1.0 - 1e-12:
            raise _runaway(network, gain, temperatures)
        gap = network.ambient + network.resistance @ heat(temperatures) - temperatures
        step = np.linalg.solve(np.eye(count) - gain, gap)
        temperatures = temperatures + step
        if count == 0 or float(np.abs(step).max()) < TOLERANCE:
            return temperatures
        if not np.all(np.isfinite(temperatures)):
            raise _runaway(network, gain, temperatures)
    raise NoResultError("temperatures and losses do not settle")


def feedback(network: Network, heat: Callable[[Array], Array], temperatures: Array) -> float:
    """Return what part of a kelvin every further kelvin brings back: the largest eigenvalue of R·∂P/∂T; runaway is at 1.

    Parameters
    ----------
    heat, temperatures
        As in `solve`; where the losses and cooling balance, (k,) [°C].
    """
    if not network.names:
        return 0.0
    return float(np.max(np.linalg.eigvals(network.resistance @ _slopes(heat, temperatures)).real))


def _slopes(heat: Callable[[Array], Array], temperatures: Array) -> Array:
    """Return ∂P/∂T, (k, k), by central differences of one kelvin."""
    return np.diag(heat(temperatures + 0.5) - heat(temperatures - 0.5))


def _runaway(network: Network, gain: Array, temperatures: Array) -> RunawayError:
    worst = int(np.argmax(np.diag(gain)))
    share = 100.0 * float(gain[worst, worst])
    return RunawayError(
        f"thermal runaway: at {temperatures[worst]:.0f} °C every kelvin more brings {share:.0f} % of a kelvin "
        f"back through the losses of {network.names[worst]}; a lower thermal resistance or less loss is needed"
    )
