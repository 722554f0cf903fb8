"""Loops designed and proven, runs over time, and what is refused."""

import json
import math
import subprocess
import sys
import unittest
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.integrate import solve_ivp

import jump_lane as jl
from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import (
    Capacitor,
    CurrentSource,
    Diode,
    Inductor,
    Resistor,
    Switch,
    VoltageSource,
)
from jump_lane.circuit.gates import on
from jump_lane.circuit.law import Law, Peak
from jump_lane.control.averaged import apart, averaged
from jump_lane.control.network import operational, times
from jump_lane.control.stage import Stage, corners
from jump_lane.operating.mode import simulated_mode
from jump_lane.switching import transient
from jump_lane.switching.changes import Change
from jump_lane.switching.record import record
from jump_lane.switching.response import Responses
from jump_lane.switching.steady import steady_state
from jump_lane.switching.transient import Passage, travel
from tests.common import REFERENCE, CommandCase, buck_tables, example_design

T = 5e-6


def ideal_buck(v_in: float, v_o: float, ramp: float, level: float) -> Circuit:
    """Peak current control of a buck with ideal parts into a stiff output, 1 V per ampere."""
    elements = (
        VoltageSource("source", "in", "gnd", v_in),
        Switch("S1", "in", "sw"),
        Diode("D1", "gnd", "sw"),
        Inductor("L", "sw", "out", 20e-6),
        VoltageSource("out", "out", "gnd", v_o),
    )
    law = Law({}, peaks={"S1": Peak({"v_c": 1.0, "L.i": -1.0}, ramp)}, held={"v_c": level})
    return Circuit(elements, T, lambda d: {"S1": on(0.0, d)}, v_o / v_in, law=law)


class PeakCurrent(unittest.TestCase):
    def multiplier(self, v_o: float, ramp: float = 0.0) -> float:
        state = steady_state(ideal_buck(10.0, v_o, ramp, 8.0), guess={"L": 7.0})
        return float(Responses(state).multipliers[0].real)

    def test_the_multiplier_is_the_ratio_of_slopes(self) -> None:
        for duty in (0.2, 0.4, 0.48, 0.55, 0.7):
            rise, fall = (1.0 - duty) / 20e-6 * 10.0, duty / 20e-6 * 10.0
            self.assertAlmostEqual(self.multiplier(10.0 * duty), -fall / rise, delta=1e-6)
            self.assertAlmostEqual(self.multiplier(10.0 * duty, fall), 0.0, delta=1e-6)
            expected = -(fall - 0.5 * fall) / (rise + 0.5 * fall)
            self.assertAlmostEqual(self.multiplier(10.0 * duty, 0.5 * fall), expected, delta=1e-6)

    def test_without_slope_it_oscillates_from_half_on(self) -> None:
        low, high = 0.3, 0.7
        while high - low > 1e-9:
            middle = 0.5 * (low + high)
            low, high = (middle, high) if abs(self.multiplier(10.0 * middle)) < 1.0 else (low, middle)
        self.assertAlmostEqual(low, 0.5, delta=1e-8)
        for duty, grows in ((0.49, False), (0.51, True)):
            circuit = ideal_buck(10.0, 10.0 * duty, 0.0, 8.0)
            state = steady_state(circuit, guess={"L": 7.0})
            start = state.states["L"]
            passage = Passage(circuit, {"L": {"L.i": 1.0}}, states={"L": start + 1e-3, "v_c": 8.0})
            off = []
            for k in range(1, 31):
                passage.advance(k * T)
                off.append(passage.state["L"] - start)
            self.assertTrue(all(a * b < 0.0 for a, b in pairwise(off)))
            self.assertEqual(abs(off[-1]) > 1e-3, grows)


NETWORK = {
    "V_ref": 1.2, "R_1": 12e3, "R_b": 2490.0, "R_2": 4300.0, "C_1": 15e-9, "C_2": 270e-12, "R_3": 620.0, "C_3": 2.7e-9,
    "A_0": math.inf, "f_u": math.inf,
}  # fmt: skip
L_, C_, R_C, R_L, R_ON, V_F, R_D, R_O, V_IN, RAMP, PERIOD = (
    15e-6,
    90e-6,
    4e-3,
    20e-3,
    25e-3,
    0.42,
    15e-3,
    1.8,
    24.0,
    1.6,
    4e-6,
)


