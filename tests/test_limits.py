"""What a file asks for: every topology judges it or refuses it by name, and verdicts say how far and what mends it."""

import math
import unittest

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, Diode, Element, Inductor, Resistor, Switch, VoltageSource
from jump_lane.circuit.gates import on
from jump_lane.design.derive import derive
from jump_lane.judge.asked import JUDGED, NOT_JUDGED, limits, refused
from jump_lane.judge.derived import sized_by
from jump_lane.judge.limit import Limit, Scene
from jump_lane.judge.ripple import Charging, Fed, drawn
from jump_lane.operating.point import solve
from jump_lane.spec import Spec
from jump_lane.study.check import check
from jump_lane.switching.record import record
from jump_lane.switching.steady import steady_state
from jump_lane.topologies import NAMES, page
from tests.common import buck_tables, design, example_design

DESCRIPTIONS = {
    "input": ("voltage", "ac", "source_resistance", "source_inductance"),
    "output": ("voltage", "voltage_range", "current", "power", "resistance", "load", "leds"),
    "switching": ("frequency", "frequency_limits", "rectifier", "phases", "dead_time"),
    "transformer": ("turns_ratio", "primary_turns", "secondary", "clamp_voltage"),
}
"""Keys that say what there is, not what it has to keep."""


class Enumeration(unittest.TestCase):
    def test_every_key_that_asks_is_judged_or_refused(self) -> None:
        """A new key of the file has to be put on one of the lists, or to describe."""
        models = {
            "input": "input",
            "output": "output",
            "switching": "switching",
            "transformer": "transformer",
        }
        for table in models:
            annotation = Spec.model_fields[table].annotation
            model = annotation.__args__[0] if table == "output" else annotation  # type: ignore[union-attr]
            for key in model.model_fields:  # type: ignore[union-attr]
                known = f"{table}.{key}" in {*JUDGED, *NOT_JUDGED} or key in DESCRIPTIONS[table]
                self.assertTrue(known, f"{table}.{key}")

    def test_every_topology_is_judged_by_all_of_them(self) -> None:
        for name in NAMES:
            found = example_design(name)
            with self.subTest(name):
                every = list(limits(found, 0, 0))
                keys = {limit.key for limit in every}
                for k in range(1, len(found.spec.output) + 1):
                    self.assertIn(f"output.{k}.voltage_ripple", keys)
                    self.assertTrue({f"output.{k}.voltage", f"output.{k}.voltage_band"} & keys)
                self.assertIn("input.voltage_ripple", keys)
                self.assertEqual(len({limit.symbol for limit in every}), len(every))
                if found.spec.switching.mode in ("continuous", "either"):
                    asked = [limit for limit in every if limit.key == "switching.current_ripple"]
                    asks = [r.ask.symbol for r in page(name).ripples]
                    self.assertEqual(len(asked), sum(symbol in found.sheet for symbol in asks))
                else:
                    self.assertTrue(any("current_ripple" in text for text in refused(found)))
                inner = [
                    r
                    for r in page(name).roles
                    if r.kind == "capacitor" and not r.tank and r.name[:3] not in ("C_o", "C_i")
                ]
                self.assertEqual(sum(limit.key == "switching.coupling_ripple" for limit in every), len(inner))
                self.assertEqual(
                    any(limit.key == "switching.duty_limit" for limit in every),
                    found.spec.switching.duty_limit is not None,
                )

    def test_a_broken_limit_of_every_kind_fails(self) -> None:
        for name, component, factor, symbol in (
            ("buck", "C_o", 0.05, "dV_o"),
            ("buck", "L", 0.2, "dI_L"),
            ("buck", "C_i", 0.1, "dV_i"),
            ("sepic", "C_s", 0.1, "r_Cs"),
            ("multi-output-flyback", "C_o2", 0.02, "dV_o2"),
            ("multi-output-flyback", "L_m", 0.3, "dI_Lm"),
            ("isolated-cuk", "n", 1.2, "D"),
        ):
            with self.subTest(topology=name, symbol=symbol):
                base = example_design(name)
                spec = base.spec.model_copy(update={"chosen": {}, "parts": {}})
                value = derive(spec).sheet[component].worst * factor
                found = check(derive(spec.model_copy(update={"chosen": {component: value}})))
                broken = {f.symbol: f.advice for c in found.corners for f in c.findings if not f.holds}
                self.assertIn(symbol, broken)
                self.assertRegex(broken[symbol], r"over by .* (raise|lower)")
                self.assertEqual(found.exit_status, 1)


