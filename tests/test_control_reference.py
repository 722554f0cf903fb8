"""Runs over time, responses and loops against independent, hand-written mode equations."""

import json
import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from jump_lane.circuit.file import CircuitFile, parse_circuit
from jump_lane.control.digital import Gains, Sampled
from jump_lane.control.margins import Margins, margins
from jump_lane.control.own import closed, controller_of, prepared
from jump_lane.switching.record import record
from jump_lane.switching.response import CONTROL, Responses
from jump_lane.switching.steady import steady_state
from jump_lane.switching.transient import Passage, travel
from jump_lane.validation import read_toml
from tests.common import REFERENCE

FOLDER = REFERENCE / "control"
OUT, COIL = "@out", "L1.i"
SIGNALS = {"vo": OUT, "iL": COIL, "vcl": "Cc.v", "ilk": "Llk.i", "vc": "command"}


def case(name: str) -> tuple[CircuitFile, dict[str, Any]]:
    truth = json.loads((FOLDER / f"{name}.json").read_text())
    return parse_circuit(read_toml(FOLDER / f"{name}.toml"), name), truth


def complex_of(entries: list[dict[str, float]]) -> np.ndarray:
    return np.array([e["re"] + 1j * e["im"] for e in entries])


def frequencies(entries: list[dict[str, float]], period: float) -> np.ndarray:
    return np.array([e["f_over_fs"] for e in entries]) / period


class Case(unittest.TestCase):
    def near(self, found: float, expected: float, scale: float, tolerance: float = 1e-6) -> None:
        self.assertLess(abs(found - expected), tolerance * scale, (found, expected))

    def same(self, found: np.ndarray, entries: list[dict[str, float]], tolerance: float = 1e-5) -> None:
        expected = complex_of(entries)
        self.assertLess(float(np.max(np.abs(found - expected) / np.abs(expected))), tolerance)

    def same_margins(self, found: Margins, loop: dict[str, Any]) -> None:
        self.assertEqual(len(found.crossovers), len(loop["crossovers"]))
        for (f, margin), expected in zip(found.crossovers, loop["crossovers"], strict=True):
            self.near(f, expected["f"], expected["f"], 1e-5)
            self.assertAlmostEqual(margin, expected["phase_margin_deg"], delta=1e-3)
        for (f, margin), expected in zip(found.crossings, loop["real_negative_points"], strict=True):
            self.near(f, expected["f"], expected["f"], 1e-5)
            self.assertAlmostEqual(margin, expected["gain_margin_dB"], delta=1e-3)

    def same_multipliers(self, found: np.ndarray, entries: list[dict[str, float]]) -> None:
        for expected in complex_of(entries):
            if abs(expected) > 1e-6:
                self.assertLess(np.abs(found - expected).min(), 1e-6)


class OpenLoop(Case):
    def run_through(self, name: str, start: dict[str, float] | None) -> tuple[Passage, CircuitFile, dict]:
        loaded, truth = case(name)
        end = truth["truth"]["windows"][-1]["to_t"]
        signals = tuple(
            s for s in SIGNALS.values() if s.partition(".")[0] in {e.name for e in loaded.circuit.elements}
        )
        run, changes = prepared(loaded, (OUT, *signals), end, start is None, name)
        travel(run.passage, changes, end)
        return run.passage, loaded, truth

    def check(self, passage: Passage, truth: dict) -> None:
        period, found = truth["period"], truth["truth"]
        for window in found["windows"]:
            for key, signal in SIGNALS.items():
                if key not in window:
                    continue
                expected = window[key]
                low, low_at, high, high_at = passage.strip.extremes(signal, window["from_t"], window["to_t"])
                scale = max(abs(expected["min"]), abs(expected["max"]))
                self.near(low, expected["min"], scale)
                self.near(high, expected["max"], scale)
                self.assertLess(abs(high_at - expected["t_max"]), 0.01 * period)
                if key == "vo":
                    self.assertLess(abs(low_at - expected["t_min"]), 0.01 * period)
        average = found["final_periodic_state"]["vo_avg"]
        settling = found["settling"]
        band = settling["band"] * abs(average)
        last = passage.last_outside(OUT, average - band, average + band, settling["after_t"])
        assert last is not None
        self.assertLess(abs(last - settling["after_t"] - settling["settling_time"]), 1e-3 * period)

    def test_load_steps_of_a_buck_into_discontinuous_conduction_and_back(self) -> None:
        passage, _, truth = self.run_through("ol_buck_Rstep_into_dcm", {})
        self.check(passage, truth)

    def test_start_up_of_a_flyback_with_leakage(self) -> None:
        passage, loaded, truth = self.run_through("ol_flyback_rcd_startup", None)
        self.check(passage, truth)
        found = record(steady_state(loaded.circuit, guess=passage.state)).measures(OUT)
        self.near(found.average, truth["truth"]["final_periodic_state"]["vo_avg"], found.average)


