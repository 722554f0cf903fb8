"""What happens in a run over time, as changes of the circuit, its sources, references and control."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import CurrentSource, Diode, Element, Resistor
from jump_lane.control.network import REFERENCE
from jump_lane.control.stage import DISTURBANCE, SOURCE, Stage
from jump_lane.errors import InputError
from jump_lane.quantities import show
from jump_lane.spec.loop import Event
from jump_lane.switching.changes import Change

OPEN_STRING = 1e6
"""Forward voltage that stands for a string of LEDs that is not there [V]."""


@dataclass
class _State:
    """What has been set so far."""

    circuit: Circuit
    load: float
    extra: float
    v_in: float
    target: float


@dataclass(frozen=True)
class Planned:
    """An event in words, and its changes."""

    event: Event
    words: str
    changes: tuple[Change, ...]


def planned(
    stage: Stage, circuit: Circuit, events: Sequence[Event], end: float, loop_kind: str
) -> list[Planned]:
    """Return the events in order of time with what they change.

    Parameters
    ----------
    circuit
        What runs at first.
    end
        When the run ends [s].
    loop_kind
        "", "analogue" or "digital".

    Raises
    ------
    InputError
        If one is after the end of the run, or cannot happen in this converter.
    """
    state = _State(circuit, stage.i_o, 0.0, stage.v_in, stage.target)
    out = []
    for k, event in enumerate(sorted(events, key=lambda e: e.at)):
        where = f"event {k + 1} (at {show(event.at, 's')})"
        require_within(event.at, end, where)
        out.append(_planned(stage, event, state, where, loop_kind))
    return out


def _planned(stage: Stage, event: Event, state: _State, where: str, loop_kind: str) -> Planned:
    if event.output != 1 and event.kind in ("load", "short"):
        if event.output > len(stage.point.kinds):
            raise InputError(
                f"{where}.output: read {event.output}; the converter has {len(stage.point.kinds)} outputs"
            )
        return _other(stage, event, state)
    makers = {
        "load": _load,
        "input": _input,
        "setpoint": _setpoint,
        "short": _short,
        "control": _control,
        "leds": _leds,
    }
    return makers[event.kind](stage, event, state, where, loop_kind)


def _load(stage: Stage, event: Event, state: _State, where: str, _: str) -> Planned:
    assert event.load is not None
    if stage.string:
        raise InputError(f"{where}.load: the load is a string of LEDs; expected leds, or setpoint")
    words = f"load {show(state.load + state.extra, 'A')} → {show(event.load, 'A')}"
    if event.over > 0.0 or state.extra:
        wanted = event.load - state.load
        changes = tuple(ramped(DISTURBANCE, event.at, event.over, state.extra, wanted))
        state.extra = wanted
        return Planned(event, f"{words} in {show(event.over, 's')}", changes)
    state.load = event.load
    state.circuit = _with_load(state.circuit, _loads(stage, event.load), "load")
    return Planned(event, words, (Change(event.at, circuit=state.circuit),))


def _loads(stage: Stage, current: float) -> tuple[Element, ...]:
    point = replace(stage.point, values={**stage.point.values, "I_o": current})
    a, b = _ends(stage.circuit, "load")
    return point.load(a, b)


def _other(stage: Stage, event: Event, state: _State) -> Planned:
    name = f"load{event.output}"
    a, b = _ends(stage.circuit, name)
    if event.short is not None:
        state.circuit = _with_load(state.circuit, (Resistor(name, a, b, event.short),), name)
        words = f"output {event.output}: {show(event.short, 'Ω')} across it"
    else:
        point = replace(stage.point, values={**stage.point.values, f"I_o{event.output}": event.load or 0.0})
        state.circuit = _with_load(state.circuit, point.load(a, b, event.output), name)
        words = f"output {event.output}: load → {show(event.load or 0.0, 'A')}"
    return Planned(event, words, (Change(event.at, circuit=state.circuit),))


def _input(stage: Stage, event: Event, state: _State, where: str, _: str) -> Planned:
    assert event.input is not None
    if SOURCE not in stage.inputs:
        raise InputError(f"{where}.input: this circuit has no single source that could step")
    words = f"input {show(state.v_in, 'V')} → {show(event.input, 'V')}"
    # the source stands upside down, so that its current is the one that it delivers
    changes = tuple(ramped(SOURCE, event.at, event.over, stage.v_in - state.v_in, stage.v_in - event.input))
    state.v_in = event.input
    return Planned(event, words + (f" in {show(event.over, 's')}" if event.over else ""), changes)


def _setpoint(stage: Stage, event: Event, state: _State, where: str, loop_kind: str) -> Planned:
    assert event.setpoint is not None
    unit = "A" if stage.string else "V"
    if not loop_kind:
        raise InputError(
            f"{where}.setpoint: there is no loop that would hold it; expected [control], or control = …"
        )
    words = f"set-point {show(state.target, unit)} → {show(event.setpoint, unit)}"
    before, state.target = state.target, event.setpoint
    if loop_kind == "digital":
        slope = (event.setpoint - before) / event.over if event.over else 0.0
        return Planned(event, words, (Change(event.at, reference=event.setpoint, slope=slope),))
    assert stage.design.spec.control is not None
    scale = stage.design.spec.control.reference / stage.target
    return Planned(
        event, words, tuple(ramped(REFERENCE, event.at, event.over, scale * before, scale * event.setpoint))
    )


def _short(stage: Stage, event: Event, state: _State, where: str, _: str) -> Planned:
    assert event.short is not None
    if stage.string:
        raise InputError(f"{where}.short: the load is a string of LEDs; expected leds = 1")
    a, b = _ends(stage.circuit, "load")
    state.circuit = _with_load(state.circuit, (Resistor("load", a, b, event.short),), "load")
    return Planned(
        event, f"{show(event.short, 'Ω')} across the output", (Change(event.at, circuit=state.circuit),)
    )


def _control(stage: Stage, event: Event, state: _State, where: str, loop_kind: str) -> Planned:
    control = stage.design.control
    if loop_kind:
        raise InputError(
            f"{where}.control: the loop sets the {control.words}; without it (--open-loop) it can step"
        )
    value = control.read(str(event.control), f"{where}.control")
    words = f"{control.words} → {control.shown(value, stage.circuit.period)}"
    return Planned(event, words, (Change(event.at, control=value),))


def _leds(stage: Stage, event: Event, state: _State, where: str, _: str) -> Planned:
    assert event.leds is not None
    leds = stage.design.spec.output[0].leds
    if leds is None:
        raise InputError(f"{where}.leds: the load is no string of LEDs; expected load")
    a, b = _ends(stage.circuit, "load")
    v_f = event.leds * leds.threshold if event.leds else OPEN_STRING
    string = Diode("load", a, b, v_f, max(event.leds, 1) * leds.resistance)
    state.circuit = _with_load(state.circuit, (string,), "load")
    words = f"string of {event.leds} LEDs" if event.leds else "string removed"
    return Planned(event, words, (Change(event.at, circuit=state.circuit),))


def _ends(circuit: Circuit, name: str) -> tuple[str, str]:
    return next((a, b) for branch, a, b in circuit.branches if branch == name)


def _with_load(circuit: Circuit, elements: tuple[Element, ...], name: str) -> Circuit:
    """Return the circuit with the load of an output replaced; one that is not there draws nothing."""
    a, b = _ends(circuit, name)
    elements = elements or (CurrentSource(name, a, b, 0.0),)
    kept = [e for e in circuit.elements if e.name != f"{name}.slope"]
    at = next(k for k, e in enumerate(kept) if e.name == name)
    return replace(circuit, elements=(*kept[:at], *elements, *kept[at + 1 :]))


def ramped(name: str, at: float, over: float, before: float, after: float) -> Iterator[Change]:
    """Yield the changes of a value that steps, or rises evenly."""
    if over == 0.0:
        yield Change(at, name, after)
        return
    yield Change(at, name, before, (after - before) / over)
    yield Change(at + over, name, after)


def require_within(at: float, end: float, where: str) -> None:
    """Refuse an event that a run does not reach.

    Raises
    ------
    InputError
        With both instants.
    """
    if at >= end:
        raise InputError(
            f"{where}: the run ends at {show(end, 's')}; expected a later --end, or an earlier event"
        )
