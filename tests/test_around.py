"""What stands around the power stage, against direct solutions, brute force and the simulator."""

import itertools
import json
import math
import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from scipy.optimize import minimize_scalar

import jump_lane as jl
from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, Diode, Element, Inductor, Resistor, Switch, VoltageSource
from jump_lane.circuit.gates import on
from jump_lane.equations.divider import output, pair, spread
from jump_lane.library.around import around
from jump_lane.quantities.preferred import decade
from jump_lane.spec.around import BankType, Filter, Protection
from jump_lane.study.around import Filtered, in_front, scenes
from jump_lane.supply.bank import bank, impedances, peak_to_peak, resonances
from jump_lane.supply.filter import (
    SHORT,
    Built,
    Sides,
    built,
    carried,
    design,
    excess_of,
    inrush,
    level,
    limit_at,
)
from jump_lane.supply.net import GROUND, Branch, Draw, solve
from jump_lane.supply.protect import overload_curve, protected
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import steady_state
from jump_lane.switching.waveforms import fourier
from tests.common import CommandCase, buck_tables


def harmonics(recording: Recording, signal: str, count: int = 30) -> Any:
    return fourier(recording.samples_between(signal, 0.0, recording.period, 40_000), recording.period, count)[
        1:
    ]


class Dividers(unittest.TestCase):
    def test_the_pair_is_the_best_there_is_near_the_current(self) -> None:
        for wanted, reference, series in ((12.5, 1.2, "E96"), (3.3, 0.8, "E24"), (48.0, 2.5, "E48")):
            found = pair(wanted, reference, series=series, current=1e-4)
            ideal = (wanted - reference) / 1e-4
            values = [v * 10.0**k for k in range(2, 7) for v in decade(series)]
            best = min(
                abs(output(reference, u, b) / wanted - 1.0)
                for u, b in itertools.product(values, values)
                if abs(u / ideal - 1.0) <= 0.35
            )
            self.assertAlmostEqual(abs(found.error), best, delta=1e-4)

    def test_two_resistors_come_closer_than_one(self) -> None:
        single = abs(pair(12.5, 1.2, upper=12e3).error)
        for combine in ("series", "parallel"):
            found = pair(12.5, 1.2, upper=12e3, combine=combine)
            self.assertLess(abs(found.error), 0.1 * single)
            a, b = found.lower.pieces
            self.assertAlmostEqual(found.lower.value, a + b if combine == "series" else a * b / (a + b))

    def test_tolerances_at_their_worst_and_in_squares(self) -> None:
        figures = {"v": (1.2, 0.01), "u": (10e3, 0.02), "l": (1e3, 0.02)}
        found = spread(figures, lambda f: output(f["v"], f["u"], f["l"]))
        self.assertAlmostEqual(found.high, 1.212 * (1.0 + 10.2e3 / 980.0))
        self.assertAlmostEqual(found.low, 1.188 * (1.0 + 9.8e3 / 1020.0))
        rng = np.random.default_rng(2)
        drawn = [
            output(*(v * (1.0 + t / 3.0 * rng.standard_normal()) for v, t in figures.values()))
            for _ in range(40_000)
        ]
        self.assertAlmostEqual(3.0 * float(np.std(drawn)) / found.sigmas, 1.0, delta=0.02)

    def test_currents_into_the_node_add_up(self) -> None:
        """A follower that holds its input at the reference, bias drawn from there, as node equations have it."""
        v_ref, upper, lower, bias = 1.2, 12e3, 1.3e3, 2e-6
        v = output(v_ref, upper, lower, bias, [(22e3, 2.5)])
        self.assertAlmostEqual((v - v_ref) / upper + (2.5 - v_ref) / 22e3, v_ref / lower + bias, places=15)


