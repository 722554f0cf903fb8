"""Average current control, the least output capacitance, a measured loop, parts off by tolerance, commands under the loop."""

import csv
import json
import math
import tomllib
import unittest
from typing import Any, ClassVar

import numpy as np
from jsonschema import Draft202012Validator

import jump_lane as jl
from jump_lane.control.analogue import Analogue
from jump_lane.control.design import LoopDesign, design_loop
from jump_lane.control.least import closed_forms, slopes
from jump_lane.control.loops import close
from jump_lane.control.margins import margins
from jump_lane.control.measured import fit_measured, read_measured
from jump_lane.control.stage import Stage, corners
from jump_lane.control.tolerances import at_tolerances
from jump_lane.library.closed import under_loop
from jump_lane.library.loops import least_capacitor
from jump_lane.library.measured import fit_loop
from jump_lane.report.export import Columns
from jump_lane.report.schemas import of_output
from jump_lane.study.template import example
from tests.common import CommandCase, buck_tables, example_design


def tables(**control: Any) -> dict[str, Any]:
    """A rail with bigger capacitors than its ripple needs, and a loop."""
    loop = {
        "network": "type III",
        "crossover": "15 kHz",
        "phase_margin": "50°",
        "gain_margin": 6.0,
        **control,
    }
    chosen = {"C_o": "150 µF"}
    return {**buck_tables(), "chosen": chosen, "parts": {"C_o": {"resistance": "12 mΩ"}}, "control": loop}


AVERAGE = {
    "kind": "average-current",
    "network": "type II",
    "average": {"sense": "50 mΩ"},
    "ramp": "2 V",
    "crossover": "8 kHz",
}


def designed(**control: Any) -> LoopDesign:
    return design_loop(jl.load(tables(**control)).design, fitted=False)


def analogue(found: LoopDesign) -> Analogue:
    assert isinstance(found.loop, Analogue)
    return found.loop


class AverageCurrent(unittest.TestCase):
    found: ClassVar[LoopDesign]
    loop: ClassVar[Analogue]

    @classmethod
    def setUpClass(cls) -> None:
        cls.found = designed(**AVERAGE)
        cls.loop = analogue(cls.found)

    def test_the_average_of_the_current_is_what_is_commanded(self) -> None:
        closed = close(self.loop, self.found.nominal)
        held = closed.state.engine.named(closed.state.start)
        recording = self.found.nominal.open
        self.assertAlmostEqual(closed.control, recording.control, delta=1e-3 * recording.control)
        assert self.loop.inner is not None
        sense = self.loop.inner.sense
        proof = self.found.middle
        assert proof is not None
        self.assertAlmostEqual(proof.average / self.found.nominal.target, 1.0, delta=1e-6)
        # the integrator of the current amplifier leaves no error: the command is the sensed average
        load = self.found.nominal.i_o
        command = self.loop.network.dynamics(self.loop.values, "load.v").command
        row = sum(factor * held[name] for name, factor in command.items())
        self.assertAlmostEqual(row / (sense * load), 1.0, delta=0.05)

    def test_the_current_loop_crosses_where_it_was_designed_to(self) -> None:
        inner = designed(**{**AVERAGE, "crossover": "2 kHz"})
        proof = inner.middle
        assert proof is not None
        aimed = 0.15 * inner.nominal.circuit.frequency
        self.assertAlmostEqual(proof.whole.crossover / aimed, 1.0, delta=0.15)
        self.assertLess(proof.margins.crossover, 0.2 * proof.whole.crossover)

    def test_the_gain_margin_of_the_outer_loop_is_the_gain_that_it_bears(self) -> None:
        stage = self.found.nominal
        closed = close(self.loop, stage)
        margin = margins(closed.gain, closed.sampling).gain

        def largest(decibels: float) -> float:
            g = 10.0 ** (decibels / 20.0)
            v = self.loop.values
            louder = {"C_1": v["C_1"] / g, "C_2": v["C_2"] / g, "R_2": v["R_2"] * g}
            return float(np.abs(close(self.loop.with_values(louder), stage).multipliers).max())

        # the analyser's gain leaves out what the sampling of the comparator folds back
        self.assertLess(largest(margin - 1.5), 1.0)
        self.assertGreater(largest(margin + 1.5), 1.0)

    def test_behind_a_transformer_the_inductor_is_held_and_not_the_core(self) -> None:
        control = {
            "kind": "average-current",
            "network": "type II",
            "average": {"sense": "20 mΩ"},
            "crossover": "3 kHz",
        }
        given = tomllib.loads(example("forward")) | {"control": control}
        found = design_loop(jl.load(given).design, fitted=False)
        inner = analogue(found).inner
        self.assertEqual(inner.signal if inner else "", "L1.i")
        closed = close(found.loop, found.nominal)
        self.assertAlmostEqual(margins(closed.gain, closed.sampling).crossover / 3e3, 1.0, delta=0.05)
        for topology in ("full-bridge", "push-pull", "phase-shifted-full-bridge", "current-fed-full-bridge"):
            first = corners(example_design(topology)).nominal.inductors[0]
            self.assertIn(first, ("L", "L1"), topology)
        core = control | {"average": {"sense": "20 mΩ", "inductor": "L_m"}}
        with self.assertRaisesRegex(jl.InputError, "L_m.i is not what carries the load"):
            jl.loop(tomllib.loads(example("half-bridge")) | {"control": core})

    def test_what_it_cannot_do_is_refused(self) -> None:
        for message, control in (
            ("average: expected", {"kind": "average-current", "network": "type II"}),
            ("nearest valid name: L", {**AVERAGE, "average": {"sense": 0.05, "inductor": "L1"}}),
            ("average and kind = 'voltage' exclude", {"average": {"sense": 0.05}}),
        ):
            with self.subTest(message=message), self.assertRaisesRegex(jl.InputError, message):
                designed(**control)


