"""Networks, margins, controllers, strips and events, each on its own."""

import cmath
import math
import unittest
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

import jump_lane as jl
from jump_lane.circuit.control import Control
from jump_lane.circuit.law import ONE
from jump_lane.control.digital import Controller, Gains
from jump_lane.control.margins import margins
from jump_lane.control.network import Dynamics, operational, optocoupler, transconductance
from jump_lane.control.stage import corners
from jump_lane.control.verdicts import verdicts
from jump_lane.spec.loop import Digital, Loop
from jump_lane.switching.strip import Strip
from tests.common import buck_tables, example_design

PARTS = {
    "R_1": 10e3,
    "R_b": 2.2e3,
    "R_2": 33e3,
    "R_3": 470.0,
    "C_1": 2.2e-9,
    "C_2": 68e-12,
    "C_3": 1.5e-9,
    "V_ref": 1.2,
}
IDEAL = {"A_0": math.inf, "f_u": math.inf}


def answer(dynamics: Dynamics, sensed: str, s: complex) -> complex:
    """Return what a network puts out for a small signal at its input, from its rates alone."""
    states = tuple(dynamics.rates)
    a = np.array([[dynamics.rates[k].get(n, 0.0) for n in states] for k in states], dtype=complex)
    b = np.array([dynamics.rates[k].get(sensed, 0.0) for k in states], dtype=complex)
    c = np.array([dynamics.command.get(n, 0.0) for n in states], dtype=complex)
    return complex(c @ np.linalg.solve(s * np.eye(len(states)) - a, b) + dynamics.command.get(sensed, 0.0))


def beside(*impedances: complex) -> complex:
    return 1.0 / sum(1.0 / z for z in impedances)


class Networks(unittest.TestCase):
    """Rates of a network against its impedances."""

    FREQUENCIES = (30.0, 1e3, 2e4, 5e5)

    def near(self, found: complex, expected: complex) -> None:
        self.assertLess(abs(found / expected - 1.0), 1e-9, (found, expected))

    def test_operational_amplifier_in_all_three_forms(self) -> None:
        for left_out in ((), ("R_3", "C_3"), ("R_3", "C_3", "R_2", "C_2")):
            v = {k: x for k, x in PARTS.items() if k not in left_out}
            for f in self.FREQUENCIES:
                s = 2j * math.pi * f
                into = beside(v["R_1"], v["R_3"] + 1.0 / (s * v["C_3"])) if "R_3" in v else v["R_1"]
                back = 1.0 / (s * v["C_1"])
                if "R_2" in v:
                    back = beside(v["R_2"] + back, 1.0 / (s * v["C_2"]))
                with self.subTest(left_out=left_out, f=f):
                    self.near(answer(operational({**v, **IDEAL}, "out"), "out", s), -back / into)
                    for limits in ({"A_0": 2e3, "f_u": 3e6}, {"A_0": 1e9, "f_u": 3e6}):
                        own = 1.0 / (1.0 / limits["A_0"] + s / (2.0 * math.pi * limits["f_u"]))
                        node = beside(into, v["R_b"], back)
                        expected = -own * node / into / (1.0 + own * node / back)
                        self.near(answer(operational({**v, **limits}, "out"), "out", s), expected)

    def test_transconductance_amplifier(self) -> None:
        v = {**PARTS, "g_m": 8e-4}
        for gain in (math.inf, 500.0):
            for f in self.FREQUENCIES:
                s = 2j * math.pi * f
                load = beside(v["R_2"] + 1.0 / (s * v["C_1"]), 1.0 / (s * v["C_2"]))
                if math.isfinite(gain):
                    load = beside(load, gain / v["g_m"])
                share = v["R_b"] / (v["R_1"] + v["R_b"])
                found = answer(transconductance({**v, "A_0": gain}, "out"), "out", s)
                self.near(found, -v["g_m"] * share * load)

    def test_shunt_reference_with_optocoupler(self) -> None:
        v = {**PARTS, "R_d": 680.0, "R_p": 4.7e3, "r_t": 0.8, "V_cc": 5.0, "V_F": 1.1, "f_o": 80e3}
        for f in self.FREQUENCIES:
            s = 2j * math.pi * f
            cathode = -1.0 / (s * v["C_1"] * v["R_1"])  # its input stands still, so R_b carries no signal
            lag = 1.0 + s * (v["R_p"] * v["C_2"] + 1.0 / (2.0 * math.pi * v["f_o"]))
            expected = -(1.0 - cathode) * v["R_p"] * v["r_t"] / v["R_d"] / lag
            self.near(answer(optocoupler(v, "out"), "out", s), expected)

    def test_states_rest_where_they_are_said_to(self) -> None:
        finite = {"A_0": 3e3, "f_u": 5e6}
        held = PARTS["V_ref"] * (1.0 + PARTS["R_1"] / PARTS["R_b"])
        self.rests(operational({**PARTS, **IDEAL}, "out"), held, 0.7)
        off = 0.7 / finite["A_0"] * (1.0 + PARTS["R_1"] / PARTS["R_b"])
        self.rests(operational({**PARTS, **finite}, "out"), held - off, 0.7)
        self.rests(transconductance({**PARTS, "g_m": 1e-3, "A_0": math.inf}, "out"), held, 0.7)
        opto = {**PARTS, "R_d": 680.0, "R_p": 4.7e3, "r_t": 0.8, "V_cc": 5.0, "V_F": 1.1, "f_o": 80e3}
        self.rests(optocoupler(opto, "out"), held, 2.1)

    def rests(self, dynamics: Dynamics, held: float, command: float) -> None:
        values: Mapping[str, float] = {
            **dynamics.rest(command, held), "out": held, "V_ref": PARTS["V_ref"], ONE: 1.0,
        }  # fmt: skip
        for state, row in dynamics.rates.items():
            terms = [factor * values[name] for name, factor in row.items()]
            self.assertLess(abs(sum(terms)), 1e-9 * max(map(abs, terms)), state)
        self.assertAlmostEqual(sum(f * values[n] for n, f in dynamics.command.items()), command, places=9)


