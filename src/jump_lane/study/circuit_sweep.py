"""Sweeps of a circuit of one's own: keys of its file, or its control, varied; every point simulated."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

import numpy as np

from jump_lane.circuit.file import CircuitFile, parse_circuit, unit_of
from jump_lane.errors import InputError, JumpLaneError, nearest
from jump_lane.study.axes import Axis, Setting, spanned
from jump_lane.study.pool import spread
from jump_lane.study.sweep import CHUNK, KNOWN, Column, Row, signals_of
from jump_lane.study.tables import with_value

CONTROL = "D"
"""The control variable of a circuit file."""


@dataclass(frozen=True)
class CircuitSweep:
    """What to vary of a circuit file, and what to collect; like a sweep of a converter where it is shown."""

    circuit: CircuitFile
    title: str
    axes: tuple[Axis, ...]
    columns: tuple[Column, ...]
    tables: dict[str, Any] = field(default_factory=dict)
    zipped: bool = False
    symbol: str = CONTROL

    @property
    def count(self) -> int:
        """Number of points."""
        return math.prod(len(a.values) for a in self.axes)


def work(tables: dict[str, Any], title: str, vary: Sequence[str], measure: Sequence[str]) -> CircuitSweep:
    """Plan a sweep of a circuit file.

    Raises
    ------
    InputError
        If a key cannot be varied, or a measure is not known.
    """
    if not 1 <= len(vary) <= 2:
        raise InputError("--vary: one or two keys can be varied")
    loaded = parse_circuit(tables, title)
    axes = tuple(_axis(text, tables) for text in vary)
    signals = signals_of(loaded.circuit)
    return CircuitSweep(
        loaded,
        loaded.title or title,
        axes,
        tuple(
            _column(m, signals)
            for m in measure
            or sorted(
                f"{s}:average" for s in signals if s.endswith(".v") and s.startswith(("load", "R_o", "out"))
            )
        ),
        tables,
    )


def _axis(text: str, tables: dict[str, Any]) -> Axis:
    name, equals, values = (part.strip() for part in text.partition("="))
    if not equals:
        raise InputError(f"--vary {text}: expected KEY=FROM..TO/POINTS, KEY=FROM..TO/POINTSlog or KEY=A,B,C")
    unit = "" if name == CONTROL else unit_of(tables, name)
    try:
        found = spanned(values, unit)
    except (InputError, ValueError) as error:
        raise InputError(f"--vary {text}: {error}; expected KEY=FROM..TO/POINTS or KEY=A,B,C") from None
    return Axis(name, found, unit)


def _column(name: str, signals: set[str]) -> Column:
    signal, _, measure = name.partition(":")
    if signal not in signals or measure not in KNOWN:
        hint = nearest(signal, signals) if measure in KNOWN else f"measures: {', '.join(KNOWN)}"
        raise InputError(f"--measure {name}: {hint}; expected SIGNAL:MEASURE, such as load.v:average")
    return Column(name, signal, measure, "A" if signal.endswith(".i") else "V")


def run(sweep: CircuitSweep, processes: int = 1) -> Iterator[Row]:
    """Yield the rows as they are ready, in any order."""
    shape = tuple(len(a.values) for a in sweep.axes)
    every = [
        (index, tuple(a.values[k] for a, k in zip(sweep.axes, at, strict=True)))
        for index, at in enumerate(np.ndindex(*shape))
    ]
    yield from spread(every, partial(_rows, sweep), processes, CHUNK)


def _rows(sweep: CircuitSweep, some: Sequence[tuple[int, tuple[Setting, ...]]]) -> Iterator[Row]:
    from jump_lane.operating.own import steady

    for index, values in some:
        tables, control = sweep.tables, None
        try:
            for axis, value in zip(sweep.axes, values, strict=True):
                if axis.key == CONTROL:
                    control = float(value)
                else:
                    tables = with_value(tables, tuple(axis.key.split(".")), value)
            loaded = parse_circuit(tables, sweep.title)
            if control is not None:
                loaded = replace(loaded, circuit=replace(loaded.circuit, control=control), hold=None)
            state, recording, doubts = steady(loaded)
            if doubts:
                raise InputError(doubts[0])
            found = tuple(float(getattr(recording.measures(c.signal), c.measure)) for c in sweep.columns)
            yield Row(index, values, state.control, "", found)
        except JumpLaneError as error:
            yield Row(index, values, failure=str(error))