class ThresholdDiode(unittest.TestCase):
    """Proportional feedback across a barrier: no integrator, so that the output moves with the command."""

    AMPLIFIER: ClassVar[dict[str, Any]] = {
        "kind": "threshold-diode",
        "spread": 0.2,
        "pole": "200 kHz",
        "pull_up": "2.2k",
    }

    def tables(self, **control: Any) -> dict[str, Any]:
        rail = {**buck_tables(), "chosen": {"C_o": "47 µF"}}
        rail["input"] = {"voltage": {"min": 44, "nominal": 48, "max": 56}}
        rail["output"] = [{"voltage": 24, "current": {"min": 1.5, "max": 3}, "voltage_ripple": "1 %"}]
        peak = {"sense": "0.8 Ω", "slope": 0.5}
        loop = {
            "kind": "peak-current",
            "peak": peak,
            "network": "proportional",
            "crossover": "6 kHz",
            "phase_margin": "50°",
        }
        return {**rail, "control": {**loop, "gain_margin": 6.0, "amplifier": self.AMPLIFIER, **control}}

    def test_the_gain_is_that_of_the_resistors_and_the_output_moves_with_the_command(self) -> None:
        found = design_loop(jl.load(self.tables()).design, fitted=False)
        values = analogue(found).values
        self.assertEqual(found.hinder, "")
        middle = found.middle
        assert middle is not None
        self.assertAlmostEqual(middle.margins.crossover / 6e3, 1.0, delta=0.01)
        self.assertAlmostEqual(middle.average / 24.0, 1.0, delta=2e-3)
        # two loads: the output falls by R_d/(R_p·r_t) for each volt that the command rises
        corners = {
            round(p.stage.i_o, 3): p
            for p in found.proofs
            if p.words == p.stage.words and p.stage.v_in == 48.0
        }
        commands = {}
        for load, proof in corners.items():
            closed = close(analogue(found), proof.stage)
            commands[load] = closed.state.engine.named(closed.state.start)["v_2"]
        slope = (corners[3.0].average - corners[1.5].average) / (commands[3.0] - commands[1.5])
        self.assertAlmostEqual(slope / (-values["R_d"] / (values["R_p"] * values["r_t"])), 1.0, delta=0.05)

    def test_the_accuracy_that_it_costs_is_told(self) -> None:
        diode = jl.loop(self.tables()).view().data["held"]
        reference = {
            "network": "type II",
            "amplifier": {**self.AMPLIFIER, "kind": "optocoupler"},
            "reference": "2.5 V",
        }
        shunt = jl.loop(self.tables(**reference)).view().data["held"]
        self.assertGreater(diode["tolerance"], 2.0 * shunt["tolerance"])

    def test_a_gain_that_no_threshold_makes_is_said(self) -> None:
        low = self.tables(crossover="500 Hz")
        low["output"] = [{"voltage": 5, "current": {"min": 1.5, "max": 3}, "voltage_ripple": "1 %"}]
        found = design_loop(jl.load(low).design)
        self.assertIn("no threshold diode makes this gain", found.hinder)
        with self.assertRaisesRegex(jl.InputError, "read 'type II' with amplifier.kind = 'threshold-diode'"):
            jl.loop(self.tables(network="type II"))