class Adjusting(unittest.TestCase):
    def sections(self, **adjust: Any) -> dict[str, Any]:
        tables = {**buck_tables(), "adjust": adjust, "divider": {"upper": "10k", "series": "E192"}}
        view = around(tables, ["adjust"]).view()
        found: dict[str, Any] = view.data["sections"]["adjust"]
        return found

    def test_a_control_voltage_covers_the_range(self) -> None:
        span = {"output": {"min": 4.0, "max": 6.0}, "voltage": {"min": 0.0, "max": 3.3}, "series": "E192"}
        found = self.sections(by="voltage", **span)
        values = [s["nominal"] for s in found["settings"]]
        self.assertAlmostEqual(values[0], 6.0, delta=0.05)
        self.assertAlmostEqual(values[-1], 4.0, delta=0.05)
        self.assertTrue(all(s["low"] < s["nominal"] < s["high"] for s in found["settings"]))
        self.assertTrue(all(s["holds"] for s in found["settings"]))

    def test_a_pulse_width_ripples_as_little_as_asked(self) -> None:
        span = {
            "output": {"min": 4.0, "max": 6.0},
            "voltage": {"min": 0.0, "max": 3.3},
            "frequency": "10 kHz",
        }
        values = self.sections(by="pulse-width", ripple="20 mV", **span)["values"]
        r_f, rest, c_f = values["R_f"], values["R_3"] - values["R_f"], values["C_f"]
        # the node behind the second half is held at the reference, which for ripple is ground
        elements = (
            VoltageSource("drive", "high", "gnd", 3.3),
            Switch("S1", "high", "x"),
            Switch("S2", "x", "gnd"),
            Resistor("R_f", "x", "c", r_f),
            Resistor("R", "c", "gnd", rest),
            Capacitor("C", "c", "gnd", c_f),
        )
        circuit = Circuit(elements, 1e-4, lambda d: {"S1": on(0.0, d), "S2": on(d, 1.0)}, 0.5)
        ripple = record(steady_state(circuit)).measures("C.v").peak_to_peak * values["R_1"] / rest
        self.assertLessEqual(ripple, 0.0201)
        self.assertGreater(ripple, 0.0135)

    def test_switched_resistors_make_a_table_of_codes(self) -> None:
        found = self.sections(by="resistors", voltages=["6 V", "8 V"], series="E192")
        by_code = {s["setting"].split()[0]: s["nominal"] for s in found["settings"]}
        self.assertAlmostEqual(by_code["00"], 5.0, delta=0.03)
        self.assertAlmostEqual(by_code["10"], 6.0, delta=0.05)
        self.assertAlmostEqual(by_code["01"], 8.0, delta=0.06)
        self.assertAlmostEqual(by_code["11"], by_code["10"] + by_code["01"] - by_code["00"], delta=1e-9)

    def test_a_potentiometer_has_its_stops(self) -> None:
        tables = {
            **buck_tables(),
            "adjust": {"by": "potentiometer", "output": {"min": 3.3, "max": 6.0}, "potentiometer": "5k"},
        }
        found = around(tables, ["adjust"]).view().data["sections"]["adjust"]["settings"]
        self.assertAlmostEqual(found[0]["nominal"], 6.0, delta=0.1)
        self.assertAlmostEqual(found[-1]["nominal"], 3.3, delta=0.05)
        self.assertGreater(found[-1]["high"] - found[-1]["low"], found[0]["high"] - found[0]["low"] - 0.3)

    def test_a_setting_that_the_converter_does_not_hold_is_told(self) -> None:
        tables = buck_tables()
        tables["switching"]["duty_limit"] = "28 %"
        tables["adjust"] = {"by": "voltage", "output": {"min": 4.0, "max": 7.5}}
        result = around(tables, ["adjust"])
        self.assertEqual(result.view().exit_status, 1)
        self.assertFalse(result.view().data["sections"]["adjust"]["settings"][0]["holds"])

    def test_what_cannot_be_is_refused(self) -> None:
        for message, adjust in (
            ("expected, such as", {"by": "voltage"}),
            ("not above output.voltage", {"by": "resistors", "voltages": ["4 V"]}),
            ("not above the reference", {"by": "voltage", "output": {"min": 1.0, "max": 5.0}}),
            ("are the same", {"by": "voltage", "output": {"min": 4, "max": 6}, "voltage": 2}),
        ):
            with self.subTest(message=message), self.assertRaisesRegex(jl.InputError, message):
                around({**buck_tables(), "adjust": adjust}, ["adjust"])


class Networks(unittest.TestCase):
    def test_node_equations_against_impedances_in_series_and_parallel(self) -> None:
        f = np.geomspace(10.0, 1e7, 50)
        s = 2j * np.pi * f
        branches = (
            Branch("a", "x", GROUND, 3.0, 1e-6, 2e-6),
            Branch("b", "x", "y", 0.5, 4e-6, 0.0, 30e-12),
            Branch("c", "y", GROUND, 10.0),
        )
        found = solve(branches, {"x": np.ones(50, complex)}, f)
        one = 3.0 + s * 1e-6 + 1.0 / (s * 2e-6)
        two = 1.0 / (1.0 / (0.5 + s * 4e-6) + s * 30e-12) + 10.0
        np.testing.assert_allclose(found.nodes["x"], one * two / (one + two), rtol=1e-12)
        np.testing.assert_allclose(found.currents["c"], one / (one + two), rtol=1e-12)


WAYS = (
    ("parallel-rc", 4.0),
    ("parallel-rc", 1.0),
    ("parallel-rl", 0.5),
    ("parallel-rl", 2.0),
    ("series-rl", 4.0),
    ("series-rl", 1.0),
)


def plain(**keys: Any) -> Built:
    asked = Filter(inductance=10e-6, **keys)
    return built(asked, Sides((10e-6, 0.0), (0.0, 0.0), 50.0), 10e-6, fitted=False)


