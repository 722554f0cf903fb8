"""Whether the inner loop has been compiled on this installation before, and doing so."""

from __future__ import annotations

from pathlib import Path

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, Diode, Inductor, Resistor, Switch, VoltageSource
from jump_lane.circuit.gates import on
from jump_lane.switching import shooting
from jump_lane.switching.propagators import CACHED
from jump_lane.switching.record import record
from jump_lane.switching.steady import steady_state


def is_compiled() -> bool:
    """Tell whether compiled code of the inner loop lies in the cache (or, where none can be kept, that it never does)."""
    if not CACHED:
        return bool(shooting.run_on.signatures)
    folder = Path(shooting.run_on.stats.cache_path)
    return any(folder.glob("shooting.run_on-*.nbc"))


def compile_now() -> None:
    """Compile everything by running a small circuit, so that other processes find it in the cache."""
    elements = (
        VoltageSource("source", "in", "gnd", 10.0),
        Switch("S1", "in", "sw"),
        Diode("D1", "gnd", "sw"),
        Inductor("L", "sw", "out", 1e-5),
        Capacitor("C", "out", "gnd", 1e-5),
        Resistor("load", "out", "gnd", 100.0),
    )
    state = steady_state(Circuit(elements, 1e-5, lambda _: {"S1": on(0.0, 0.3)}))
    recording = record(state)
    recording.measures("L.i")
    recording.waveforms(("L.i",), 100)
    state.engine.settle(state.engine.start({}), 0, state.control, 1)