def type_three_buck() -> Circuit:
    elements = (
        VoltageSource("source", "in", "gnd", V_IN),
        Switch("S1", "in", "sw", R_ON),
        Diode("D1", "gnd", "sw", V_F, R_D),
        Inductor("L", "sw", "out", L_, R_L),
        Capacitor("C", "out", "gnd", C_, R_C),
        Resistor("load", "out", "gnd", R_O),
        CurrentSource("step", "out", "gnd", 0.0),
    )
    dynamics = operational(NETWORK, "@out")
    law = Law(
        dynamics.rates,
        level=times(dynamics.command, 1.0 / RAMP),
        held={"V_ref": 1.2},
        outputs={"c": dynamics.command},
    )
    return Circuit(elements, PERIOD, lambda d: {"S1": on(0.0, d)}, 0.31, law=law)


def by_hand(start: dict[str, float], step: float, at: float, end: float) -> tuple[float, float]:
    """Extremes of the output after a load step, by a general integrator on hand-written equations."""
    v = NETWORK

    def output(x: np.ndarray, drawn: float) -> float:
        # out = v_C + R_C·(i_L − out/R_O − drawn)
        return (x[1] + R_C * (x[0] - drawn)) / (1.0 + R_C / R_O)

    def rates(x: np.ndarray, drawn: float, closed: bool) -> list[float]:
        out = output(x, drawn)
        across = V_IN - R_ON * x[0] if closed else -V_F - R_D * x[0]
        branch = (out - 1.2 - x[4]) / v["R_3"]
        fed = (out - 1.2) / v["R_1"] - 1.2 / v["R_b"] + branch
        beside = (x[3] - x[2]) / v["R_2"]
        return [
            (across - R_L * x[0] - out) / L_,
            (x[0] - out / R_O - drawn) / C_,
            beside / v["C_1"],
            (fed - beside) / v["C_2"],
            branch / v["C_3"],
        ]

    x = np.array([start[n] for n in ("L", "C", "v_1", "v_2", "v_3")])
    time, low, high = 0.0, math.inf, -math.inf
    while time < end - 1e-12:
        clock = round(time / PERIOD) * PERIOD
        spans = (
            [(time, clock + PERIOD)] if not time < at < clock + PERIOD else [(time, at), (at, clock + PERIOD)]
        )
        closed = (1.2 - x[3]) / RAMP > 0.0
        for first, last in spans:
            while first < last - 1e-15:
                drawn = step if first >= at else 0.0

                def trip(t: float, y: np.ndarray, clock: float = clock) -> float:
                    return (1.2 - y[3]) / RAMP - (t - clock) / PERIOD

                trip.terminal, trip.direction = True, -1.0  # type: ignore[attr-defined]
                found = solve_ivp(
                    lambda t, y, d=drawn, c=closed: rates(y, d, c), (first, last), x, method="DOP853", rtol=1e-9,
                    atol=1e-12, events=[trip] if closed else None, max_step=PERIOD / 30.0,
                )  # fmt: skip
                x, first = found.y[:, -1], float(found.t[-1])
                if found.status == 1:
                    closed = False
                if found.t[0] >= at:
                    values = [output(y, drawn) for y in found.y.T]
                    low, high = min(low, *values), max(high, *values)
        time = clock + PERIOD
    return low, high