class Filters(unittest.TestCase):
    def test_damping_is_at_its_optimum(self) -> None:
        f = np.geomspace(1e3, 2e5, 3000)
        for way, ratio in WAYS:
            found = plain(damping=way, damping_ratio=ratio)

            def peak(log: float, found: Built = found) -> float:
                other = plain(damping=found.asked.damping, damping_ratio=found.asked.damping_ratio)
                other.sheet.choose("R_d", math.exp(log))
                return float(np.abs(other.impedance(f)).max())

            at = math.log(found.values["R_d"])
            best = minimize_scalar(peak, bounds=(at - 1.5, at + 1.5), method="bounded")
            with self.subTest(way=way, ratio=ratio):
                self.assertAlmostEqual(peak(at) / found.values["Z_m"], 1.0, delta=1e-4)
                self.assertAlmostEqual(peak(at) / best.fun, 1.0, delta=1e-4)
                self.assertAlmostEqual(math.exp(best.x) / found.values["R_d"], 1.0, delta=0.02)

    def test_it_does_to_a_simulated_converter_what_the_node_equations_say(self) -> None:
        stage = (
            VoltageSource("source", "gnd", "in", -24.0),
            Switch("S1", "in", "sw"),
            Diode("D1", "gnd", "sw"),
            Inductor("Lo", "sw", "out", 22e-6),
            Capacitor("Co", "out", "gnd", 47e-6),
            Resistor("load", "out", "gnd", 2.5),
        )
        circuit = Circuit(stage, 5e-6, lambda d: {"S1": on(0.0, d)}, 0.5)
        for kind in ("single", "two-stage"):
            for way in ("parallel-rc", "parallel-rl", "series-rl", "none"):
                resistances: dict[str, Any] = {"inductor_resistance": 0.02, "capacitor_resistance": 0.01}
                asked = Filter(kind=kind, inductance=4.7e-6, capacitance=10e-6, damping=way, **resistances)
                found = built(asked, Sides((10e-6, 0.01), (0.0, 0.0), 50.0), 4.7e-6)
                recording = record(steady_state(in_front(circuit, found), guess={"Lo": 4.8, "Co": 12.0}))
                drawn, far = harmonics(recording, "S1.i"), harmonics(recording, "source.i")
                f = np.arange(1, 31) / recording.period
                solved = found.driven(drawn, f, SHORT).currents["far side"]
                with self.subTest(kind=kind, way=way):
                    # currents from the far side and into it: opposite ways
                    np.testing.assert_allclose(-solved[:8], far[:8], rtol=1e-6, atol=1e-8 * abs(far[0]))
                    self.assertAlmostEqual(abs(solved[0] / far[0]), 1.0, delta=1e-6)

    def test_random_limits_are_kept_or_the_reason_is_told(self) -> None:
        rng = np.random.default_rng(17)
        kept = 0
        for _ in range(100):
            f = float(10.0 ** rng.uniform(4.5, 6.0))
            amplitudes = rng.uniform(0.1, 5.0) / np.arange(1, 60) * np.exp(2j * np.pi * rng.random(59))
            asked = Filter(
                kind=rng.choice(["single", "pi", "two-stage"]),
                attenuation=float(rng.uniform(20.0, 75.0)),
                damping=rng.choice(["none", "parallel-rc", "parallel-rl", "series-rl"]),
                capacitance=float(10.0 ** rng.uniform(-6.5, -4.5)),
                capacitor_resistance=float(rng.uniform(0.0, 0.02)),
                capacitor_inductance=float(rng.uniform(0.0, 5e-9)),
                inductor_capacitance=float(rng.uniform(0.0, 50e-12)),
            )
            size = asked.capacitance or 0.0
            far = (size, asked.capacitor_resistance) if asked.kind == "pi" else (0.0, 0.0)
            sides = Sides((size, asked.capacitor_resistance), far, 50.0)
            made = design(asked, sides, excess_of(asked, [Draw("here", f, amplitudes, 1.0)], None))
            got = float(made.found.attenuation(np.array([f]))[0])
            assert asked.attenuation is not None
            if made.missing == 0.0:
                kept += 1
                self.assertGreaterEqual(got, asked.attenuation + asked.margin - 1e-9)
            else:
                # no inductance at all does it
                best = max(
                    float(built(asked, sides, float(x)).attenuation(np.array([f]))[0])
                    for x in np.geomspace(1e-9, 1.0, 60)
                )
                self.assertLess(best, asked.attenuation + asked.margin + 0.2)
        self.assertGreater(kept, 60)

    def test_a_limit_line(self) -> None:
        lines = np.array([150e3, 500e3, 30e6]), np.array([66.0, 56.0, 56.0])
        self.assertAlmostEqual(float(limit_at(lines, np.array([math.sqrt(150e3 * 500e3)]))[0]), 61.0)
        self.assertTrue(math.isinf(float(limit_at(lines, np.array([100e3]))[0])))
        draw = Draw("here", 100e3, (2.0 / np.arange(1, 101)).astype(complex), 1.0)
        asked = Filter(limits="x.csv", capacitance=4.7e-6)
        made = design(asked, Sides((4.7e-6, 0.0), (0.0, 0.0), 50.0), excess_of(asked, [draw], lines))
        self.assertEqual(made.missing, 0.0)
        self.assertTrue((level(made.found, draw) <= limit_at(lines, draw.frequencies) - asked.margin).all())
        smaller = built(asked, made.found.sides, made.found.values["L_f"] / 1.6)
        self.assertFalse((level(smaller, draw) <= limit_at(lines, draw.frequencies) - asked.margin).all())

    def test_inrush_is_that_of_a_simulated_start(self) -> None:
        found = plain(damping="none", inductor_resistance=0.05)
        for resistance in (0.0, 0.3, 5.0):
            t = np.linspace(0.0, 3e-4, 400_001)
            r, size, capacitance = 0.05 + resistance, 10e-6, 10e-6
            a = np.array([[-r / size, -1.0 / size], [1.0 / capacitance, 0.0]])
            values, vectors = np.linalg.eig(a)
            rest = np.array([0.0, 24.0])
            start = np.linalg.solve(vectors, -rest.astype(complex))
            current = (vectors[0] * start) @ np.exp(np.outer(values, t))
            self.assertAlmostEqual(
                inrush(found, 24.0, resistance) / float(current.real.max()), 1.0, delta=1e-6
            )

    def test_what_parts_carry_adds_up(self) -> None:
        draw = Draw("here", 100e3, np.array([3.0 + 0j]), 2.0)
        found = plain(damping="parallel-rc", inductor_resistance=0.01)
        parts = {p.name: p for p in carried(found, [draw])}
        solved = found.driven(draw.amplitudes, draw.frequencies, SHORT)
        self.assertAlmostEqual(
            parts["L"].current, math.hypot(2.0, abs(solved.currents["L"][0]) / math.sqrt(2.0))
        )
        self.assertAlmostEqual(parts["L"].loss, parts["L"].current ** 2 * 0.01)
        self.assertAlmostEqual(
            abs(sum(solved.currents[n][0] * (-1.0 if n == "L" else 1.0) for n in ("L", "C", "R_d"))), 3.0
        )


