"""Analogue loops: a network around an amplifier, whose output is compared with a ramp or with the current of the switch."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.law import Law, Peak
from jump_lane.control import integral, three, two
from jump_lane.control.network import REFERENCE, Dynamics, Network, times
from jump_lane.control.stage import SOURCE, Complex, Stage
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError
from jump_lane.quantities import CAPACITANCE, RESISTANCE, parse, show
from jump_lane.quantities.preferred import closest, decade
from jump_lane.spec.loop import Loop
from jump_lane.switching.record import record
from jump_lane.switching.response import Responses
from jump_lane.topologies.design import Design

NETWORKS = {"integral": integral.PAGES, "type II": two.PAGES, "type III": three.PAGES}

DIVIDER = Line("R_b", "R_1*V_ref/(V_h - V_ref)", "Ω", "lower resistor of the divider", "voltage divider")


def network_of(loop: Loop) -> Network:
    """Return the page of the network that a file asks for.

    Raises
    ------
    InputError
        If the amplifier does not go with it.
    """
    pages = NETWORKS[loop.network]
    if loop.amplifier.kind not in pages:
        raise InputError(
            f"control.network: read {loop.network!r} with amplifier.kind = {loop.amplifier.kind!r}; expected "
            f"{' or '.join(repr(k) for k in pages)} with it"
        )
    return pages[loop.amplifier.kind]


@dataclass(frozen=True)
class Analogue:
    """An analogue loop with the values of its network.

    Attributes
    ----------
    loop
        What the file says.
    values
        Components and what they follow from, by symbol.
    slope
        Ramp of slope compensation [V/s].
    nominal
        Input voltage at which the ramp is as given [V].
    """

    loop: Loop
    network: Network
    values: Mapping[str, float]
    slope: float = 0.0
    nominal: float = 0.0

    @property
    def peak(self) -> bool:
        """Whether the current of the switch ends the pulse."""
        return self.loop.peak is not None

    def with_values(self, values: Mapping[str, float]) -> Analogue:
        """Return the same with other values."""
        return Analogue(self.loop, self.network, {**self.values, **values}, self.slope, self.nominal)

    def ramp(self, v_in: float) -> float:
        """Return the peak of the ramp [V]."""
        return self.loop.ramp * (v_in / self.nominal if self.loop.feed_forward else 1.0)

    @property
    def feed(self) -> tuple[str, float] | None:
        """What makes the ramp where that is proportional to the input; the source stands upside down."""
        return (f"{SOURCE}.v", -1.0 / self.nominal) if self.loop.feed_forward else None

    def dynamics(self, stage: Stage) -> Dynamics:
        """Return the states of the network."""
        return self.network.dynamics(self.values, stage.held)

    def law(self, stage: Stage) -> Law:
        """Return the law at a corner."""
        dynamics = self.dynamics(stage)
        held = {REFERENCE: self.values["V_ref"]}
        return _modulated(self, stage, dynamics, held)

    def rest(self, stage: Stage) -> Mapping[str, float]:
        """Return where the states of the law rest, about."""
        return self.dynamics(stage).rest(self.command(stage), stage.target)

    def command(self, stage: Stage) -> float:
        """Return the output of the amplifier that the pulses of the steady state need, about [V]."""
        if not self.peak:
            return stage.open.control * self.ramp(stage.v_in)
        assert self.loop.peak is not None
        recording = record(stage.open)
        tripped = [s for s in stage.open.engine.switches if s in peaks(self, stage)]
        largest = max(recording.measures(f"{s}.i").maximum for s in tripped)
        return self.loop.peak.sense * largest + self.slope * stage.open.control * stage.circuit.period

    @cached_property
    def _plants(self) -> dict[tuple[int, int, float, float], Responses]:
        return {}

    def plant(self, stage: Stage, frequencies: NDArray[np.float64]) -> Complex:
        """Return the response of what is held to the output of the amplifier, (f,), exact, the loop opened there."""
        if not self.peak:
            return stage.plant(frequencies) / self.ramp(stage.v_in)
        key = (stage.i, stage.j, stage.v_in, stage.i_o)
        if key not in self._plants:
            fixed = Dynamics({}, {"v_c": 1.0}, lambda command, _: {"v_c": command})
            law = _modulated(self, stage, fixed, {"v_c": self.command(stage)})
            self._plants[key] = Responses(stage.closed(law, {}))
        return self._plants[key].analyser("v_c", ("held",), frequencies)["held"]


def peaks(loop: Analogue, stage: Stage) -> tuple[str, ...]:
    """Return the switches whose pulses the control moves and ends."""
    edges = stage.open.engine.schedule(stage.open.control)
    switches, found = stage.open.engine.switches, set()
    for k in range(len(edges.masks)):
        falls = int(edges.masks[k - 1]) & ~int(edges.masks[k])
        if edges.slopes[k] != 0.0:
            found |= {name for bit, name in enumerate(switches) if (falls >> bit) & 1}
    return tuple(name for name in switches if name in found)


def _modulated(loop: Analogue, stage: Stage, dynamics: Dynamics, held: Mapping[str, float]) -> Law:
    outputs = {"command": dynamics.command}
    most = loop.loop.longest
    if not loop.peak:
        level = times(dynamics.command, 1.0 / loop.loop.ramp)
        return Law(dynamics.rates, level=level, held=held, most=most, outputs=outputs, feed=loop.feed)
    peak = loop.loop.peak
    assert peak is not None
    ended = {
        name: Peak({**dynamics.command, f"{name}.i": -peak.sense}, loop.slope, peak.blanking)
        for name in peaks(loop, stage)
    }
    return Law(dynamics.rates, peaks=ended, held=held, command=dynamics.command, most=most, outputs=outputs)


def given(loop: Loop, design: Design) -> dict[str, float]:
    """Return what the file says of the amplifier, by symbol."""
    a = loop.amplifier
    return {
        "V_ref": loop.reference,
        "R_1": loop.divider,
        "g_m": a.transconductance,
        "R_p": a.pull_up,
        "r_t": a.transfer,
        "f_o": a.pole,
        "V_F": a.forward_voltage,
        "I_b": a.bias,
    }


UNITS = {"R": ("Ω", RESISTANCE), "C": ("F", CAPACITANCE)}

MEANINGS = {
    "V_ref": ("V", "reference", "control.reference"),
    "R_1": ("Ω", "upper resistor of the divider, near what is asked", "control.divider"),
    "V_h": ("V", "output that is held", "output.voltage"),
    "f_c": ("Hz", "crossover frequency aimed at", "control.crossover"),
    "G_c": ("", "gain that the network has to have there", ""),
    "b_c": ("°", "boost of the phase that it has to give there", ""),
    "g_m": ("S", "transconductance", "control.amplifier.transconductance"),
    "R_p": ("Ω", "pull-up resistor", "control.amplifier.pull_up"),
    "r_t": ("", "current transfer ratio", "control.amplifier.transfer"),
    "f_o": ("Hz", "pole of the optocoupler", "control.amplifier.pole"),
    "V_F": ("V", "forward voltage of its diode", "control.amplifier.forward_voltage"),
    "I_b": ("A", "bias of the shunt reference", "control.amplifier.bias"),
}


def derived(loop: Loop, design: Design, network: Network, target: float, aims: Mapping[str, float]) -> Sheet:
    """Return the derivation of a network: divider, then its values from the aims at the crossover."""
    known = {**given(loop, design), "V_h": target, "R_1": upper(loop, target), **aims}
    sheet = Sheet((1, 1))
    for symbol in ("V_ref", "R_1", "V_h", "f_c", "G_c", "b_c", *network.needs):
        unit, meaning, key = MEANINGS[symbol]
        sheet.give(symbol, known[symbol], unit, meaning, "file" if key else "derived", key)
    for line in (DIVIDER, *network.lines):
        sheet.derive(line)
        if line.symbol in loop.values:
            sheet.choose(line.symbol, parse(loop.values[line.symbol], UNITS[line.symbol[0]][1]))
    return sheet


NEARBY = 0.35
"""How far the upper resistor of the divider may be from what the file says, so that the lower one is one of the series too."""


def upper(loop: Loop, target: float) -> float:
    """Return the upper resistor of the divider near that of the file, of E24 or E96, with which a lower one of E96 makes the output
    best."""
    if "R_b" in loop.values:
        return loop.divider
    ratio = loop.reference / (target - loop.reference)

    def off(resistor: float) -> float:
        lower = closest(resistor * ratio, "E96")
        return abs(loop.reference * (1.0 + resistor / lower) / target - 1.0)

    decades = 10.0 ** math.floor(math.log10(loop.divider))
    near = [d * v for d in (0.1 * decades, decades, 10.0 * decades) for v in {*decade("E24"), *decade("E96")}]
    inside = [r for r in near if abs(r / loop.divider - 1.0) <= NEARBY]
    return min(inside, key=lambda r: (round(off(r), 4), abs(r - loop.divider)), default=loop.divider)


def values_of(sheet: Sheet, loop: Loop, design: Design) -> dict[str, float]:
    """Return the values of a derivation, and what the amplifier brings along."""
    gain = loop.amplifier.gain
    return {
        **given(loop, design),
        "V_cc": loop.amplifier.supply,
        **{value.symbol: value.worst for value in sheet},
        "A_0": math.inf if gain is None else 10.0 ** (gain / 20.0),
        "f_u": math.inf if loop.amplifier.bandwidth is None else loop.amplifier.bandwidth,
    }


def preferred(values: Mapping[str, float], network: Network, series: tuple[str, str]) -> dict[str, float]:
    """Return the nearest values of the series for resistors and for capacitors."""
    resistors, capacitors = series
    symbols = ("R_b", *network.values)
    return {s: closest(values[s], resistors if s.startswith("R") else capacitors) for s in symbols}


def require_values(loop: Loop, network: Network) -> None:
    """Refuse values of components that the network does not have.

    Raises
    ------
    InputError
        Naming the nearest one.
    """
    from jump_lane.errors import nearest

    known = {*network.values, "R_b"}
    for symbol in loop.values:
        if symbol not in known:
            raise InputError(f"control.values: {network.title} has no {symbol!r}; {nearest(symbol, known)}")


def require_reference(loop: Loop, stage: Stage) -> None:
    """Refuse a reference that no divider makes of the output.

    Raises
    ------
    InputError
        With both voltages.
    """
    if stage.string:
        raise InputError(
            "control.kind: the output is a string of LEDs, whose current is held; expected kind = 'digital'"
        )
    if not loop.reference < stage.target:
        raise InputError(
            f"control.reference: {show(loop.reference, 'V')} is not below the output of {show(stage.target, 'V')}; expected a "
            "lower reference, from which a divider makes the output"
        )


def falling_slope(design: Design, sense: float) -> float:
    """Return the steepest fall of the sensed current, as the switch sees it, over all corners [V/s].

    It is that at which the sum of slopes is nought over a period: rise·D/(1 − D).
    """
    from jump_lane.control.stage import corners

    steepest = 0.0
    for stage in corners(design):
        state = stage.open
        recording = record(state)
        engine = state.engine
        for name in _ended(stage):
            row = recording.index(f"{name}.i")
            for k, c in enumerate(recording.trace.configurations.tolist()):
                if not (engine.combo(c) >> engine.switches.index(name)) & 1:
                    continue
                start, end = recording.ends(k, f"{name}.i")
                span = float(recording.trace.durations[k]) * engine.tick
                duty = float(recording.trace.durations[k]) / recording.trace.length
                if span > 0.0 and row >= 0 and 0.0 < duty < 1.0:
                    steepest = max(steepest, (end - start) / span * duty / (1.0 - duty))
    return sense * steepest


def _ended(stage: Stage) -> tuple[str, ...]:
    return peaks(Analogue(Loop(), NETWORKS["type II"]["operational"], {}), stage)