class OverTime(unittest.TestCase):
    def test_a_load_step_is_that_of_a_general_integrator(self) -> None:
        circuit = type_three_buck()
        state = steady_state(circuit, guess={"L": 3.2, "C": 7.0, "v_1": 0.7, "v_2": 0.7, "v_3": 5.8})
        at, end = 10.3 * PERIOD, 45.0 * PERIOD
        states = state.engine.named(state.start)
        passage = Passage(circuit, {"out": {"@out": 1.0}}, ("step",), states=states)
        travel(passage, [Change(at, "step", 2.0)], end)
        low, _, high, _ = passage.strip.extremes("out", at, end)
        expected = by_hand(states, 2.0, at, end)
        deviation = record(state).measures("@out").average - expected[0]
        self.assertLess(abs(low - expected[0]), 1e-3 * deviation)
        self.assertLess(abs(high - expected[1]), 1e-3 * deviation)

    def test_a_run_cut_into_pieces_ends_where_it_would(self) -> None:
        circuit = type_three_buck()
        ends = []
        for pauses in ((), (1.7, 3.0, 3.2, 11.9)):
            passage = Passage(circuit, {"out": {"@out": 1.0}})
            for periods in pauses:
                passage.advance(periods * PERIOD)
            passage.advance(20.0 * PERIOD)
            ends.append(list(passage.state.values()))
            self.assertAlmostEqual(float((passage.strip.end - passage.strip.start).sum()), 20.0 * PERIOD)
        np.testing.assert_allclose(ends[0], ends[1], rtol=1e-9, atol=1e-9)

    def test_averages_of_parts_are_those_of_the_whole(self) -> None:
        whole, parts = (Passage(type_three_buck(), {"out": {"@out": 1.0}}) for _ in range(2))
        whole.advance(PERIOD)
        parts.advance(0.4 * PERIOD)
        parts.advance(PERIOD)
        strip = parts.strip
        average = float(((strip.end - strip.start) * strip.mean[:, 0]).sum() / PERIOD)
        self.assertAlmostEqual(average, float(whole.strip.mean[0, 0]), delta=1e-9)

    def test_what_is_seen_again_is_what_was_seen(self) -> None:
        passage = Passage(type_three_buck(), {"out": {"@out": 1.0}}, ("step",))
        travel(passage, [Change(700.3 * PERIOD, "step", 1.0)], 1500.0 * PERIOD)
        before = passage.time, dict(passage.state)
        time, values = passage.samples(700.0 * PERIOD, 702.0 * PERIOD, 2000)
        self.assertEqual((passage.time, passage.state), before)
        low, _, high, _ = passage.strip.extremes("out", 700.0 * PERIOD, 702.0 * PERIOD)
        self.assertAlmostEqual(float(values.min()), low, delta=1e-5)
        self.assertAlmostEqual(float(values.max()), high, delta=1e-5)
        self.assertTrue((np.diff(time) >= -1e-18).all())

    def test_it_goes_on_after_looking_back_as_if_nothing_had_been(self) -> None:
        strips = []
        for look in (False, True):
            passage = Passage(type_three_buck(), {"out": {"@out": 1.0}}, ("step",))
            passage.advance(30.4 * PERIOD)
            if look:
                passage.samples(3.0 * PERIOD, 30.0 * PERIOD)
            passage.change(Change(passage.time, "step", 1.0))
            passage.advance(60.0 * PERIOD)
            strips.append(passage.strip)
        for name in ("low", "high", "mean", "low_at", "high_at"):
            np.testing.assert_array_equal(getattr(strips[0], name), getattr(strips[1], name))

    def test_a_control_that_changes_within_a_period_holds_from_the_next_one(self) -> None:
        circuit = replace(type_three_buck(), law=None)
        passage = Passage(circuit, {"S1": {"S1.v": 1.0}})
        travel(passage, [Change(10.5 * PERIOD, control=0.6)], 20.0 * PERIOD)
        strip = passage.strip
        self.assertEqual(set(strip.control[strip.end < 11.1 * PERIOD].tolist()), {0.31})
        self.assertEqual(set(strip.control[strip.start > 10.9 * PERIOD].tolist()), {0.6})
        (_, longer, _), *_ = passage.again(15.0 * PERIOD, 15.9 * PERIOD)
        share = float(longer.durations[0]) / longer.length
        self.assertAlmostEqual(share, 0.6, delta=1e-9)

    def test_what_is_kept_is_bounded_and_still_right(self) -> None:
        kept, places = transient.KEPT, transient.PLACES
        self.addCleanup(setattr, transient, "KEPT", kept)
        self.addCleanup(setattr, transient, "PLACES", places)
        whole = Passage(type_three_buck(), {"out": {"@out": 1.0}}, ("step",))
        changes = [Change(3000.7 * PERIOD, "step", 2.0)]
        travel(whole, changes, 9000.0 * PERIOD)
        transient.KEPT, transient.PLACES = 300, 3
        few = Passage(type_three_buck(), {"out": {"@out": 1.0}}, ("step",))
        travel(few, changes, 9000.0 * PERIOD)
        self.assertLess(len(few.strip.start), 1200)
        for start, end in ((0.0, 3000.7 * PERIOD), (3000.7 * PERIOD, 9000.0 * PERIOD)):
            np.testing.assert_allclose(
                few.strip.extremes("out", start, end), whole.strip.extremes("out", start, end)
            )
        length = few.strip.end - few.strip.start
        self.assertAlmostEqual(float(length.sum()), 9000.0 * PERIOD)
        average = float((length * few.strip.mean[:, 0]).sum()) / float(length.sum())
        span = whole.strip.end - whole.strip.start
        self.assertAlmostEqual(
            average, float((span * whole.strip.mean[:, 0]).sum()) / float(span.sum()), delta=1e-9
        )
        one, two = (p.samples(3000.0 * PERIOD, 3002.0 * PERIOD)[1] for p in (few, whole))
        np.testing.assert_allclose(one, two, rtol=1e-9)

    def test_a_ramp_of_the_reference_is_followed(self) -> None:
        circuit = type_three_buck()
        start = {"C": 0.0}
        passage = Passage(circuit, {"out": {"@out": 1.0}}, moving=("V_ref",), states=start)
        passage.change(Change(0.0, "V_ref", 0.0, 1.2 / 2e-3))
        travel(passage, [Change(2e-3, "V_ref", 1.2)], 4e-3)
        target = 1.2 * (1.0 + NETWORK["R_1"] / NETWORK["R_b"])
        self.assertAlmostEqual(float(passage.strip.mean[-1, 0]), target, delta=1e-4)
        self.assertLess(passage.strip.extremes("out", 0.0, 4e-3)[2], 1.02 * target)