LOOPED = {"network": "type III", "crossover": "20 kHz", "phase_margin": "50°", "gain_margin": 6.0}


class FilterAndConverter(unittest.TestCase):
    def case(self, **filter: Any) -> jl.Converter:
        tables = {**buck_tables(), "control": LOOPED, "chosen": {"C_o": "150 µF"}}
        tables["input"] = {**tables["input"], "filter": filter}
        return jl.load(tables)

    def test_margin_and_simulation_agree_on_what_is_unstable(self) -> None:
        seen = {}
        for damping in ("none", "parallel-rc"):
            view = around(
                self.case(inductance="68 µH", damping=damping, inductor_resistance="1 mΩ"), ["filter"]
            ).view()
            data = view.data["sections"]["input.filter"]
            seen[damping] = data
            stable = all(c["largest"] < 1.0 for c in data["corners"])
            apart = min(c["margin"] for c in data["corners"]) >= 6.0
            with self.subTest(damping=damping):
                self.assertEqual(stable, damping == "parallel-rc")
                self.assertEqual(apart, damping == "parallel-rc")
                self.assertEqual(view.exit_status, 0 if stable else 1)
        self.assertGreater(max(c["largest"] for c in seen["none"]["corners"]), 1.0)

    def test_an_unstable_filter_rings_up_in_the_transient(self) -> None:
        from jump_lane.control.design import design_loop
        from jump_lane.control.loops import close
        from jump_lane.switching.transient import Passage, travel

        case = self.case(inductance="68 µH", damping="none", inductor_resistance="1 mΩ")
        loop = design_loop(case.design).loop
        size = case.design.components()["C_i"]
        asked = case.spec.input.filter
        assert asked is not None
        for damped in (False, True):
            front = built(
                asked.model_copy(update={"damping": "parallel-rc" if damped else "none"}),
                Sides((size, 0.0), (0.0, 0.0), 50.0),
                68e-6,
            )
            closed = close(loop, Filtered(case.design, 0, 1, front))
            engine = closed.state.engine
            states = engine.named(closed.state.start)
            states["filter L"] *= 1.02
            circuit = replace(engine.circuit, control=closed.state.control)
            passage = Passage(circuit, {"held": {"filter C.v": 1.0}}, (), (), states, closed.state.combo)
            travel(passage, (), 400 * circuit.period)
            mean = passage.strip.mean[:, 0]
            rate = (float(np.ptp(mean[-80:])) / float(np.ptp(mean[:80]))) ** (1.0 / 320.0)
            multiplier = float(np.abs(closed.multipliers).max())
            self.assertEqual(multiplier > 1.0, not damped)
            if damped:
                self.assertLess(rate, 1.0)
            else:
                self.assertAlmostEqual(rate, multiplier, delta=3e-4)

    def test_an_output_filter(self) -> None:
        tables = buck_tables()
        tables["output"][0]["filter"] = {"ripple": "2 mV", "capacitance": "22 µF", "damping": "none"}
        section = around(tables, ["filter"]).view().data["sections"]["output.filter"]
        self.assertTrue(all(v["holds"] for v in section["verdicts"]))
        self.assertGreater(section["attenuation"], 20.0)


