"""The conduction mode over load and input voltage: where the boundary is derived, and what simulation shows."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.study.axes import Axis
from jump_lane.study.sweep import INPUT, LOAD, Row, Sweep

FINE_INPUTS = 60
"""Input voltages at which a figure shows the boundary."""

FINE = 160
"""Loads at which the boundary is looked for."""


@dataclass(frozen=True)
class ModeMap:
    """A map of conduction modes.

    Attributes
    ----------
    boundary
        (input voltage [V], boundary load current [A]), as derived.
    rows
        Simulated points.
    fine
        The boundary at many input voltages, for a figure.
    control
        For some input voltages (load current [A], control), as derived at many loads.
    """

    design: Design
    inputs: tuple[float, ...]
    loads: tuple[float, ...]
    boundary: tuple[tuple[float, float], ...]
    rows: tuple[Row, ...]
    fine: tuple[tuple[float, float], ...] = ()
    control: tuple[tuple[float, tuple[tuple[float, float], ...]], ...] = ()


def work(design: Design, inputs: int, loads: int) -> Sweep:
    """Return the sweep that the map needs: loads from a fifth of the smallest to the largest, logarithmic."""
    voltage, current = design.spec.voltage, design.spec.output[0].current
    low = max(0.2 * current.min, 0.01 * current.max)
    v = np.linspace(voltage.min, voltage.max, inputs) if voltage.max > voltage.min else [voltage.min]
    i = np.geomspace(low, current.max, loads)
    axes = (Axis(INPUT, tuple(float(x) for x in v), "V"), Axis(LOAD, tuple(float(x) for x in i), "A"))
    return Sweep(design, axes, ())


def boundary(design: Design, inputs: tuple[float, ...], low: float, high: float) -> list[tuple[float, float]]:
    """Return the load current at the boundary of continuous conduction for each input voltage.

    Found where the load equals the boundary load I_B, which itself depends a little on the load by the drops.
    """
    if design.page.naming is not None:
        return []
    loads = np.geomspace(0.1 * low, 10.0 * high, FINE)
    fine = design.grid(inputs, tuple(float(x) for x in loads))
    critical = np.broadcast_to(fine.sheet["I_B"].values, fine.shape)
    out = []
    for v, row in zip(inputs, critical, strict=True):
        gap = np.log(loads) - np.log(row)
        crossing = np.flatnonzero((gap[:-1] < 0.0) & (gap[1:] >= 0.0))
        if len(crossing):
            k = int(crossing[0])
            part = gap[k] / (gap[k] - gap[k + 1])
            out.append((v, float(np.exp(np.log(loads[k]) + part * np.log(loads[k + 1] / loads[k])))))
    return out


def assemble(sweep: Sweep, rows: list[Row]) -> ModeMap:
    """Return the map from the simulated points."""
    inputs, loads = (a.numbers for a in sweep.axes)
    ends = (loads[0], loads[-1])
    found = tuple(boundary(sweep.design, inputs, *ends))
    many = (
        tuple(float(v) for v in np.linspace(inputs[0], inputs[-1], FINE_INPUTS))
        if len(inputs) > 1
        else inputs
    )
    shown = tuple(dict.fromkeys((inputs[0], inputs[len(inputs) // 2], inputs[-1])))
    return ModeMap(
        sweep.design, inputs, loads, found, tuple(rows),
        tuple(boundary(sweep.design, many, *ends)), tuple(_controls(sweep.design, shown, *ends)),
    )  # fmt: skip


def _controls(
    design: Design, inputs: tuple[float, ...], low: float, high: float
) -> Iterator[tuple[float, tuple[tuple[float, float], ...]]]:
    """Yield the derived control over many loads at some input voltages."""
    loads = tuple(float(x) for x in np.geomspace(low, high, FINE))
    fine = design.grid(inputs, loads)
    values = np.broadcast_to(fine.sheet[design.page.control.symbol].values, fine.shape)
    for k, v in enumerate(inputs):
        yield v, tuple(zip(loads, values[k].tolist(), strict=True))