AVERAGED = ("buck", "boost", "buck-boost", "flyback")
"""Pages with an averaged model."""


class ByTangents(unittest.TestCase):
    """The sampled response is that of the circuit to a small change of its control, period after period."""

    EPSILON, COUNT = 1e-6, 24

    def compare(self, stage: Stage) -> None:
        responses = stage.responses
        z = np.exp(2j * math.pi / 8.0)
        phi, gamma = responses.tangent[:, :-1], responses.tangent[:, -1]
        mode = np.linalg.solve(z * np.eye(len(phi)) - phi, gamma)
        expected = complex(responses.sampled("held", np.array([1.0 / 8.0 / responses.period]))[0])
        engine, state = responses.engine, responses.state
        seen = []
        for sign in (1.0, -1.0):
            z_0, combo, out = state.start.copy(), state.combo, []
            z_0[engine.unknown] += sign * self.EPSILON * mode.real
            for k in range(self.COUNT):
                run = engine.run(
                    z_0, combo, state.control + sign * self.EPSILON * (z**k).real, tangents=False
                )
                z_0, combo = run.end.copy(), run.combo
                out.append(float(engine.shown(engine.index(combo))[0] @ z_0))
            seen.append(out)
        odd = (np.array(seen[0]) - np.array(seen[1])) / (2.0 * self.EPSILON)
        turned = np.array([(expected * z ** (k + 1)).real for k in range(self.COUNT)])
        self.assertLess(float(np.abs(odd - turned).max()), 1e-4 * abs(expected))

    def test_of_five_converters_in_both_modes(self) -> None:
        for name in ("buck", "boost", "flyback", "sepic", "phase-shifted-full-bridge"):
            made = example_design(name)
            modes = set()
            places = corners(made)
            for stage in (places.nominal, places.every[0]):
                with self.subTest(name, at=stage.words):
                    self.compare(stage)
                    modes.add(simulated_mode(made.page, stage.point, record(stage.open)))
            if name in ("buck", "boost", "flyback"):
                self.assertEqual(modes, {"continuous", "discontinuous"})

    def test_averaged_models_agree_in_continuous_conduction(self) -> None:
        for name in AVERAGED:
            stage = corners(example_design(name)).nominal
            model = averaged(stage, "continuous")
            assert model is not None
            gain, phase = apart(model, stage, np.geomspace(1e-3, 4e-3, 5) * stage.circuit.frequency)
            self.assertLess(float(np.abs(gain).max()), 0.01, name)
            self.assertLess(float(np.abs(phase).max()), 1.0, name)

    def test_averaged_models_agree_beyond_the_resonance(self) -> None:
        """Up to a twentieth of the frequency: resonance, its quality, the zeros."""
        for name in AVERAGED:
            stage = corners(example_design(name)).nominal
            gain, phase = self.off(stage, "continuous", 5e-2)
            self.assertLess(gain, 0.03, name)
            self.assertLess(phase, 3.0, name)

    def test_averaged_models_agree_in_discontinuous_conduction(self) -> None:
        """Gain and pole; what is beyond them is half a sample late."""
        for name in AVERAGED:
            made = example_design(name)
            light = [s for s in corners(made).every if s.point["I_o"] == min(made.loads)]
            for stage in light:
                self.assertEqual(simulated_mode(made.page, stage.point, record(stage.open)), "discontinuous")
                gain, phase = self.off(stage, "discontinuous", 5e-3)
                self.assertLess(gain, 0.04, stage.words)
                self.assertLess(phase, 1.5, stage.words)

    def off(self, stage: Stage, mode: str, highest: float) -> tuple[float, float]:
        """Return by how much gain and phase [°] of a model are off at most, up to so much of the frequency."""
        model = averaged(stage, mode)
        assert model is not None
        gain, phase = apart(model, stage, np.geomspace(1e-4, highest, 9) * stage.circuit.frequency)
        return float(np.abs(gain).max()), float(np.abs(phase).max())