BANK = (
    BankType(capacitance=10e-6, resistance=3e-3, inductance=1e-9, count=2, current=0.5, part="ceramic"),
    BankType(
        capacitance=100e-6,
        resistance=15e-3,
        inductance=4e-9,
        track_inductance=3e-9,
        thermal_resistance=40.0,
        life=7.2e6,
    ),
)


class Banks(unittest.TestCase):
    def test_currents_divide_as_in_the_simulated_circuit(self) -> None:
        shares: list[Element] = [
            Capacitor("C1", "x", "gnd", 20e-6, 1.5e-3),
            Inductor("L1", "out", "x", 0.5e-9),
            Capacitor("C2", "y", "gnd", 100e-6, 15e-3),
            Inductor("L2", "out", "y", 7e-9),
        ]
        elements = (
            VoltageSource("source", "in", "gnd", 24.0),
            Switch("S1", "in", "sw"),
            Diode("D1", "gnd", "sw"),
            Inductor("Lo", "sw", "out", 22e-6),
            Resistor("load", "out", "gnd", 2.5),
            *shares,
        )
        circuit = Circuit(elements, 5e-6, lambda d: {"S1": on(0.0, d)}, 0.5)
        recording = record(steady_state(circuit, guess={"Lo": 4.8, "C1": 12.0, "C2": 12.0}))
        each = [harmonics(recording, n) for n in ("L1.i", "L2.i")]
        whole, apart = impedances(BANK, 2e5 * np.arange(1, 31))
        found = [(each[0] + each[1]) * whole / z for z in apart]
        for k in range(2):
            np.testing.assert_allclose(found[k][:10], each[k][:10], rtol=1e-6, atol=1e-8 * abs(each[k][0]))

    def test_a_resonance_lies_between_the_types_and_currents_go_back_and_forth(self) -> None:
        (at, size), *_ = resonances(BANK)
        whole, each = impedances(BANK, np.array([at]))
        self.assertAlmostEqual(float(abs(whole[0])), size, delta=1e-9)
        self.assertLess(float(each[0].imag[0]), 0.0)
        self.assertGreater(float(each[1].imag[0]), 0.0)
        found = bank(BANK, Draw("here", at, np.array([1.0 + 0j])), 40.0)
        self.assertGreater(sum(s.total for s in found.shares), 1.2 * found.total)

    def test_ratings_temperature_and_life(self) -> None:
        found = bank(BANK, Draw("here", 1e5, np.array([2.0 + 0j, 0.5j])), 45.0)
        ceramic, other = found.shares
        self.assertAlmostEqual(found.total, math.sqrt(0.5 * (4.0 + 0.25)))
        assert other.temperature is not None and other.life is not None
        self.assertAlmostEqual(other.temperature, 45.0 + 40.0 * 15e-3 * other.current**2)
        self.assertAlmostEqual(other.life / 7.2e6, 2.0 ** ((105.0 - other.temperature) / 10.0))
        self.assertEqual([v.holds for v in found.verdicts()], [ceramic.current <= 0.5, True])

    def test_the_ripple_of_a_sum_of_harmonics(self) -> None:
        n = np.arange(1, 400)
        triangle = np.where(n % 2, 8.0 / np.pi**2 / n**2, 0.0).astype(complex)
        self.assertAlmostEqual(peak_to_peak(triangle), 2.0, delta=3e-3)