class OpenResponses(Case):
    def test_boost_with_output_jumps_and_flyback_in_discontinuous_conduction(self) -> None:
        sources = {"duty": (CONTROL, 1.0), "Vin": ("Vin", 1.0), "output": ("Iload", -1.0)}
        for name in ("fr_boost_ccm_esr", "fr_flyback_dcm"):
            with self.subTest(name):
                loaded, truth = case(name)
                guess = truth["operating_point"]["state_at_clock"]
                state = steady_state(
                    loaded.circuit, None, guess, watched={"out": {OUT: 1.0}}, inputs=("Vin", "Iload")
                )
                responses = Responses(state)
                for words, entries in truth["truth"]["responses"].items():
                    source, sign = sources[words.split()[0]]
                    f = frequencies(entries, truth["period"])
                    self.same(sign * responses.analyser(source, ("out",), f)["out"], entries)
                entries = truth["truth"]["H_of_z"]
                self.same(responses.sampled("out", frequencies(entries, truth["period"])), entries)
                self.same_multipliers(responses.multipliers, truth["truth"]["multipliers"])


class AnalogueLoops(Case):
    NAMES = ("cl_buck_type3", "cl_flyback_dcm_type2", "pcm_buck_type2_slope")

    def test_steady_states_multipliers_and_loop_gains(self) -> None:
        for name in self.NAMES:
            with self.subTest(name):
                loaded, truth = case(name)
                found, period = truth["truth"], truth["period"]
                state = closed(loaded, {"out": {OUT: 1.0}}, ("Vin", "Iload"))
                recording = record(state)
                steady = found["steady"]
                for key, value in (
                    ("vo_avg", recording.measures(OUT).average),
                    ("vo_max", recording.measures(OUT).maximum),
                    ("iL_max", recording.measures(COIL).maximum),
                ):
                    self.near(value, steady[key], steady[key], 1e-7)
                responses = Responses(state)
                opened = responses.opened
                self.same_multipliers(responses.multipliers, found["multipliers"])
                self.same_multipliers(opened.multipliers, found["multipliers"])
                self.same_margins(margins(opened.loop_gain, 1.0 / period), found["loop"])
                self.same(opened.loop_gain(frequencies(found["L_samples"], period)), found["L_samples"])
                if "outer_loop_at_vc_inner_closed" in found:
                    outer = found["outer_loop_at_vc_inner_closed"]
                    self.same(opened.outer_gain(frequencies(outer["samples"], period)), outer["samples"])
                    self.same_margins(margins(opened.outer_gain, 1.0 / period), outer)
                for words, entries in found["closed_loop_responses"].items():
                    source, sign = ("Vin", 1.0) if words.startswith("Vin") else ("Iload", -1.0)
                    f = np.array([e["f"] for e in entries])
                    self.same(sign * responses.analyser(source, ("out",), f)["out"], entries)

    def test_the_gain_at_which_a_multiplier_leaves_the_unit_circle(self) -> None:
        for name in self.NAMES:
            with self.subTest(name):
                loaded, truth = case(name)
                factor = truth["truth"]["onset"]["compensator_gain_factor"]
                assert loaded.loop is not None
                for times, stable in ((1.0 - 1e-5, True), (1.0 + 1e-5, False)):
                    values = {
                        symbol: float(value) * (times * factor if symbol == "C_3" else 1.0 / (times * factor))
                        if symbol in ("R_1", "R_b", "R_3", "C_3")
                        else value
                        for symbol, value in loaded.loop.values.items()
                    }
                    other = replace(loaded, loop=loaded.loop.model_copy(update={"values": values}))
                    multipliers = Responses(closed(other, {}, ())).multipliers
                    self.assertEqual(bool(np.abs(multipliers).max() < 1.0), stable)

    def test_load_steps(self) -> None:
        for name in self.NAMES:
            with self.subTest(name):
                loaded, truth = case(name)
                step, period = truth["truth"]["load_step"], truth["period"]
                first, second = (s["t"] for s in truth["steps"])
                end = 2.0 * second - first + 300.0 * period
                run, changes = prepared(loaded, (OUT, COIL), end, False, name)
                travel(run.passage, changes, end)
                strip = run.passage.strip
                scale = step["vo_max_after_step_down"]
                low, low_at, _, _ = strip.extremes(OUT, first, second)
                self.near(low, step["vo_min_after_step_up"], scale)
                self.assertLess(abs(low_at - step["t_min"]), 0.01 * period)
                _, _, high, high_at = strip.extremes(OUT, second, end)
                self.near(high, step["vo_max_after_step_down"], scale)
                self.assertLess(abs(high_at - step["t_max"]), 0.01 * period)
                self.near(strip.extremes(COIL, 0.0, end)[2], step["iL_max"], step["iL_max"])
                low, _, high, _ = strip.extremes("command", 0.0, end)
                self.near(low, step["vc_min"], step["vc_max"])
                self.near(high, step["vc_max"], step["vc_max"])
                band = step["recovery"]["band_V"]
                for since, until, around, key in (
                    (first, second, step["vo_avg_loaded_periodic"], "up"),
                    (second, end, step["vo_avg_before"], "down"),
                ):
                    last = run.passage.last_outside(OUT, around - band, around + band, since, until)
                    assert last is not None
                    self.assertLess(abs(last - since - step["recovery"][key]), 1e-3 * period)

    def test_peak_current_into_a_stiff_output(self) -> None:
        loaded, truth = case("pcm_stiff_d060_slope")
        found, period = truth["truth"], truth["period"]
        state = closed(loaded, {}, ())
        current = record(state).measures(COIL)
        self.near(current.maximum, found["iL_peak"], found["iL_peak"], 1e-8)
        self.near(current.average, found["iL_avg"], found["iL_peak"], 1e-8)
        self.assertAlmostEqual(Responses(state).multipliers[0].real, found["multiplier"], delta=1e-7)
        values = found["transient_iL_at_clock"]["values"]
        passage = Passage(
            state.engine.circuit, {COIL: {COIL: 1.0}}, states={**state.states, "v_c": 0.9935, "L1": values[0]}
        )
        for k, expected in enumerate(values[1:], start=1):
            passage.advance(k * period)
            self.assertAlmostEqual(passage.state["L1"], expected, delta=1e-6)