class Designs(unittest.TestCase):
    def test_every_kind_meets_what_it_is_asked(self) -> None:
        cases: tuple[dict[str, Any], ...] = (
            {"network": "type III", "crossover": "15 kHz", "amplifier": {"gain": 90, "bandwidth": "20 MHz"}},
            {"network": "type III", "crossover": "15 kHz", "feed_forward": True},
            {"kind": "peak-current", "peak": {"sense": "50 mΩ"}, "crossover": "12 kHz"},
            {
                "kind": "peak-current",
                "peak": {"sense": "50 mΩ", "blanking": "100 ns"},
                "amplifier": {"kind": "transconductance"},
                "crossover": "12 kHz",
            },
            {
                "kind": "peak-current",
                "peak": {"sense": "50 mΩ"},
                "amplifier": {"kind": "optocoupler", "pole": "200 kHz"},
                "crossover": "3 kHz",
                "reference": "2.5 V",
            },
            {"kind": "digital", "digital": {"gains": "integral"}, "phase_margin": "45°"},
        )
        for case in cases:
            with self.subTest(case):
                tables = buck_tables() | {"control": case}
                found = jl.loop(tables)
                data = found.view().data
                self.assertEqual({c["reason"] for c in data["corners"]}, {None})
                self.assertTrue(
                    all(abs(complex(*m)) < 1.0 for c in data["corners"] for m in c["multipliers"])
                )
                middle = next(c for c in data["corners"] if c["V_in"] == 24.0 and c["I_o"] == 4.0)
                if "crossover" in case:
                    asked = float(case["crossover"].split()[0]) * 1e3
                    self.assertLess(abs(middle["crossover"] / asked - 1.0), 0.05)
                self.assertGreater(middle["phase_margin"], 44.0)

    def test_feed_forward_leaves_the_loop_alone_when_the_input_moves(self) -> None:
        spreads = []
        for feed in (False, True):
            tables = buck_tables() | {
                "control": {"network": "type III", "crossover": "15 kHz", "feed_forward": feed}
            }
            data = jl.loop(tables).view().data
            crossovers = [c["crossover"] for c in data["corners"] if c["I_o"] == 4.0]
            spreads.append(max(crossovers) / min(crossovers))
        self.assertGreater(spreads[0], 1.3)
        self.assertLess(spreads[1], 1.05)

    def test_what_cannot_be_is_said_with_numbers(self) -> None:
        found = jl.loop(
            buck_tables() | {"control": {"network": "type II", "crossover": "30 kHz", "phase_margin": "70°"}}
        )
        self.assertEqual(found.view().exit_status, 1)
        self.assertRegex(" ".join(found.view().notes), r"needs \d+° of boost.*type II.*at most 85°")

    def test_a_current_loop_without_slope_is_told_to_oscillate(self) -> None:
        tables = buck_tables() | {
            "control": {
                "kind": "peak-current",
                "peak": {"sense": "50 mΩ", "slope": 0},
                "crossover": "10 kHz",
            },
            "input": {"voltage": {"min": 7, "nominal": 8, "max": 9}},
        }
        view = jl.loop(tables).view()
        self.assertEqual(view.exit_status, 1)
        stability = next(v for v in view.data["verdicts"] if "dies out" in v["what"])
        self.assertFalse(stability["holds"])
        self.assertIn("half the switching frequency", stability["advice"])
        self.assertIn("50 % and more", stability["advice"])

    def test_a_converter_controlled_by_frequency_takes_a_digital_loop(self) -> None:
        import tomllib

        from jump_lane.study.template import example

        tables = tomllib.loads(example("half-bridge-llc"))
        with self.assertRaisesRegex(jl.InputError, "kind = 'digital'"):
            jl.loop(tables | {"control": {"network": "type II"}})
        tables["control"] = {"kind": "digital", "digital": {"gains": "integral"}, "crossover": "100 Hz"}
        data = jl.loop(tables).view().data
        self.assertTrue(all(abs(complex(*m)) < 1.0 for c in data["corners"] for m in c["multipliers"]))

    def test_noise_steps_and_words_are_heeded(self) -> None:
        digital = {
            "gains": "integral",
            "voltage_step": 0.01,
            "duty_step": "0.1 %",
            "noise": 0.005,
            "median": 3,
            "word": 20,
        }
        tables = buck_tables() | {
            "control": {"kind": "digital", "digital": digital, "crossover": "300 Hz", "phase_margin": "40°"},
            "event": [{"at": "0.5 ms", "load": "3 A"}],
        }
        run = jl.transient(tables, end="3 ms").journey
        controls = run.passage.strip.control
        self.assertTrue(np.allclose(controls / 1e-3, np.round(controls / 1e-3), atol=1e-6))
        self.assertGreater(len(set(np.round(controls, 6).tolist())), 2)
        self.assertLess(abs(float(run.passage.strip.mean[-1, 0]) / 5.0 - 1.0), 0.02)
        coarse = {**digital, "duty_step": "2 %"}
        tables["control"]["digital"] = coarse  # type: ignore[index]
        verdicts = jl.loop(tables).view().data["verdicts"]
        self.assertFalse(next(v for v in verdicts if "code" in v["what"])["holds"])