class GatesAndProtection(unittest.TestCase):
    def test_gate_drive_by_hand(self) -> None:
        tables = {
            **buck_tables(),
            "driver": {"voltage": "12 V", "on_resistance": "8 Ω", "off_resistance": "2 Ω"},
        }
        part = {
            "resistance": "20 mΩ",
            "gate_charge": "30 nC",
            "gate_charge_voltage": "10 V",
            "gate_resistance": "2 Ω",
        }
        tables["parts"] = {"S1": part}
        found = around(tables, ["gate"]).view().data["sections"]["gate"]["gates"]["S1"]
        self.assertAlmostEqual(found["Q_g"], 36e-9)
        self.assertAlmostEqual(found["P_g"], 36e-9 * 12.0 * 200e3)
        self.assertAlmostEqual(found["I_on"], 1.2)
        self.assertAlmostEqual(found["I_off"], 3.0)
        self.assertAlmostEqual(found["V_g"], 12.0 - 0.7 - 0.3)

    def test_a_half_open_gate_is_the_reason_for_a_wrong_output(self) -> None:
        tables = {**buck_tables(), "driver": {"voltage": "4.5 V"}}
        curve = "4 V: 2500 %; 4.5 V: 2000 %; 10 V: 100 %"
        tables["parts"] = {"S1": {"resistance": "50 mΩ", "drive_curve": curve, "threshold_voltage": "2 V"}}
        checked = jl.check(tables)
        self.assertTrue(any("S1 is half open" in n for n in checked.view().notes))
        self.assertAlmostEqual(jl.derive(tables).values["R_S1"], 1.0)
        full = jl.load(tables, set={"driver.voltage": "10 V"})
        self.assertFalse(any("half open" in n for n in jl.check(full).view().notes))
        with self.assertRaisesRegex(jl.InputError, "never turns on"):
            jl.derive(jl.load(tables, set={"driver.voltage": "1.5 V"}))

    def test_inrush_and_fuse(self) -> None:
        asked = Protection(inrush_current=20.0, melting=4.0, energy_rating="3 J")
        found = protected(
            asked, v_in=300.0, input_rms=1.5, capacitance=100e-6, v_o=24.0, i_o=2.0, source=1.0, limit=2.6
        )
        values = {v.symbol: v.worst for v in found.sheet}
        self.assertAlmostEqual(values["R_x"], 14.0)
        t = np.linspace(0.0, 0.05, 200_001)
        current = 20.0 * np.exp(-t / (15.0 * 100e-6))
        self.assertAlmostEqual(values["M_x"] / float(np.trapezoid(current**2, t)), 1.0, delta=1e-4)
        self.assertAlmostEqual(values["E_x"] / float(np.trapezoid(14.0 * current**2, t)), 1.0, delta=1e-4)
        self.assertEqual(found.fuse, 2.0)
        verdicts = {v.what: v.holds for v in found.verdicts()}
        self.assertEqual(
            verdicts, {"fuse: inrush below half its melting integral": True, "inrush resistor: energy": False}
        )

    def test_the_overload_curve_bends_at_the_limit(self) -> None:
        curve = overload_curve(24.0, 2.0, 2.6)
        self.assertEqual(curve[-1], (0.0, 0.0, 2.6))
        for resistance, voltage, current in curve[:-1]:
            self.assertAlmostEqual(voltage, current * resistance * 12.0)
            self.assertLessEqual(current, 2.6 + 1e-12)