class LeastCapacitance(unittest.TestCase):
    def test_it_is_enough_and_less_is_not(self) -> None:
        case = jl.load(tables(deviation="130 mV", step="2 A"))
        found = least_capacitor(case, exact=True).found
        best = found.best
        assert best is not None
        self.assertLessEqual(best.deviation, 0.130 * 1.001)
        nearest = max((t.capacitance for t in found.tried if t.deviation > 0.130 * 1.001), default=0.0)
        self.assertGreater(nearest, best.capacitance / 1.02)
        self.assertLess(nearest, best.capacitance)

    def test_closed_forms_by_hand(self) -> None:
        found = designed(longest=0.8)
        sheet = closed_forms(found, 0.1, 2.0)
        stage = found.nominal
        inductance, v_o = stage.design.components()["L"], stage.target
        rise, fall = slopes(stage, 0.8)
        self.assertAlmostEqual(fall * inductance / v_o, 1.0, delta=0.01)
        self.assertAlmostEqual(rise * inductance / (0.8 * 24.0 - v_o), 1.0, delta=0.01)
        self.assertAlmostEqual(sheet["C_f"].worst / (4.0 * inductance / (2.0 * 0.1 * v_o)), 1.0, delta=0.01)
        assert found.middle is not None
        crossover = found.middle.margins.crossover
        self.assertAlmostEqual(sheet["C_c"].worst, 2.0 / (2.0 * math.pi * crossover * 0.1), delta=1e-9)

    def test_a_boost_has_no_inductor_that_feeds_its_output(self) -> None:
        loop = {"network": "type II", "crossover": "1.5 kHz", "phase_margin": "50°"}
        boost = {**buck_tables(), "topology": "boost", "control": loop}
        boost["output"] = [{"voltage": 48, "current": {"min": 0.2, "max": 1}, "voltage_ripple": "1 %"}]
        self.assertEqual(slopes(Stage(jl.load(boost).at()), 1.0), (0.0, 0.0))

    def test_a_deviation_below_the_drop_across_the_esr_is_out_of_reach(self) -> None:
        case = jl.load(tables(deviation="20 mV", step="2 A"))
        result = least_capacitor(case)
        self.assertIsNone(result.found.best)
        self.assertEqual(result.view().exit_status, 1)
        self.assertTrue(any("smaller ESR" in n for n in result.view().notes))


TRUE = {"A_0": 10.0 ** (56.0 / 20.0), "f_u": 1.5e6}