class DigitalLoops(Case):
    def test_multipliers_margins_onset_and_samples_of_a_load_step(self) -> None:
        loaded, truth = case("dig_buck_pi_one_period")
        found, period = truth["truth"], truth["period"]
        responses = Responses(closed(loaded, {"held": {OUT: 1.0}}, ()))
        controller = controller_of(loaded, loaded.circuit.control)
        assert controller is not None
        loop = Sampled(controller.loop, controller.gains)
        self.same_multipliers(loop.multipliers(responses), found["multipliers"])
        self.same_margins(margins(lambda f: loop.gain(responses, f), 1.0 / period), found["loop"])
        self.same(loop.gain(responses, frequencies(found["L_samples"], period)), found["L_samples"])
        onset = found["onset"]
        for gains in (
            Gains(onset["Kp_at_fixed_Ki"], 0.0015),
            Gains(0.03, onset["Ki_at_fixed_Kp"]),
            loop.gains.times(onset["common_factor_on_Kp_and_Ki"]),
        ):
            for times, stable in ((1.0 - 1e-5, True), (1.0 + 1e-5, False)):
                scaled = Gains(gains.proportional * times, gains.integral * times)
                largest = np.abs(loop.with_gains(scaled).multipliers(responses)).max()
                self.assertEqual(bool(largest < 1.0), stable)
        run, changes = prepared(loaded, (OUT,), 75.0 * period, False, "dig")
        for sample in found["load_step"]["samples"]:
            if 0 < sample["k"] < 70:
                for change in changes:
                    if run.passage.time < change.time <= sample["k"] * period:
                        run.passage.advance(change.time)
                        run.passage.change(change)
                run.passage.advance(sample["k"] * period)
                here = run.passage.here
                seen = here.engine.shown(here.engine.index(here.combo))[0]
                self.near(float(seen @ here.mark.state), sample["vo_sampled"], 3.3)

    def test_steps_of_pulse_width_coarser_than_those_of_readings_make_it_wander(self) -> None:
        loaded, truth = case("dig_quantised_limit_cycle")
        found, period = truth["truth"], truth["period"]
        run, _ = prepared(loaded, (OUT,), 2500.0 * period, False, "dig")
        run.passage.advance(2500.0 * period)
        strip = run.passage.strip
        codes = np.round(strip.control / 0.00390625).astype(int)
        self.assertEqual(codes[:33].tolist(), found["first_60_codes"][:33])
        self.assertEqual(set(codes[-200:].tolist()), set(found["duty_codes_last_200"]))
        # just before the clock is the end of each period, where the output is read off the average's neighbourhood
        swing = float(np.ptp(strip.mean[-1500:, 0]))
        self.assertAlmostEqual(swing, found["vo_sampled_peak_to_peak_last_2000"], delta=0.00678)
        spectrum = np.abs(np.fft.rfft(strip.mean[-1500:, 0] - strip.mean[-1500:, 0].mean()))
        self.assertAlmostEqual(
            int(spectrum.argmax()) / 1500.0, found["dominant_frequency_over_fs"], delta=0.2 * 0.029
        )