class OneFile(CommandCase):
    """Every section feeds from and into the others through the file."""

    def setUp(self) -> None:
        super().setUp()
        self.text = jl.new("buck") + (
            '\n[divider]\ncurrent = "0.5 mA"\n\n[input.filter]\nattenuation = 40\n\n[[bank.C_o]]\ncapacitance = "20 µF"\n'
            'resistance = "4 mΩ"\n\n[protection]\ninrush_current = "30 A"\n'
        )
        self.write("rail.toml", self.text)

    def sections(self, *more: str) -> dict[str, Any]:
        done = self.run_command("around", "rail.toml", "--json", *more)
        found: dict[str, Any] = json.loads(done.stdout)["sections"]
        return found

    def test_an_output_that_is_changed_once_changes_all_of_them(self) -> None:
        before = self.sections()
        loop = json.loads(self.run_command("loop", "rail.toml", "--json").stdout)
        self.assertAlmostEqual(loop["values"]["R_b"], before["divider"]["R_b"])
        self.assertAlmostEqual(loop["values"]["R_1"], before["divider"]["R_1"])
        changed = ("output.voltage=15V", "--set", "control.phase_margin=45°")
        after = self.sections("--set", *changed)
        again = json.loads(self.run_command("loop", "rail.toml", "--json", "--set", *changed).stdout)
        self.assertNotEqual(before["divider"]["R_b"], after["divider"]["R_b"])
        self.assertAlmostEqual(again["values"]["R_b"], after["divider"]["R_b"])
        self.assertNotAlmostEqual(before["bank.C_o"]["total"], after["bank.C_o"]["total"], places=3)
        self.assertNotEqual(before["input.filter"]["corners"], after["input.filter"]["corners"])
        self.assertGreater(after["protection"]["values"]["I_i"], 1.1 * before["protection"]["values"]["I_i"])
        self.assertAlmostEqual(after["divider"]["nominal"], 15.0, delta=0.1)

    def test_the_filter_is_written_and_then_stays(self) -> None:
        inductance = self.sections("filter")["input.filter"]["values"]["L_f"]
        self.run_command("around", "rail.toml", "filter", "--write")
        self.assertIn("inductance", (self.folder / "rail.toml").read_text(encoding="utf-8"))
        self.assertAlmostEqual(self.sections("filter")["input.filter"]["values"]["L_f"], inductance)

    def test_figures_and_tables(self) -> None:
        for section in ("filter", "bank", "protection"):
            self.run_command(
                "around", "rail.toml", section, "--figure", f"{section}.png", "--table", f"{section}.csv"
            )
            self.assertGreater((self.folder / f"{section}.png").stat().st_size, 15_000)
            self.assertGreater(len((self.folder / f"{section}.csv").read_text().splitlines()), 5)
        shown = self.run_command("around", "rail.toml").stdout
        self.assertTrue(all(len(line) <= 120 for line in shown.splitlines()))

    def test_what_cannot_be_meant_is_refused(self) -> None:
        for arguments, message in (
            (("divder",), "nearest valid name: divider"),
            (("adjust",), "does not ask for it"),
            (("filter", "--set", "input.filter.limits=none.csv"), "exclude|expected one of|none.csv"),
            (("divider", "--figure", "x.png"), "none of these sections has a figure"),
        ):
            with self.subTest(arguments=arguments):
                self.assertRegex(
                    self.run_command("around", "rail.toml", *arguments, status=2).stderr, message
                )
        before = (self.folder / "rail.toml").read_text()
        refused = self.run_command("around", "rail.toml", "--write", "--figure", "x.png", status=2)
        self.assertIn("several sections have a figure", refused.stderr)
        self.assertEqual((self.folder / "rail.toml").read_text(), before)
        self.write("bare.toml", "\n".join(jl.new("boost").splitlines()))
        bare = self.run_command("around", "bare.toml", "bank", status=2)
        self.assertIn("[[bank.C_o]]", bare.stderr)

    def test_the_whole_chain_into_a_folder(self) -> None:
        text = self.text[: self.text.index("[[event]]")] + self.text[self.text.index("[divider]") :]
        self.write("rail.toml", text.replace("[wound.L]", '[wound.L]\nmaterial = "sample-ferrite-fast"'))
        done = self.run_command("chain", "rail.toml", "out")
        made = {p.name for p in (self.folder / "out").iterdir()}
        wanted = {
            "derivation.txt",
            "verdicts.txt",
            "losses.png",
            "L-sheet.txt",
            "loop.png",
            "input-filter.png",
            "divider.txt",
            "bank-C_o.png",
        }
        self.assertLessEqual(wanted, made)
        self.assertEqual(done.stdout.count("holds"), len([n for n in made if n.endswith(".txt")]) - 1)
        self.assertIn("exists", self.run_command("chain", "rail.toml", "out", status=2).stderr)


class Corners(unittest.TestCase):
    def test_scenes_are_the_corners_with_a_load(self) -> None:
        found = scenes(jl.load(buck_tables()).design)
        self.assertEqual(len(found), 6)
        for scene in found:
            draw = scene.draw("source.i")
            exact = scene.recording.measures("source.i").ac_rms
            self.assertAlmostEqual(draw.effective(np.ones(len(draw.amplitudes))) / exact, 1.0, delta=1e-12)
            self.assertLess(draw.rest, 0.06 * exact)