class Measurements(unittest.TestCase):
    case: ClassVar[jl.Converter]
    columns: ClassVar[dict[str, list[object]]]

    @classmethod
    def setUpClass(cls) -> None:
        cls.case = jl.load(tables())
        frequencies = np.geomspace(300.0, 80e3, 25)
        loop = analogue(design_loop(cls.case.design)).with_values(TRUE)
        gain = close(loop, Stage(cls.case.set({"C_o": "*0.9"}).at())).gain(frequencies)
        cls.columns = {
            "Frequency [Hz]": [f"{f:.9g}" for f in frequencies],
            "gain [dB]": [f"{20.0 * math.log10(abs(g)):.9g}" for g in gain],
            "phase [°]": [f"{math.degrees(np.angle(-g)):.9g}" for g in gain],
        }

    def test_what_was_not_known_is_found(self) -> None:
        found = fit_loop(self.case, self.columns, ("gain", "bandwidth", "C_o")).fitted
        self.assertTrue(found.turned)
        self.assertAlmostEqual(found.values["gain"] / TRUE["A_0"], 1.0, delta=1e-3)
        self.assertAlmostEqual(found.values["bandwidth"] / TRUE["f_u"], 1.0, delta=1e-4)
        self.assertAlmostEqual(found.values["C_o"], 0.9, delta=1e-5)
        gain, phase = found.residuals()
        self.assertLess(np.abs(gain).max(), 1e-3)
        self.assertLess(np.abs(phase).max(), 1e-2)
        self.assertEqual(found.untold(), ())

    def test_the_network_is_designed_anew_with_it(self) -> None:
        fixed = tables(values={"R_2": "2.2k"})
        result = fit_loop(fixed, self.columns, ("bandwidth",), exact=True)
        anew = analogue(result.anew.found)
        self.assertNotAlmostEqual(anew.values["R_2"], 2200.0)
        self.assertAlmostEqual(anew.values["f_u"] / result.fitted.values["bandwidth"], 1.0, delta=1e-9)
        middle = result.anew.found.middle
        assert middle is not None
        self.assertAlmostEqual(middle.margins.crossover / 15e3, 1.0, delta=0.01)

    def test_what_the_measurement_does_not_tell_is_said(self) -> None:
        seen = read_measured(self.columns, "here")

        def compute(values: Any) -> Any:
            # only the product of both shows
            return seen.gain * values["a"] * values["b"] / 6.0

        found = fit_measured(seen, {"a": 2.0, "b": 4.0}, compute)
        self.assertAlmostEqual(found.values["a"] * found.values["b"], 6.0, delta=1e-6)
        self.assertEqual(found.untold(), ("a", "b"))

    def test_wrong_tables_and_unknowns_are_refused(self) -> None:
        short = {k: v[:2] for k, v in self.columns.items()}
        wrong: tuple[tuple[str, Columns, tuple[str, ...]], ...] = (
            ("no column 'phase'", {"frequency [Hz]": ["1"], "gain [dB]": ["2"]}, ()),
            ("at least 3 rows", short, ()),
            ("expected numbers", {**self.columns, "gain [dB]": ["x"] * 25}, ()),
            ("nearest valid name: bandwidth", self.columns, ("bandwith",)),
        )
        for message, columns, unknown in wrong:
            with self.subTest(message=message), self.assertRaisesRegex(jl.InputError, message):
                fit_loop(self.case, columns, unknown or ("gain",))


class Tolerances(unittest.TestCase):
    def test_the_worst_is_worse_than_as_it_should_be_and_brute_force_finds_none_worse(self) -> None:
        found = designed(resistor_tolerance=0.02, capacitor_tolerance=0.1)
        proven = at_tolerances(found)
        least = min(p.margins.phase for p in found.proofs)
        worst = min(p.margins.phase for p in proven.proofs)
        self.assertLess(worst, least - 1.0)
        self.assertGreater(proven.variants, 10)
        corner = min(found.proofs, key=lambda p: p.margins.phase).stage
        loop, rng = analogue(found), np.random.default_rng(5)
        spread = {"R_1": 0.01, "R_b": 0.01, **{s: 0.02 if s[0] == "R" else 0.1 for s in loop.network.values}}
        for _ in range(24):
            off = {s: loop.values[s] * (1.0 + t * rng.choice((-1.0, 1.0))) for s, t in spread.items()}
            closed = close(loop.with_values(off), corner)
            self.assertGreater(margins(closed.gain, closed.sampling).phase, worst - 0.3)


