"""The simulated power stage with its parts, and what is read off it."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from jump_lane.design.components import Component
from jump_lane.design.derive import Design
from jump_lane.judge.stress import DISCHARGED
from jump_lane.switching.record import Edge, Recording
from jump_lane.switching.waveforms import Array, Measures
from jump_lane.topologies.point import Point

HARMONICS = 40
"""Harmonics that are followed one by one; what lies above counts at the highest of them."""

SILENT = 1e-6
"""Part of the largest current or voltage below which none flows or stands."""


class Stage:
    """A design at one operating point, its recording, and every component that can lose power."""

    def __init__(
        self, design: Design, point: Point, recording: Recording, components: tuple[Component, ...]
    ) -> None:
        self.components = components
        self.design = design
        self.point = point
        self.recording = recording
        self.spec = design.spec
        self.frequency = 1.0 / recording.period
        self._index = {name: i for i, name in enumerate(recording.names)}

    def of(self, *kinds: str) -> list[Component]:
        """Return the components of some kinds."""
        return [c for c in self.components if c.kind in kinds]

    def measures(self, signal: str) -> Measures:
        """Return what is read off a signal."""
        return self.recording.measures(signal)

    def at(self, edge: Edge, signal: str) -> tuple[float, float]:
        """Return a signal just before and just after an edge; 0 where there is no such signal."""
        if signal not in self._index:
            return 0.0, 0.0
        i = self._index[signal]
        return float(edge.before[i]), float(edge.after[i])

    def discharge(self, component: Component) -> float:
        """Return how long a capacitance that the circuit has beside a switch discharges at turn-on [s], 0 without one.

        Only the channel limits that current; after 20 time constants of both capacitances at the node it is over.
        """
        if f"C_{component.name}.i" not in self._index:
            return 0.0
        tag = component.role.replace("_", "")
        return DISCHARGED * self.point[f"R_{tag}"] * self.point[f"C_{tag}"]

    def samples(self, signal: str) -> tuple[Array, Array]:
        """Return instants and samples of a signal over one period."""
        wave = self.recording.waveforms((signal,), 100)
        return wave.time, wave.signals[signal]

    @cached_property
    def harmonics(self) -> Array:
        """Frequencies of the harmonics that are followed [Hz]."""
        return self.frequency * np.arange(1.0, HARMONICS + 1.0)

    def alternating(self, signal: str) -> float:
        """Return the squared rms value of a signal without its average."""
        return self.measures(signal).ac_rms ** 2

    def spectrum(self, signal: str) -> Array:
        """Return the squared rms values of the harmonics of a signal.

        The last one holds all that lies above `HARMONICS` as well.
        """
        from jump_lane.switching.waveforms import fourier

        amplitudes = fourier(self.samples(signal), self.recording.period, HARMONICS)[1:]
        squares: Array = np.abs(amplitudes) ** 2 / 2.0
        squares[-1] += max(self.alternating(signal) - float(squares.sum()), 0.0)
        return squares
