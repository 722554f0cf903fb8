"""Loops without a clock: the period is found, against closed forms, perturbed runs and a general integrator's events."""

import json
import math
import unittest
from typing import Any

import numpy as np

import jump_lane as jl
from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, CurrentSource, Inductor, Switch, VoltageSource
from jump_lane.circuit.gates import on
from jump_lane.circuit.law import Law, Peak
from jump_lane.switching.changes import Change
from jump_lane.switching.record import record
from jump_lane.switching.response import Responses
from jump_lane.switching.steady import SteadyState, steady_state
from jump_lane.switching.transient import Passage, travel
from tests.common import CommandCase, buck_tables

T, SIZE, CHOKE = 2e-6, 100e-6, 2.2e-6
V_IN, VALLEY = 12.0, 3.0


def buck(esr: float, law: Law, duty: float = 0.25, load: float = 2.0) -> Circuit:
    """A synchronous buck whose output is compared itself."""
    elements = (
        VoltageSource("source", "in", "gnd", V_IN),
        Switch("S1", "in", "sw"),
        Switch("S2", "sw", "gnd"),
        Inductor("L", "sw", "out", CHOKE),
        Capacitor("Co", "out", "gnd", SIZE, esr),
        CurrentSource("load", "out", "gnd", load),
    )
    return Circuit(elements, T, lambda d: {"S1": on(0.0, d), "S2": on(d, 1.0)}, duty, law=law)


def constant(esr: float, duty: float = 0.25) -> Circuit:
    law = Law({}, restart={"@out": 1.0, "v_r": -1.0}, held={"v_r": VALLEY}, rest=50e-9)
    return buck(esr, law, duty)


def band(esr: float, width: float) -> Circuit:
    ends = Peak({"v_r": 1.0 + width / VALLEY, "@out": -1.0})
    law = Law({}, peaks={"S1": ends}, restart={"@out": 1.0, "v_r": -1.0}, held={"v_r": VALLEY})
    return buck(esr, law)


def settled(circuit: Circuit) -> SteadyState:
    return steady_state(
        circuit, guess={"L": 2.0, "Co": VALLEY}, watched={"out": {"@out": 1.0}, "i": {"L.i": 1.0}}
    )


def run(state: SteadyState, end: float, changes: tuple[Change, ...] = (), **states: float) -> Passage:
    start = state.engine.named(state.start) | states
    circuit = state.engine.circuit
    inputs = tuple(c.name for c in changes)
    passage = Passage(circuit, {"out": {"@out": 1.0}, "i": {"L.i": 1.0}}, inputs, (), start, state.combo)
    travel(passage, changes, end)
    return passage