class OfKnownLoops(unittest.TestCase):
    def test_an_integrator_has_ninety_degrees_and_no_crossing(self) -> None:
        found = margins(lambda f: 1.0 / (1j * f / 1e3), 1e5)
        self.assertAlmostEqual(found.crossover, 1e3, delta=1e-3)
        self.assertAlmostEqual(found.phase, 90.0, places=6)
        self.assertEqual(found.gain, math.inf)

    def test_three_equal_poles(self) -> None:
        for gain in (4.0, 10.0):
            found = margins(lambda f, gain=gain: gain / (1.0 + 1j * f / 100.0) ** 3, 1e5)  # type: ignore[misc]
            x = math.sqrt(gain ** (2.0 / 3.0) - 1.0)
            self.assertAlmostEqual(found.crossover, 100.0 * x, delta=1e-4)
            self.assertAlmostEqual(found.phase, 180.0 - 3.0 * math.degrees(math.atan(x)), places=5)
            (f, margin), *_ = found.crossings
            self.assertAlmostEqual(f, 100.0 * math.sqrt(3.0), delta=1e-4)
            self.assertAlmostEqual(margin, 20.0 * math.log10(8.0 / gain), places=5)

    def test_a_sampled_integrator_is_real_at_half_the_sampling_frequency(self) -> None:
        """L(z) = g·z⁻¹/(1 − z⁻¹) is −g/2 there: it may rise by 2/g."""
        found = margins(lambda f: 0.25 / (np.exp(2j * np.pi * f / 1e5) - 1.0), 1e5)
        self.assertAlmostEqual(found.gain, 20.0 * math.log10(8.0), places=5)


class AtWork(unittest.TestCase):
    def controller(self, gains: Gains | None = None, **digital: Any) -> Controller:
        gains = Gains(0.0, 0.01) if gains is None else gains
        loop = Loop(kind="digital", digital=Digital(**digital))
        return Controller(loop, gains, Control("D", "duty ratio", 0.05, 0.9), 5.0, 0.4)

    def test_a_sample_takes_effect_so_many_periods_later(self) -> None:
        for delay in (0, 1, 3):
            one = self.controller(delay=delay)
            given = []
            for _ in range(6):
                one.read((4.0,))
                given.append(one.control())
            expected = [0.4] * delay + [0.4 + 0.01 * k for k in range(1, 7)]
            np.testing.assert_allclose(given, expected[:6], atol=1e-12)

    def test_it_does_not_wind_up_and_lets_go_at_once(self) -> None:
        one = self.controller(delay=0)
        for _ in range(500):
            one.read((0.0,))
        self.assertLessEqual(one.integral, 0.9)
        self.assertLessEqual(one.control(), 0.9)
        one.read((9.0,))
        self.assertLess(one.control(), 0.9)

    def test_pulses_are_no_longer_than_the_longest(self) -> None:
        loop = Loop(kind="digital", longest=0.5, digital=Digital(delay=0))
        one = Controller(loop, Gains(0.0, 0.01), Control("D", "duty ratio", 0.05, 0.9), 5.0, 0.4)
        for _ in range(100):
            one.read((0.0,))
        self.assertAlmostEqual(one.control(), 0.45)

    def test_the_reference_goes_where_it_is_aimed_at_its_pace(self) -> None:
        one = self.controller(Gains(1.0, 0.0), delay=0)
        one.aim(5.3, 0.1)
        errors = []
        for _ in range(5):
            one.read((5.0,))
            errors.append(one.control() - 0.4)
        np.testing.assert_allclose(errors, [0.1, 0.2, 0.3, 0.3, 0.3], atol=1e-12)
        one.aim(4.9, 0.0)
        one.read((5.0,))
        self.assertAlmostEqual(one.control(), 0.3)

    def test_from_rest_the_reference_rises(self) -> None:
        one = self.controller(Gains(0.01, 0.0), delay=0)
        one.from_rest(10.0)
        one.read((0.0,))
        self.assertAlmostEqual(one.control(), 0.055)
        one.read((0.0,))
        self.assertAlmostEqual(one.control(), 0.06)

    def test_an_outlier_is_no_median(self) -> None:
        one, other = (self.controller(Gains(0.1, 0.0), delay=0, median=n) for n in (3, 1))
        for reading in (5.0, 5.0, 2.0):
            one.read((reading,))
            other.read((reading,))
            found = one.control(), other.control()
        self.assertAlmostEqual(found[0], 0.4)
        self.assertAlmostEqual(found[1], 0.7)

    def test_steps_of_readings_control_and_words(self) -> None:
        one = self.controller(Gains(0.1, 0.0), delay=0, voltage_step=0.5, duty_step=0.02, word=4)
        one.read((4.7,))
        # error 0.3 is read as 0.5; 0.1 of it is 0.05, of sixteenths 0.0625; the integral of 0.4 becomes 0.375; of steps: 0.44
        self.assertAlmostEqual(one.control(), 0.44)