class NoLoad(unittest.TestCase):
    def test_a_boost_runs_away_without_a_loop_and_not_under_it(self) -> None:
        import tomllib

        from jump_lane.study.template import example

        tables = tomllib.loads(example("boost"))
        tables["control"] = {"network": "type III", "crossover": "3 kHz", "phase_margin": "45°"}
        tables["event"] = [{"at": "0.2 ms", "load": "0 A"}]
        highest = []
        for open_loop in (True, False):
            run = jl.transient(tables, end="5 ms", open_loop=open_loop).journey
            highest.append(run.passage.strip.extremes("held", 0.0, 1.0)[2])
            last = run.passage.strip.mean[:, 0]
            grows = last[-1] - last[-len(last) // 10]
            self.assertEqual(bool(grows > 1.0), open_loop)
        self.assertGreater(highest[0], 1.2 * highest[1])


class Commands(CommandCase):
    LOOP = '[control]\nnetwork = "type III"\ncrossover = "20 kHz"\nphase_margin = "48°"\nramp = "1.6 V"\n'

    def setUp(self) -> None:
        super().setUp()
        self.run_command("new", "buck", "rail.toml")

    def text(self) -> str:
        return (self.folder / "rail.toml").read_text(encoding="utf-8")

    def test_loop_and_transient_of_the_demonstration(self) -> None:
        done = self.run_command("loop", "rail.toml", "--figure", "loop.png", "--table", "loop.csv", "--json")
        data = json.loads(done.stdout)
        self.assertTrue(data["holds"])
        self.assertTrue((self.folder / "loop.png").stat().st_size > 20_000)
        self.assertIn("loop, gain [dB]", (self.folder / "loop.csv").read_text().splitlines()[0])
        done = self.run_command(
            "transient", "rail.toml", "--figure", "run.png", "--table", "run.parquet", "--json"
        )
        data = json.loads(done.stdout)
        self.assertEqual([e["event"].split()[0] for e in data["events"]], ["load", "load", "input"])
        self.assertEqual(data["broken"], [])
        self.assertLess(data["events"][0]["overshoot"], 1.2)
        self.assertEqual([m["mode"] for m in data["modes"]], ["continuous", "discontinuous", "continuous"])
        shown = self.run_command("transient", "rail.toml").stdout
        self.assertIn("everything asked holds", shown)
        self.assertTrue(all(len(line) <= 120 for line in shown.splitlines()))

    def test_responses_show_both_loops(self) -> None:
        done = self.run_command(
            "loop", "rail.toml", "--responses", "--load", "2 A", "--figure", "answers.png"
        )
        self.assertEqual(done.stdout.count("output impedance"), 3)
        self.assertTrue(all(len(line) <= 120 for line in done.stdout.splitlines()))
        self.assertIn("2.000 A", done.stdout)

    def test_a_tight_deviation_is_not_met(self) -> None:
        done = self.run_command("transient", "rail.toml", "--set", "control.deviation=100mV", status=1)
        self.assertIn("asked at most 100.0 mV", done.stdout)

    def test_what_cannot_be_meant_is_refused(self) -> None:
        for extra, words in (
            (("--set", "control.crossover=150kHz"), "half the switching frequency"),
            (("--set", "control.reference=15V"), "control.reference"),
            (("--set", "control.kind=peak-current"), "peak: expected"),
        ):
            with self.subTest(words):
                self.assertIn(words, self.run_command("loop", "rail.toml", *extra, status=2).stderr)
        for extra, words in (
            (("--end", "1.5 ms"), "the run ends at 1.500 ms"),
            (("--end", "0 s"), "end: expected"),
            (("--band", "300 %"), "band"),
        ):
            with self.subTest(words):
                self.assertIn(words, self.run_command("transient", "rail.toml", *extra, status=2).stderr)
        self.write("plain.toml", self.text().split("[control]")[0])
        self.assertIn("expected [control]", self.run_command("loop", "plain.toml", status=2).stderr)
        self.assertIn("nothing happens", self.run_command("transient", "plain.toml", status=2).stderr)
        event = '\n[[event]]\nat = "1 ms"\nsetpoint = "5 V"\n'
        self.write("set.toml", self.text().split("[control]")[0] + event)
        self.assertIn(
            "no loop that would hold it", self.run_command("transient", "set.toml", status=2).stderr
        )
        both = '\n[[event]]\nat = "1 ms"\nload = "1 A"\ninput = "50 V"\n'
        self.write("both.toml", self.text() + both)
        self.assertIn("read load and input", self.run_command("transient", "both.toml", status=2).stderr)

    def test_circuit_files(self) -> None:
        text = (REFERENCE / "control" / "pcm_buck_type2_slope.toml").read_text(encoding="utf-8")
        self.write("own.toml", text)
        done = self.run_command("loop", "own.toml", "--json")
        self.assertAlmostEqual(json.loads(done.stdout)["crossovers"][0][0], 83615.33, delta=0.1)
        done = self.run_command("transient", "own.toml", "--signal", "@out", "--table", "own.csv")
        self.assertIn("Iload: current → 2.000 A", done.stdout)
        self.run_command("loop", "own.toml", "--signal", "@out", "--to", "Vin", "--figure", "line.png")
        for wrong, right, words in (
            ('element="Iload"', 'element="Iloda"', "Iload"),
            ("R_1=", "R_9=", "nearest valid name: R_"),
            ("current=2.0", 'resistance="2 Ω"', "has no resistance"),
        ):
            self.write("wrong.toml", text.replace(wrong, right, 1))
            self.assertIn(words, self.run_command("transient", "wrong.toml", status=2).stderr)


POISONED = """
import types
import numpy as np
import numba

def plain(*given, **_):
    def kept(function):
        function.stats = types.SimpleNamespace(cache_path="{folder}")
        function.signatures = []
        return function
    return kept(given[0]) if given and callable(given[0]) else kept

numba.njit = plain
numba.core.config.DISABLE_JIT = 1
fresh = np.empty
def poisoned(shape, dtype=float, **other):
    out = fresh(shape, dtype, **other)
    if out.dtype.kind == "f":
        out[...] = np.nan
    return out
np.empty = poisoned
np.seterr(invalid="ignore")
from tests.test_loops import type_three_buck
from jump_lane.switching.engine import Engine
engine = Engine(type_three_buck(), watched={{"out": {{"@out": 1.0}}}}, inputs=("step",))
edges = engine.schedule(0.31)
run = engine.run(engine.start({{"L": 3.0, "C": 7.0, "v_1": 0.7, "v_2": 0.7, "v_3": 5.8}}), 0, 0.31, True)
assert np.isfinite(run.end).all() and np.isfinite(run.tangent[:-1]).all()
for table in engine.tables[1:]:
    assert np.isfinite(table[: engine.known]).all()
"""


class Memory(CommandCase):
    def test_the_inner_loop_reads_nothing_that_it_has_not_written_and_nothing_beyond(self) -> None:
        program = POISONED.format(folder=str(self.folder).replace("\\", "/"))
        done = subprocess.run(
            [sys.executable, "-c", program],
            capture_output=True,
            text=True,
            cwd=str(REFERENCE.parent.parent),
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