class UnderTheLoop(unittest.TestCase):
    def test_the_output_is_where_the_divider_holds_it(self) -> None:
        case = jl.load(tables(values={"R_b": "3.3k"}, divider="10k", reference="1.2 V"))
        held = under_loop(case).converter
        voltage = held.spec.output[0].voltage
        assert voltage is not None
        self.assertAlmostEqual(voltage, 1.2 * (1.0 + 10.0 / 3.3), delta=2e-3)
        for symbol, value in case.design.components().items():
            self.assertAlmostEqual(held.design.components()[symbol] / value, 1.0, delta=1e-9)
        span = held.spec.output[0].voltage_range
        assert span is not None
        part = 0.01 + 2.0 * 0.01 * (1.0 - 1.2 / 5.0)
        self.assertAlmostEqual(span.max / voltage - 1.0, part, delta=1e-6)

    def test_a_band_of_the_output_is_judged(self) -> None:
        for band, holds in ((0.05, True), (0.02, False)):
            asked = tables()
            asked["output"] = [{**asked["output"][0], "voltage_band": band}]
            with self.subTest(band=band):
                checked = jl.check(asked, closed_loop=True)
                rows = [
                    v for v in checked.view().data["loop"]["verdicts"] if v["what"].startswith("output with")
                ]
                self.assertEqual([v["holds"] for v in rows], [holds])
                self.assertEqual(checked.view().exit_status, 0 if holds else 1)

    def test_an_unstable_loop_fails_the_check(self) -> None:
        loop = {"R_2": "150k", "C_1": "1n", "C_2": "1p", "R_3": "100", "C_3": "10n"}
        checked = jl.check(tables(values=loop), closed_loop=True)
        self.assertFalse(checked.holds)
        self.assertTrue(jl.check(tables(values=loop)).holds)


class Commands(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.run_command("new", "buck", "rail.toml")

    def data(self, *arguments: str, status: int = 0) -> dict[str, Any]:
        data: dict[str, Any] = json.loads(self.run_command(*arguments, "--json", status=status).stdout)
        kind = data["format"].split("/")[1]
        Draft202012Validator(of_output(kind)).validate(data)
        return data

    def test_every_command_under_the_loop(self) -> None:
        checked = self.data("check", "rail.toml", "--closed-loop")
        held = checked["loop"]["held"]["average"]
        self.assertAlmostEqual(held, 1.2 * (1.0 + 12.0 / 1.27), delta=5e-3)
        row = self.data(
            "sweep", "rail.toml", "--vary", "output.current=2,4", "--measure", "V_o", "--closed-loop"
        )
        for point in row["rows"]:
            self.assertAlmostEqual(point["values"][0], held, delta=1e-4)
        for command in ("losses", "efficiency"):
            extra = ("--points", "3") if command == "efficiency" else ()
            shown = self.run_command(command, "rail.toml", "--closed-loop", *extra).stdout
            self.assertIn("12.50 V → 12.54 V", shown)
        self.run_command(
            "sweep",
            "rail.toml",
            "--vary",
            "output.current=2,4",
            "--control",
            "D=0.3",
            "--closed-loop",
            status=2,
        )

    def test_a_measurement_is_fitted_and_drawn(self) -> None:
        loop = self.data("loop", "rail.toml", "--table", "loop.csv")
        with (self.folder / "loop.csv").open() as source:
            rows = list(csv.DictReader(source))[80:180:6]
        with (self.folder / "seen.csv").open("w", newline="") as target:
            out = csv.writer(target)
            out.writerow(["frequency [Hz]", "gain [dB]", "phase [°]"])
            out.writerows([r["frequency [Hz]"], r["loop, gain [dB]"], r["loop, phase [°]"]] for r in rows)
        found = self.data(
            "loop", "rail.toml", "--measured", "seen.csv", "--unknown", "C_o", "--figure", "seen.png"
        )
        self.assertAlmostEqual(found["figures"]["C_o"]["value"], 1.0, delta=1e-4)
        self.assertAlmostEqual(found["loop"]["values"]["R_2"] / loop["values"]["R_2"], 1.0, delta=1e-6)
        self.assertGreater((self.folder / "seen.png").stat().st_size, 20_000)
        self.run_command("loop", "rail.toml", "--measured", "rail.toml", status=2)
        self.run_command("loop", "rail.toml", "--unknown", "gain", status=2)

    def test_the_least_capacitor_and_tolerances(self) -> None:
        found = self.data("loop", "rail.toml", "--least-capacitor")
        self.assertLess(found["exact"], found["now"])
        loop = self.data("loop", "rail.toml", "--tolerance", status=1)
        self.assertTrue(any("network at its worst" in c["corner"] for c in loop["corners"]))
        message = self.run_command(
            "loop", "rail.toml", "--least-capacitor", "--set", "control.kind=digital", status=2
        ).stderr
        self.assertIn("control", message)
