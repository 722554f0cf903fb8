"""A loop drawn: gain and phase with crossover and margins, in the plane, its multipliers, and a load step."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jump_lane.control.analogue import Analogue
from jump_lane.control.averaged import averaged
from jump_lane.control.design import LoopDesign
from jump_lane.control.journey import HELD, Journey
from jump_lane.control.loops import Closed, Proof
from jump_lane.control.ripple import Ripple
from jump_lane.quantities import show
from jump_lane.report.bode import Bode
from jump_lane.report.figures import COLOURS, INK, dress, prefixed, sheet

ASKED = "#f2ddd3"
"""Where margins are too small."""

LATE = 0.1
"""Words about a crossover above this part of the highest frequency stand to its left."""

POINTS, FROM, UP_TO = 500, 1e-4, 0.499
"""Frequencies drawn, over the switching frequency."""


def loop_figure(found: LoopDesign, closed: Closed, step: Journey | None) -> Any:
    """Draw gain and phase with crossover, margins and what is asked; Nyquist plot, multipliers, and a load step."""
    stage = found.nominal
    figure = sheet(f"{found.design.title}: the loop at {stage.words}")
    if not closed.clocked:
        _circle(figure.add_axes((0.075, 0.2, 0.34, 0.58)), closed)
        if step is not None:
            _step(figure.add_axes((0.52, 0.2, 0.44, 0.58)), step)
        return figure
    f = np.geomspace(max(FROM * closed.sampling, 1.0), UP_TO * closed.sampling, POINTS)
    gain = closed.gain(f)
    _bode(Bode(figure, 0.075, 0.505), found, f, gain)
    _nyquist(figure.add_axes((0.655, 0.59, 0.2, 0.32)), gain)
    _circle(figure.add_axes((0.655, 0.345, 0.13, 0.18)), closed)
    if step is not None:
        _step(figure.add_axes((0.655, 0.08, 0.32, 0.19)), step)
    return figure


def _bode(bode: Bode, found: LoopDesign, f: NDArray[np.float64], gain: NDArray[np.complex128]) -> None:
    assert not isinstance(found.loop, Ripple)
    stage, proof, loop = found.nominal, found.middle, found.loop.loop
    bode.draw(f, gain, 90.0, color=COLOURS[0], lw=1.7, label="loop, exact")
    bode.draw(f, found.loop.plant(stage)(f), 180.0, color=COLOURS[1], lw=1.2, label="power stage, exact")
    model = None if proof is None else averaged(stage, proof.mode)
    if model is not None and isinstance(found.loop, Analogue) and not found.loop.nested:
        averages = model.gain(f) / found.loop.ramp(stage.v_in)
        bode.draw(f, averages, 180.0, color=INK, lw=0.9, ls="--", label="power stage, averaged model")
    if proof is not None:
        _margins(bode, proof, float(f[-1]))
    bode.gain.axhspan(-loop.gain_margin, 0.0, color=ASKED, zorder=0, lw=0, label="gain margin asked")
    bode.phase.axhspan(
        -180.0, -180.0 + loop.phase_margin, color=ASKED, zorder=0, lw=0, label="phase margin asked"
    )
    bode.finish(f)
    for axes in (bode.gain, bode.phase):
        axes.legend(loc="lower left", fontsize=8, frameon=False)


def _margins(bode: Bode, proof: Proof, f_end: float) -> None:
    """Mark where the gain crosses 1 for the last time, and where the phase first is half a turn."""
    for f_c, margin in proof.margins.crossovers[-1:]:
        for axes in (bode.gain, bode.phase):
            axes.axvline(f_c, color=INK, lw=0.7, ls=":")
        off = (-6 if f_c > LATE * f_end else 6, 8)
        _words(bode.gain, f"crossover {show(f_c, 'Hz')}", (f_c, 0.0), off)
        _words(bode.phase, f"phase margin {margin:.1f}°", (f_c, -180.0 + margin), off)
        bode.phase.plot([f_c, f_c], [-180.0, -180.0 + margin], color=COLOURS[2], lw=2.4)
    for f_x, margin in proof.margins.crossings[:1]:
        bode.gain.plot([f_x, f_x], [-margin, 0.0], color=COLOURS[2], lw=2.4)
        _words(bode.gain, f"gain margin {margin:.1f} dB", (f_x, -margin), (-6, -18))


def _words(axes: Any, words: str, at: tuple[float, float], off: tuple[int, int]) -> None:
    side = "left" if off[0] > 0 else "right"
    axes.annotate(words, at, xytext=off, textcoords="offset points", fontsize=9, color=INK, ha=side)


def _nyquist(axes: Any, gain: NDArray[np.complex128]) -> None:
    dress(axes)
    axes.plot(gain.real, gain.imag, color=COLOURS[0], lw=1.4)
    turn = np.linspace(0.0, 2.0 * math.pi, 200)
    axes.plot(np.cos(turn), np.sin(turn), color=INK, lw=0.6, ls=":")
    axes.plot([-1.0], [0.0], "+", color=COLOURS[2], ms=10, mew=2)
    axes.set_xlim(-2.2, 1.2)
    axes.set_ylim(-2.2, 1.2)
    axes.set_aspect("equal")
    axes.set_title("loop gain in the plane; −1 marked", fontsize=9, color=INK, loc="left")


def _circle(axes: Any, closed: Closed) -> None:
    dress(axes)
    turn = np.linspace(0.0, 2.0 * math.pi, 200)
    axes.plot(np.cos(turn), np.sin(turn), color=INK, lw=0.8)
    values = closed.multipliers
    inside = np.abs(values) < 1.0
    axes.plot(values[inside].real, values[inside].imag, "o", color=COLOURS[0], ms=5, mfc="none")
    axes.plot(values[~inside].real, values[~inside].imag, "x", color=COLOURS[2], ms=7)
    axes.set_xlim(-1.25, 1.25)
    axes.set_ylim(-1.25, 1.25)
    axes.set_aspect("equal")
    axes.set_title("multipliers of the closed loop", fontsize=9, color=INK, loc="left")


def _step(axes: Any, run: Journey) -> None:
    dress(axes)
    time, values = run.passage.samples(0.0, run.passage.time)
    scale, unit = prefixed([time], "s")
    axes.plot(time * scale, values[:, run.passage.strip.names.index(HELD)], color=COLOURS[0], lw=0.9)
    axes.set_xlabel(f"time [{unit}]", fontsize=8, color=INK)
    axes.set_title(f"output [{run.unit}] at the load step and back", fontsize=9, color=INK, loc="left")