class ConstantOnTime(unittest.TestCase):
    def test_the_period_is_what_comes_of_it(self) -> None:
        for duty in (0.15, 0.25, 0.4):
            recording = record(settled(constant(20e-3, duty)))
            with self.subTest(duty=duty):
                out = recording.measures("@out")
                self.assertAlmostEqual(out.minimum, VALLEY, delta=1e-9)
                # volt-seconds: the pulse over the period is the output over the input
                self.assertAlmostEqual(duty * T / recording.period / (out.average / V_IN), 1.0, delta=1e-9)

    def test_its_period_doubles_where_the_resistance_outweighs_the_charge_no_longer(self) -> None:
        limit = 0.25 * T / (2.0 * SIZE)

        def largest(esr: float) -> float:
            return float(Responses(settled(constant(esr))).multipliers[0].real)

        low, high = 0.5 * limit, 2.0 * limit
        for _ in range(40):
            middle = 0.5 * (low + high)
            low, high = (low, middle) if largest(middle) > -1.0 else (middle, high)
        self.assertAlmostEqual(low / limit, 1.0, delta=1e-2)

    def test_multipliers_are_what_a_small_deviation_does(self) -> None:
        for esr in (20e-3, 3e-3, 2.2e-3):
            state = settled(constant(esr))
            multiplier = float(Responses(state).multipliers[0].real)
            current = state.engine.named(state.start)["L"]
            passage = run(state, 40 * T, L=current * (1.0 + 1e-6))
            lengths = np.diff(passage.strip.start)[1:]
            away = lengths - record(state).period
            ratios = away[1:5] / away[:4]
            with self.subTest(esr=esr):
                np.testing.assert_allclose(ratios, multiplier, rtol=2e-3, atol=2e-3)

    def test_a_step_of_the_load_is_answered_at_once(self) -> None:
        state = settled(constant(20e-3))
        passage = run(state, 200 * T, (Change(50.3 * T, "load", 3.0),))
        lengths = np.diff(passage.strip.start)
        quiet = record(state).period
        self.assertLess(lengths.min(), 0.6 * quiet)
        self.assertAlmostEqual(float(lengths[-1]) / quiet, 1.0, delta=2e-3)
        # what is kept in parts joins without gaps
        np.testing.assert_allclose(passage.strip.start[1:], passage.strip.end[:-1], atol=1e-15)

    def test_what_is_seen_again_is_what_was_seen(self) -> None:
        state = settled(constant(20e-3))
        passage = run(state, 60 * T, (Change(20.5 * T, "load", 2.5),))
        time, values = passage.samples(18.0 * T, 30.0 * T)
        strip = passage.strip
        inside = (strip.start >= 19.0 * T) & (strip.end <= 29.0 * T)
        for k in np.flatnonzero(inside):
            within = (time > strip.start[k] + 1e-12) & (time < strip.end[k] - 1e-12)
            seen = values[within, 0]
            if len(seen) == 0:  # a part of a single tick, at the change
                continue
            self.assertLessEqual(float(strip.low[k, 0]), float(seen.min()) + 1e-6)
            self.assertAlmostEqual(float(strip.high[k, 0]), float(seen.max()), delta=2e-4)

    def test_it_has_no_gain_over_frequency(self) -> None:
        with self.assertRaisesRegex(jl.NoResultError, "no clock"):
            _ = Responses(settled(constant(20e-3))).linear


class Hysteretic(unittest.TestCase):
    def test_the_output_stays_in_its_band_and_the_frequency_is_that_of_the_slopes(self) -> None:
        esr, width = 40e-3, 20e-3
        recording = record(settled(band(esr, width)))
        out = recording.measures("@out")
        self.assertAlmostEqual(out.minimum, VALLEY, delta=1e-9)
        self.assertAlmostEqual(out.maximum, VALLEY + width, delta=1e-9)
        v_o = out.average
        slopes = v_o * (V_IN - v_o) * esr / (V_IN * CHOKE * width)
        self.assertAlmostEqual(1.0 / recording.period / slopes, 1.0, delta=0.02)

    def test_several_pulses_in_a_period_are_refused(self) -> None:
        law = Law({}, restart={"@out": 1.0, "v_r": -1.0}, held={"v_r": VALLEY})
        circuit = buck(20e-3, law)
        twice = Circuit(
            circuit.elements,
            T,
            lambda d: {"S1": (*on(0.0, d), *on(0.5, 0.5 + d)), "S2": on(d, 0.5)},
            0.2,
            law=law,
        )
        with self.assertRaisesRegex(jl.InputError, "several pulses"):
            settled(twice)


