"""Capacitor losses harmonic by harmonic: the series resistance depends on frequency."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jump_lane.catalogue.kinds import Capacitor as CapacitorPart
from jump_lane.design.components import current_of
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.stage import Stage
from jump_lane.quantities import show
from jump_lane.switching.waveforms import Array

FREQUENCY, OUTSIDE = "series resistance, harmonics", "series resistance, input"


def series_resistance(stage: Stage, temperatures: dict[str, float]) -> Iterator[Entry]:
    """Yield what the harmonics cost beside R·I_rms² of the simulated circuit.

    Notes
    -----
    Σ ESR(n·f_s, T)·I_n² less the simulated loss, which takes the resistance at f_s for all harmonics; the
    difference may be negative.  The input capacitor is not in the simulated circuit: it carries the ripple of the
    source current (N. Mohan, T. M. Undeland and W. P. Robbins 2003, chapter 30).
    """
    for component in stage.of("capacitor"):
        part, signal = component.part, current_of(component)
        temperature = temperatures.get(component.name, stage.spec.thermal.unknown)
        known = part.resistances_of(stage.harmonics, temperature) if isinstance(part, CapacitorPart) else None
        if not isinstance(part, CapacitorPart) or known is None:
            cost = f"every 1 mΩ costs {show(1e-3 * stage.alternating(signal), 'W')}"
            yield Gap(component.name, "resistance", "the capacitor has no series resistance", cost)
        elif not component.elements:
            yield Loss(
                component.name, OUTSIDE, _lost(stage, signal, known) / component.pieces, heats=component.name
            )
        elif part.resistance_frequency is not None:
            at_once = stage.point.values[f"R_{component.role.replace('_', '')}"] * stage.alternating(signal)
            whole = _lost(stage, signal, known) / component.pieces
            yield Loss(component.name, FREQUENCY, whole - at_once, heats=component.name)


def _lost(stage: Stage, signal: str, resistances: Array) -> float:
    return float(np.sum(resistances * stage.spectrum(signal)))