class Strips(unittest.TestCase):
    def test_halving_keeps_extremes_averages_and_their_instants(self) -> None:
        rng = np.random.default_rng(3)
        start = np.array([0.0, 1.0, 2.0, 2.25, 3.0])
        end = np.array([1.0, 2.0, 2.25, 3.0, 4.0])
        mean = rng.normal(size=(5, 2))
        low, high = mean - rng.uniform(0.1, 1.0, (5, 2)), mean + rng.uniform(0.1, 1.0, (5, 2))
        low_at, high_at = (
            start[:, None] + rng.uniform(0.0, 1.0, (5, 2)) * (end - start)[:, None] for _ in "ab"
        )
        met = np.array([1, 2, 4, 1, 8])
        strip = Strip(("a", "b"), start, end, low, high, mean, low_at, high_at, np.full(5, 0.5), met)
        half = strip.halved()
        np.testing.assert_array_equal(half.start, [0.0, 2.0, 3.0])
        np.testing.assert_array_equal(half.end, [2.0, 3.0, 4.0])
        np.testing.assert_array_equal(half.met, [3, 5, 8])
        for name in "ab":
            self.assertEqual(half.extremes(name, 0.0, 4.0), strip.extremes(name, 0.0, 4.0))
        np.testing.assert_allclose((end - start) @ mean, (half.end - half.start) @ half.mean, rtol=1e-12)