class Mended(CommandCase):
    """What once was wrong without saying so."""

    def test_of_several_figures_one_has_to_be_named(self) -> None:
        ceramic = {"capacitance": "10 µF", "resistance": "5 mΩ"}
        tables = {**buck_tables(), "bank": {"C_i": [ceramic], "C_o": [ceramic]}}
        found = around(tables, ["bank"])
        for take in (found.drawing, found.columns):
            with self.assertRaisesRegex(jl.InputError, r"expected one of them alone: bank\.C_i or bank\.C_o"):
                take()
        alone = around(tables, ["bank.C_o"])
        self.assertEqual([s.key for s in alone.sections], ["bank.C_o"])
        self.assertEqual(found.only("bank.C_o").columns(), alone.columns())
        with self.assertRaisesRegex(
            jl.InputError, r"around bank\.C_x: no such section; nearest valid name: bank\.C_[io]"
        ):
            around(tables, ["bank.C_x"])

    def test_a_filter_at_the_second_output_is_refused_by_name(self) -> None:
        output = {"voltage": "5 V", "current": {"min": 1, "max": 2}, "voltage_ripple": "50 mV"}
        asked = {"attenuation": 40, "capacitance": "10 µF"}
        tables = {
            **buck_tables(),
            "topology": "multi-output-flyback",
            "output": [output, {**output, "filter": asked}],
        }
        with self.assertRaisesRegex(jl.InputError, r"output\.2\.filter: only the first output"):
            around(tables, ["output.2.filter"])

    def test_a_given_inductance_is_judged_by_what_is_asked(self) -> None:
        for inductance, holds in (("100 µH", True), ("100 nH", False)):
            tables = buck_tables()
            tables["input"] = {**tables["input"], "filter": {"attenuation": 60, "inductance": inductance}}
            verdicts = around(tables, ["filter"]).view().data["sections"]["input.filter"]["verdicts"]
            (asked,) = (v for v in verdicts if v["what"].startswith("attenuation"))
            self.assertEqual(asked["holds"], holds)

    def test_too_much_bias_is_refused_by_name(self) -> None:
        with self.assertRaisesRegex(jl.InputError, r"divider\.bias: the amplifier draws"):
            around({**buck_tables(), "divider": {"upper": "1 MΩ", "bias": "20 µA"}}, ["divider"])

    def test_the_bias_moves_an_adjusted_output_as_well(self) -> None:
        span = {"by": "voltage", "output": {"min": 4.0, "max": 6.0}, "series": "E192"}
        tables = {**buck_tables(), "adjust": span, "divider": {"upper": "100k", "bias": "2 µA"}}
        found = around(tables, ["adjust"]).view().data["sections"]["adjust"]["settings"]
        self.assertAlmostEqual(found[0]["nominal"], 6.0, delta=0.05)
        self.assertGreater(found[0]["high"] - found[0]["low"], 0.2)

    def test_two_equal_branches_are_two(self) -> None:
        one = output(1.2, 10e3, 5e3, 0.0, [(20e3, 0.0)])
        two = output(1.2, 10e3, 5e3, 0.0, [(40e3, 0.0), (40e3, 0.0)])
        self.assertAlmostEqual(one, two)

    def test_the_reference_of_the_loop_is_that_of_the_divider(self) -> None:
        tables = {
            **buck_tables(),
            "control": {"reference": "0.8 V", "divider_tolerance": "0.1 %"},
            "divider": {"upper": "10k"},
        }
        data = around(tables, ["divider"]).view().data["sections"]["divider"]
        self.assertAlmostEqual(data["values"]["V_ref"], 0.8)
        self.assertLess(data["high"] / data["nominal"] - 1.0, 0.0125)
        for key, value in (("reference", "2.5 V"), ("tolerance", "1 %"), ("reference_tolerance", "1 %")):
            with (
                self.subTest(key=key),
                self.assertRaisesRegex(jl.InputError, f"divider.{key}: the loop says it"),
            ):
                around({**tables, "divider": {"upper": "10k", key: value}}, ["divider"])

    def test_keys_that_nothing_uses_are_refused(self) -> None:
        for table, key, message in (
            (
                {"by": "voltage", "output": {"min": 4, "max": 6}, "voltages": ["6 V"]},
                "adjust",
                "voltages and by",
            ),
            (
                {"by": "pulse-width", "output": {"min": 4, "max": 6}, "voltage": {"min": 0.2, "max": 3}},
                "adjust",
                "starts from 0 V",
            ),
            ({"hiccup_on": "5 ms"}, "protection", "belong together"),
        ):
            with self.subTest(message=message), self.assertRaisesRegex(jl.InputError, message):
                around({**buck_tables(), key: table})
        for filter_, message in (
            ({"inductance": 1e-6, "at": 1e5}, "at: the frequency"),
            ({"ripple": 0.1, "damping": "none", "damping_ratio": 2}, "damping_ratio and"),
        ):
            tables = buck_tables()
            tables["input"] = {**tables["input"], "filter": filter_}
            with self.subTest(message=message), self.assertRaisesRegex(jl.InputError, message):
                around(tables)

    def test_direct_currents_divide_by_resistances(self) -> None:
        found = plain(damping="parallel-rl", damping_ratio=1.0, inductor_resistance=0.1)
        parts = {p.name: p.current for p in carried(found, [Draw("here", 1e5, np.zeros(3, complex), 2.0)])}
        share = found.values["R_d"] / (found.values["R_d"] + 0.1)
        self.assertAlmostEqual(parts["L"], 2.0 * share, places=6)
        self.assertAlmostEqual(parts["R_d"], 2.0 * (1.0 - share), places=6)
        self.assertAlmostEqual(parts["C"], 0.0, places=6)

    def test_a_limit_line_stands_beside_its_file(self) -> None:
        (self.folder / "there").mkdir()
        lines = "frequency [Hz],level [dBµV]\n100e3,90\n30e6,70\n"
        (self.folder / "there" / "line.csv").write_text(lines, encoding="utf-8")
        text = jl.new("buck") + '\n[input.filter]\nlimits = "line.csv"\n'
        (self.folder / "there" / "rail.toml").write_text(text, encoding="utf-8")
        self.assertIn("limit line", self.run_command("around", "there/rail.toml", "filter").stdout)
        (self.folder / "there" / "line.csv").write_text(
            "frequency [Hz],level\n1e5,x\n2e5,3\n", encoding="utf-8"
        )
        self.assertIn(
            "expected numbers", self.run_command("around", "there/rail.toml", "filter", status=2).stderr
        )