class Designed(unittest.TestCase):
    def tables(self, esr: str = "12 mΩ", **control: Any) -> dict[str, Any]:
        parts = {"C_o": {"resistance": esr}}
        return {
            **buck_tables(),
            "chosen": {"C_o": "150 µF"},
            "parts": parts,
            "control": {"kind": "constant-on-time", **control},
        }

    def test_the_average_and_the_frequency_are_what_is_asked(self) -> None:
        for rectifier, dead in (("diode", 0.0), ("synchronous", 50e-9)):
            tables = self.tables()
            tables["switching"] = {**tables["switching"], "rectifier": rectifier, "dead_time": dead}
            corners = jl.loop(tables, exact=True).view().data["corners"]
            here = next(c for c in corners if c["V_in"] == 24.0 and c["I_o"] == 4.0)
            with self.subTest(rectifier=rectifier):
                self.assertAlmostEqual(here["average"] / 5.0, 1.0, delta=1e-4)
                self.assertAlmostEqual(here["frequency"] / 200e3, 1.0, delta=0.01)
                self.assertTrue(all(abs(c["frequency"] / 200e3 - 1.0) < 0.15 for c in corners))

    def test_a_pulse_that_does_not_follow_the_input_lets_the_frequency_go(self) -> None:
        corners = jl.loop(self.tables(adaptive=False)).view().data["corners"]
        seen = {c["V_in"]: c["frequency"] for c in corners if c["I_o"] == 4.0}
        self.assertAlmostEqual(seen[20.0] / seen[30.0], 1.5, delta=0.02)

    def test_too_little_resistance_is_told_with_what_mends_it(self) -> None:
        result = jl.loop(self.tables(esr="2 mΩ"))
        view = result.view()
        self.assertEqual(view.exit_status, 1)
        (verdict,) = (v for v in view.data["verdicts"] if "deviation" in v["what"])
        self.assertIn("series resistance", verdict["advice"])
        self.assertAlmostEqual(view.data["values"]["R_C"], view.data["values"]["T_on"] / (2.0 * 150e-6))

    def test_a_load_step_and_its_verdict(self) -> None:
        for limit, holds in (("200 mV", True), ("30 mV", False)):
            view = jl.loop(self.tables(deviation=limit, step="2 A")).view()
            (verdict,) = (v for v in view.data["verdicts"] if v["what"].startswith("deviation on"))
            self.assertEqual(verdict["holds"], holds)

    def test_what_cannot_be_is_refused(self) -> None:
        for message, control in (
            ("band: expected", {"kind": "hysteretic"}),
            ("band and kind = 'constant-on-time'", {"band": "20 mV"}),
            ("crossover and kind", {"crossover": "10 kHz"}),
            ("not below the output", {"reference": "6 V"}),
        ):
            with self.subTest(message=message), self.assertRaisesRegex(jl.InputError, message):
                jl.loop(self.tables(**control))
        with self.assertRaisesRegex(jl.InputError, "moves the period"):
            jl.loop({**_llc(), "control": {"kind": "constant-on-time"}})


def _llc() -> dict[str, Any]:
    import tomllib

    return {k: v for k, v in tomllib.loads(jl.new("half-bridge-llc")).items() if k != "event"}


class Commands(CommandCase):
    def test_loop_transient_and_check(self) -> None:
        lines = '\n[control]\nkind = "hysteretic"\nband = "40 mV"\n\n[[event]]\nat = "0.5 ms"\nload = "1 A"\n'
        self.run_command("new", "buck", "rail.toml", "--input", "20V..30V", "--output-voltage", "5V", "--load", "0.5A..4A",
                         "--voltage-ripple", "80mV", "--current-ripple", "30%", "--frequency", "200k")  # fmt: skip
        text = (self.folder / "rail.toml").read_text(encoding="utf-8")
        self.write(
            "rail.toml",
            text + '\n[chosen]\nC_o = "100 µF"\n\n[parts]\nC_o = { resistance = "25 mΩ" }\n' + lines,
        )
        data = json.loads(self.run_command("loop", "rail.toml", "--json", "--figure", "loop.png").stdout)
        self.assertTrue(data["holds"])
        self.assertTrue(math.isfinite(data["corners"][0]["frequency"]))
        self.assertGreater((self.folder / "loop.png").stat().st_size, 10_000)
        self.run_command("loop", "rail.toml", "--table", "loop.csv", status=2)
        run_ = json.loads(self.run_command("transient", "rail.toml", "--json", "--figure", "run.png").stdout)
        self.assertEqual(run_["broken"], [])
        self.assertLess(run_["events"][0]["overshoot"], 0.3)
        self.run_command("check", "rail.toml", "--closed-loop")