class Verdicts(unittest.TestCase):
    def limit(self, **changes: object) -> Limit:
        given = {
            "symbol": "x", "meaning": "", "unit": "V", "measure": lambda _: 0.0, "asked": 2.0, "highest": 2.0,
            "key": "k",
        }  # fmt: skip
        return Limit(**(given | changes))  # type: ignore[arg-type]

    def test_holds_at_its_limit_and_over(self) -> None:
        judge = self.limit().judge
        self.assertEqual(judge(1.9), (True, ""))
        self.assertEqual(judge(2.001), (True, "at its limit"))
        self.assertEqual(judge(1.9995), (True, "at its limit"))
        self.assertEqual(judge(2.1), (False, "over by 5 %"))
        self.assertEqual(judge(199.0), (False, "over by 9850 %"))
        self.assertEqual(judge(2469.0), (False, "over by a factor of 1.23e+03"))
        self.assertFalse(judge(math.nan)[0])

    def test_a_target_is_missed_on_both_sides(self) -> None:
        judge = self.limit(lowest=1.8, highest=2.2).judge
        self.assertEqual(judge(2.2), (True, ""))
        self.assertEqual(judge(1.5), (False, "off by 25 %"))
        self.assertFalse(judge(2.3)[0])


class Modes(unittest.TestCase):
    def test_where_no_value_is_large_enough(self) -> None:
        from jump_lane.judge.advice import advice
        from jump_lane.judge.limit import Mend

        def said(factor: float) -> str:
            mend = Mend(("L",), lambda scene, allowed: factor)
            limit = Limit("x", "", "A", lambda scene: 1.0, 1.0, 1.0, "", mend=mend)
            return advice(design(buck_tables()), limit, None)  # type: ignore[arg-type]

        self.assertEqual(said(math.inf), "no L is large enough at this load")
        self.assertIn("lower its resistance", said(math.nan))
        self.assertRegex(said(2.0), r"raise L from [\d.]+ µH to at least [\d.]+ µH")

    def test_how_far_the_boundary_is(self) -> None:
        """A buck at a third and at twice its boundary load: half the ripple over the mean, the period over what conducts."""
        from jump_lane.judge.mode import mode_limit

        tables = buck_tables() | {"chosen": {"L": "10 µH"}}
        for mode, load, wanted in (
            ("continuous", 2.0, 0.5),
            ("continuous", 1 / 3, 1.7320),
            ("discontinuous", 1 / 3, 0.5773),
        ):
            boundary = 5.0 * (1.0 - 5.0 / 24.0) / (2.0 * 10e-6 * 200e3)
            found = design(tables, switching__mode=mode).grid((24.0,), (load * boundary,))
            state, recording = solve(found)
            limit = mode_limit(found, 0)
            assert limit is not None and limit.mend is not None
            scene = Scene(recording, state.control)
            self.assertAlmostEqual(limit.measure(scene), wanted, delta=2e-3)
            self.assertAlmostEqual(limit.mend.factor(scene, 1.0), 0.5 if load == 2.0 else 3.0, delta=2e-2)


class InputRipple(unittest.TestCase):
    def test_a_chopped_current_by_hand(self) -> None:
        """A buck with next to no ripple: I·D·(1 − D)/(f·C), and R·I on top at the edge."""
        tables = buck_tables() | {"chosen": {"L": "1 mH"}}
        found = design(tables).at(20.0, 4.0)
        _, recording = solve(found)
        duty, period = 0.25, 5e-6
        charge = 4.0 * duty * (1.0 - duty) * period
        self.assertAlmostEqual(drawn(recording).ripple(10e-6, 0.0) / (charge / 10e-6), 1.0, delta=2e-3)
        self.assertAlmostEqual(drawn(recording).ripple(1.0, 0.1) / 0.4, 1.0, delta=1e-2)

    def test_the_capacitance_that_mends_it(self) -> None:
        _, recording = solve(design(buck_tables()).at(20.0, 4.0))
        needed = drawn(recording).capacitance_for(0.1, 1e-6, 1e-3)
        assert needed is not None
        self.assertAlmostEqual(drawn(recording).ripple(needed, 1e-3), 0.1, delta=1e-6)
        self.assertIsNone(drawn(recording).capacitance_for(0.01, 1e-6, 0.1))