class Asked(unittest.TestCase):
    def tables(self, **control: Any) -> dict[str, Any]:
        return buck_tables() | {"control": {"network": "type III", "crossover": "15 kHz", **control}}

    def test_a_deviation_asked_is_judged_by_the_step_simulated(self) -> None:
        for asked, holds in ((0.01, False), (2.0, True)):
            found = jl.loop(self.tables(deviation=asked)).view()
            verdict = next(v for v in found.data["verdicts"] if "load step" in v["what"])
            self.assertEqual(verdict["holds"], holds)
            self.assertEqual(found.exit_status, 0 if all(v["holds"] for v in found.data["verdicts"]) else 1)

    def test_a_crossover_missed_by_values_that_can_be_bought_is_told(self) -> None:
        found = jl.loop(self.tables()).found
        self.assertEqual(found.hinder, "")
        asked = found.loop.loop.model_copy(update={"crossover": 17e3})
        first = next(verdicts(replace(found, loop=replace(found.loop, loop=asked))))
        self.assertFalse(first.holds)
        self.assertIn("--exact keeps those derived", first.advice)

    def test_an_optocoupler_is_proven_at_the_ends_of_its_transfer_ratio(self) -> None:
        amplifier = {"kind": "optocoupler", "pole": "200 kHz", "transfer": "100 %", "spread": "30 %"}
        peak = {"sense": "50 mΩ"}
        tables = self.tables(
            network="type II",
            kind="peak-current",
            peak=peak,
            amplifier=amplifier,
            crossover="3 kHz",
            reference="2.5 V",
        )
        found = jl.loop(tables).view().data["corners"]
        for ratio in ("70 %", "130 %"):
            self.assertEqual(sum(f"CTR {ratio}" in c["corner"] for c in found), len(found) // 3)
        here = [c for c in found if c["V_in"] == 24.0 and c["I_o"] == 4.0]
        low, middle, high = (next(c for c in here if w in c["corner"]) for w in ("70 %", "4.000 A", "130 %"))
        self.assertLess(low["crossover"], middle["crossover"])
        self.assertLess(middle["crossover"], high["crossover"])

    def test_keys_that_go_with_another_kind_are_refused(self) -> None:
        for kind, key, value in (
            ("digital", "ramp", 1.5), ("digital", "divider", "10k"), ("voltage", "peak", {"sense": "1 Ω"}),
            ("voltage", "digital", {"delay": 2}), ("digital", "network", "type II"),
        ):  # fmt: skip
            control = {"kind": kind, key: value}
            with self.subTest(control), self.assertRaisesRegex(jl.InputError, f"{key} and kind = '{kind}'"):
                jl.loop(buck_tables() | {"control": control})


class Happening(unittest.TestCase):
    def run_with(self, event: dict[str, Any], control: dict[str, Any] | None, **tables: Any) -> Any:
        asked = buck_tables() | tables | {"event": [{"at": "0.3 ms", **event}]}
        if control is not None:
            asked["control"] = control
        return jl.transient(asked, end="4 ms").journey

    def test_a_digital_set_point_ramps(self) -> None:
        control = {
            "kind": "digital",
            "digital": {"gains": "integral"},
            "crossover": "500 Hz",
            "phase_margin": "45°",
        }
        run = self.run_with({"setpoint": "4 V", "over": "1 ms"}, control)
        strip = run.passage.strip
        at = int(np.searchsorted(strip.start, 0.85e-3))
        self.assertTrue(4.2 < float(strip.mean[at, 0]) < 4.95)
        self.assertAlmostEqual(float(strip.mean[-1, 0]), 4.0, delta=0.02)

    def test_refused_by_name(self) -> None:
        loop = {"network": "type III", "crossover": "15 kHz"}
        for event, control, words in (
            ({"control": "40 %"}, loop, "the loop sets the duty ratio"),
            ({"leds": 3}, loop, "no string of LEDs"),
            ({"setpoint": "4 V"}, None, "no loop that would hold it"),
            ({"output": 2, "load": "1 A"}, loop, "the converter has 1 outputs"),
        ):
            with self.subTest(words), self.assertRaisesRegex(jl.InputError, words):
                self.run_with(event, control)

    def test_a_load_at_the_second_output_moves_the_first(self) -> None:
        import tomllib

        from jump_lane.study.template import example

        tables = tomllib.loads(example("multi-output-flyback"))
        tables["event"] = [{"at": "0.2 ms", "output": 2, "load": "0.1 A"}]
        tables.pop("control", None)
        run = jl.transient(tables, end="6 ms").journey
        self.assertIn("output 2: load → 100.0 mA", run.plan[0].words)
        strip = run.passage.strip
        k = strip.names.index("output 2")
        self.assertGreater(strip.mean[-1, k], strip.mean[0, k])


class Proven(unittest.TestCase):
    def test_the_analyser_shows_what_a_small_sine_does(self) -> None:
        """A sine of the load, simulated for many periods, against the response of output to load current."""
        from jump_lane.control.stage import DISTURBANCE
        from jump_lane.switching.changes import Change
        from jump_lane.switching.transient import Passage, travel

        stage = corners(example_design("buck")).nominal
        period, size, per = stage.circuit.period, 0.5, 16
        f = 1.0 / (per * period)
        passage = Passage(
            replace(stage.open.engine.circuit, control=stage.open.control), {"held": {stage.held: 1.0}}, stage.inputs,
            (DISTURBANCE,), stage.open.states, stage.open.combo,
        )  # fmt: skip
        parts, changes = 32, []
        settle, seen = 60 * per * period, 4 * per * period
        for k in range(round((settle + seen) * f * parts)):
            t = k / (f * parts)
            now, then = (size * math.sin(2.0 * math.pi * f * (t + d)) for d in (0.0, 1.0 / (f * parts)))
            changes.append(Change(t, DISTURBANCE, now, (then - now) * f * parts))
        travel(passage, changes, settle + seen)
        time, values = passage.samples(settle, settle + seen)
        order = np.argsort(time, kind="stable")
        time, values = time[order], values[order, 0] - values[:, 0].mean()
        turn = np.exp(-2j * np.pi * f * time)
        found = 2.0 * np.trapezoid(values * turn, time) / seen / (size * cmath.exp(-0.5j * math.pi))
        chord = np.sinc(1.0 / parts) ** 2  # what a polygon through a sine has of it
        expected = complex(stage.responses.analyser(DISTURBANCE, ("held",), np.array([f]))["held"][0])
        self.assertLess(abs(found / chord / expected - 1.0), 2e-3)


if __name__ == "__main__":
    unittest.main()
