"""What a wound component has to bear at every corner, ready for a search: cross-spectra of its currents, and its flux.

Harmonics are gathered in geometric bins as Re(I_j·I_k*)/2, which keeps losses within 0.1 % of those of all harmonics one by one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.operating.wound import Course
from jump_lane.switching.waveforms import fourier

Array = NDArray[np.float64]

HARMONICS, BINS = 200, 12
"""Harmonics followed, what lies above counting at the last; bins that they are gathered in."""


@dataclass(frozen=True)
class Burden:
    """Of all corners.

    Attributes
    ----------
    frequencies
        Of the bins [Hz], (b,), the first one for direct current.
    spectra
        P = Σ_b R_b : S_b, (c, b, w, w) [A²].
    courses
        Of the corners.
    """

    frequencies: Array
    spectra: Array
    courses: tuple[Course, ...]

    @property
    def rms(self) -> Array:
        """Rms current of every winding at every corner [A], (c, w)."""
        return np.asarray(np.sqrt(np.einsum("cbww->cw", self.spectra)))

    def copper(self, resistance: Array) -> Array:
        """Return the winding loss at every corner [W], (c,), for R of every bin, (b, w, w)."""
        return np.asarray(np.einsum("bij,cbij->c", resistance, self.spectra))


def burden_of(courses: Sequence[Course]) -> Burden:
    """Return the burden of a component from what it carries at every corner."""
    each = [_harmonics(course) for course in courses]
    low = min(f[0] for f, _, _ in each)
    high = max(f[-1] for f, _, _ in each)
    edges = np.geomspace(low * 0.999, high * 1.001, BINS + 1)
    w = len(courses[0].currents)
    spectra = np.zeros((len(courses), BINS + 1, w, w))
    weight, square = np.zeros(BINS), np.zeros(BINS)
    for c, (f, products, direct) in enumerate(each):
        spectra[c, 0] = np.outer(direct, direct)
        at = np.clip(np.searchsorted(edges, f) - 1, 0, BINS - 1)
        np.add.at(spectra[c], at + 1, products)
        power = np.einsum("hww->h", products)
        np.add.at(weight, at, power)
        np.add.at(square, at, power * f**2)
    middle = np.sqrt(edges[1:] * edges[:-1])
    found = np.sqrt(np.divide(square, weight, out=middle**2, where=weight > 0.0))
    used = np.concatenate([[True], weight > 0.0])
    return Burden(np.concatenate([[0.0], found])[used], spectra[:, used], tuple(courses))


def _harmonics(course: Course) -> tuple[Array, Array, Array]:
    """Return frequencies [Hz], Re(I_j·I_k*)/2 of every harmonic, and direct currents; the last one holds the remainder."""
    found = np.array([fourier((course.time, i), course.period, HARMONICS) for i in course.currents])
    direct, peaks = found[:, 0].real, found[:, 1:].T
    products = 0.5 * np.real(peaks[:, :, None] * peaks[:, None, :].conj())
    step = np.diff(course.time)
    a, b = course.currents[:, :-1], course.currents[:, 1:]
    mean = (
        np.einsum("it,jt,t->ij", a, a, step) + np.einsum("it,jt,t->ij", b, b, step)
        + 0.5 * (np.einsum("it,jt,t->ij", a, b, step) + np.einsum("it,jt,t->ij", b, a, step))
    ) / 3.0 / course.period  # fmt: skip
    rest = mean - np.outer(direct, direct) - products.sum(0)
    if np.all(np.linalg.eigvalsh(rest) > -1e-9 * np.trace(mean)):
        products[-1] += rest
    return np.arange(1, HARMONICS + 1) / course.period, products, direct