class Scales(unittest.TestCase):
    def test_next_to_nothing_is_compared_with_the_peak(self) -> None:
        tables = buck_tables()
        tables["output"][0]["current"]["min"] = 0
        tables["switching"] |= {"rectifier": "synchronous", "mode": "either"}
        for corner in check(design(tables)).corners:
            for finding in corner.findings:
                self.assertLess(abs(finding.deviation), 0.02, finding)


class SourceImpedance(unittest.TestCase):
    """Input ripple behind the impedance of a source, against the simulated circuit with all of it."""

    def circuit(self, resistance: float, inductance: float, esr: float) -> Circuit:
        lead: list[Element] = [Resistor("lead", "far", "mid", resistance)]
        lead.append(
            Inductor("leads", "mid", "in", inductance) if inductance else Resistor("leads", "mid", "in", 1e-9)
        )
        elements = (
            VoltageSource("source", "gnd", "far", -24.0),
            *lead,
            Capacitor("Ci", "in", "gnd", 10e-6, esr),
            Switch("S1", "in", "sw"),
            Diode("D1", "gnd", "sw"),
            Inductor("L", "sw", "out", 22e-6),
            Capacitor("Co", "out", "gnd", 47e-6),
            Resistor("load", "out", "gnd", 2.5),
        )
        return Circuit(elements, 5e-6, lambda d: {"S1": on(0.0, d)}, 0.5)

    def test_it_is_what_the_circuit_does(self) -> None:
        for resistance, inductance, esr in (
            (0.05, 1e-6, 5e-3),
            (0.2, 0.0, 20e-3),
            (0.02, 0.2e-6, 0.0),
            (1e-3, 50e-9, 30e-3),
        ):
            recording = record(
                steady_state(
                    self.circuit(resistance, inductance, esr), guess={"L": 4.8, "Co": 12.0, "Ci": 24.0}
                )
            )
            fed = Fed.of(recording, "S1.i", (resistance, inductance))
            with self.subTest(resistance=resistance, inductance=inductance):
                seen = recording.measures("@in").peak_to_peak
                self.assertAlmostEqual(fed.ripple(10e-6, esr) / seen, 1.0, delta=2e-3)

    def test_a_stiff_source_that_only_delivers_the_average_is_its_limit(self) -> None:
        recording = record(
            steady_state(self.circuit(0.05, 1e-6, 5e-3), guess={"L": 4.8, "Co": 12.0, "Ci": 24.0})
        )
        far = Fed.of(recording, "S1.i", (1.0, 1.0)).ripple(10e-6, 5e-3)
        self.assertAlmostEqual(far / Charging.of(recording, "S1.i").ripple(10e-6, 5e-3), 1.0, delta=3e-3)

    def test_the_capacitance_that_just_keeps_it(self) -> None:
        recording = record(
            steady_state(self.circuit(0.05, 1e-6, 5e-3), guess={"L": 4.8, "Co": 12.0, "Ci": 24.0})
        )
        fed = Fed.of(recording, "S1.i", (0.05, 1e-6))
        needed = fed.capacitance_for(0.1, 10e-6, 5e-3)
        assert needed is not None
        self.assertAlmostEqual(fed.ripple(needed, 5e-3), 0.1, delta=1e-5)
        self.assertIsNone(fed.capacitance_for(0.001, 10e-6, 5e-3))

    def test_a_file_with_a_source_is_judged_by_it(self) -> None:
        tables = buck_tables()
        free = next(f for f in check(design(tables)).corners[-1].findings if f.symbol == "dV_i").simulated
        tables["input"] = {**tables["input"], "source_resistance": "10 mΩ", "source_inductance": "100 nH"}
        fed = next(f for f in check(design(tables)).corners[-1].findings if f.symbol == "dV_i").simulated
        self.assertNotAlmostEqual(fed / free, 1.0, delta=0.02)


class SetBy(unittest.TestCase):
    def test_the_ripple_or_the_mode_whatever_is_in_use(self) -> None:
        """What sizes an inductance is told of the value derived, not of the one chosen."""
        for least, words in ((2.0, "ΔI_L ≤ 1.2 A"), (0.3, "continuous conduction from 300 mA on")):
            for chosen in ({}, {"L": "100 µH"}, {"L": "8 µH"}):
                tables = buck_tables() | {"chosen": chosen}
                found = design(tables, switching__mode="continuous", output__current={"min": least, "max": 4})
                with self.subTest(least=least, chosen=chosen):
                    self.assertTrue(
                        sized_by(found, found.sheet["L"]).startswith(words), sized_by(found, found.sheet["L"])
                    )
