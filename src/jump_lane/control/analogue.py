"""Analogue loops: a network around an amplifier, whose output is compared with a ramp or with the current of the switch."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from jump_lane.control import integral, proportional, three, two
from jump_lane.control.average import Inner
from jump_lane.control.margins import Gain, remembered
from jump_lane.control.modulator import FIXED, Modulator
from jump_lane.control.network import REFERENCE, Network, response
from jump_lane.control.stage import SOURCE, Stage
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import CAPACITANCE, RESISTANCE, VOLTAGE, parse, show
from jump_lane.quantities.preferred import closest, decade
from jump_lane.spec.loop import Loop
from jump_lane.switching.record import record
from jump_lane.switching.response import Responses
from jump_lane.switching.steady import SteadyState

NETWORKS = {
    "proportional": proportional.PAGES,
    "integral": integral.PAGES,
    "type II": two.PAGES,
    "type III": three.PAGES,
}

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
    inner
        The current amplifier, where average current is controlled.
    """

    loop: Loop
    network: Network
    values: Mapping[str, float]
    slope: float = 0.0
    nominal: float = 0.0
    inner: Inner | None = None

    @property
    def nested(self) -> bool:
        """Whether there is a current loop inside."""
        return self.loop.peak is not None or self.inner is not None

    def with_values(self, values: Mapping[str, float]) -> Analogue:
        """Return the same with other values."""
        return replace(self, values={**self.values, **values})

    def ramp(self, v_in: float) -> float:
        """Return the peak of the ramp [V]."""
        return self.loop.ramp * (v_in / self.nominal if self.loop.feed_forward else 1.0)

    def modulator(self, stage: Stage) -> Modulator:
        """Return what the output of the amplifier is compared with."""
        loop, peak = self.loop, self.loop.peak
        if peak is not None:
            sensed = {name: f"{name}.i" for name in stage.ended}
            return Modulator(
                sensed=sensed, sense=peak.sense, slope=self.slope, blanking=peak.blanking, most=loop.longest
            )
        # the source stands upside down
        feed = (f"{SOURCE}.v", -1.0 / self.nominal) if loop.feed_forward else None
        return Modulator(loop.ramp, feed, most=loop.longest, inner=self.inner)

    def close(self, stage: Stage) -> SteadyState:
        """Return the steady state of a stage under it.

        Raises
        ------
        NoResultError
            If none is found.
        """
        modulator = self.modulator(stage)
        dynamics = self.network.dynamics(self.values, stage.held)
        rest = modulator.rest(dynamics, stage.open, stage.target)
        return stage.closed(modulator.law(dynamics, {REFERENCE: self.values["V_ref"]}), rest)

    def plant(self, stage: Stage) -> Gain:
        """Return the response of what is held to the output of the amplifier, exact, the loop opened there.

        Raises
        ------
        NoResultError
            If there is no steady state.
        """
        if not self.nested:
            ramp = self.ramp(stage.v_in)
            return lambda frequencies: stage.plant(frequencies) / ramp
        modulator = self.modulator(stage)
        law = modulator.law(FIXED, {"v_c": modulator.command(stage.open)})
        rest = modulator.rest(FIXED, stage.open, stage.target)
        responses = Responses(stage.closed(law, rest))
        return lambda frequencies: responses.analyser("v_c", ("held",), frequencies)["held"]

    def outer(self, stage: Stage) -> Gain:
        """Return the loop gain opened at the output of the outer amplifier, the current loop closed, as an analyser measures it.

        Raises
        ------
        NoResultError
            If there is no steady state.
        """
        assert self.inner is not None
        place = stage.i, stage.j
        if place not in self.inner.plants:
            self.inner.plants[place] = remembered(self.plant(stage))
        plant, dynamics = self.inner.plants[place], self.network.dynamics(self.values, stage.held)
        return lambda frequencies: -plant(frequencies) * response(dynamics, stage.held, frequencies)


def given(loop: Loop) -> dict[str, float]:
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
        "V_cc": a.supply,
        "A_0": math.inf if a.gain is None else 10.0 ** (a.gain / 20.0),
        "f_u": math.inf if a.bandwidth is None else a.bandwidth,
    }


DIMENSIONS = {"R": RESISTANCE, "C": CAPACITANCE, "V": VOLTAGE}
"""What a component of a network is, by the first letter of its symbol."""

MEANINGS = {
    "V_ref": ("V", "reference", "control.reference"),
    "V_cc": ("V", "supply of the pull-up resistor", "control.amplifier.supply"),
    "V_c": ("V", "command at nominal input, full load", ""),
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


def derived(loop: Loop, network: Network, target: float, aims: Mapping[str, float]) -> Sheet:
    """Return the derivation of a network: divider, then its values from the aims at the crossover."""
    known = {**given(loop), "V_h": target, **aims}
    divided: tuple[str, ...] = ()
    if network.divided:
        divided = "V_ref", "R_1"
        known["R_1"] = upper(loop, target)
    sheet = Sheet((1, 1))
    for symbol in (*divided, "V_h", "f_c", "G_c", "b_c", *network.needs):
        unit, meaning, key = MEANINGS[symbol]
        sheet.give(symbol, known[symbol], unit, meaning, "file" if key else "derived", key)
    for line in (*((DIVIDER,) if network.divided else ()), *network.lines):
        sheet.derive(line)
        if line.symbol in loop.values:
            sheet.choose(line.symbol, parse(loop.values[line.symbol], DIMENSIONS[line.symbol[0]]))
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


def values_of(sheet: Sheet, loop: Loop) -> dict[str, float]:
    """Return the values of a derivation, and what the amplifier brings along."""
    return {**given(loop), **{value.symbol: value.worst for value in sheet}}


def preferred(values: Mapping[str, float], network: Network, series: tuple[str, str]) -> dict[str, float]:
    """Return the nearest values of the series for resistors and for capacitors."""
    resistors, capacitors = series
    symbols = ("R_b", *network.values) if network.divided else network.values
    return {s: closest(values[s], resistors if s.startswith("R") else capacitors) for s in symbols}


def require_values(loop: Loop, network: Network) -> None:
    """Refuse values of components that the network does not have.

    Raises
    ------
    InputError
        Naming the nearest one.
    """
    known = {*network.values, "R_b"} if network.divided else {*network.values, "V_Z"}
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
    if loop.amplifier.kind != "threshold-diode" and not loop.reference < stage.target:
        raise InputError(
            f"control.reference: {show(loop.reference, 'V')} is not below the output of {show(stage.target, 'V')}; expected a "
            "lower reference, from which a divider makes the output"
        )


def falling_slope(stages: Iterable[Stage], sense: float) -> float:
    """Return the steepest fall of the sensed current over some corners, as the switch would see it [V/s].

    While a switch is on its current rises; the volt-seconds of the inductor balance, so that it falls by as much in the rest of a
    period of continuous conduction: rise·D/(1 − D).
    """
    steepest = 0.0
    for stage in stages:
        recording = record(stage.open)
        for name in stage.ended:
            for k, stretch in enumerate(recording.stretches):
                duty = (stretch.end - stretch.start) / recording.period
                if name in stretch.conducting and 0.0 < duty < 1.0:
                    start, end = recording.ends(k, f"{name}.i")
                    steepest = max(steepest, (end - start) / ((1.0 - duty) * recording.period))
    return sense * steepest
