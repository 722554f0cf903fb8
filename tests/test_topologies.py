"""Every page: dimensions, nomenclature, and agreement of derivation and simulation on random specifications."""

import random
import unittest
from pathlib import Path

import pint

from jump_lane.circuit.circuit import validate
from jump_lane.derivation import BOUNDARY, Line
from jump_lane.errors import InputError
from jump_lane.formula import FUNCTIONS
from jump_lane.report.nomenclature import nomenclature
from jump_lane.topologies import NAMES, page
from jump_lane.topologies.design import Design
from jump_lane.verify.check import check
from tests.common import buck_tables, design, example_design

UNITS = {
    "": "dimensionless",
    "S": "siemens",
    "A/s": "ampere/second",
    "Ω": "ohm",
    "°": "dimensionless",
    "C": "coulomb",
}
NEAR_IDEAL = 0.01
NEAR_IDEAL_RIPPLE = 0.02


def with_units(found: Design):
    """Return every symbol of a derivation as a quantity with its unit."""
    registry = pint.UnitRegistry()
    out = {}
    for value in found.sheet:
        i, j = value.at
        out[value.symbol] = registry.Quantity(value.corner(i, j), UNITS.get(value.unit, value.unit))
    return registry, out


class Dimensions(unittest.TestCase):
    def test_every_formula_has_the_unit_it_claims(self) -> None:
        for name in NAMES:
            found = example_design(name)
            registry, values = with_units(found)
            functions = {**FUNCTIONS, "min": self.same, "max": self.same, "sqrt": lambda x: x**0.5}
            functions |= {n: self.number for n in FUNCTIONS if n.startswith("sum_")}
            lines = [v.line for v in found.sheet if v.line is not None and v.symbol not in values]
            lines += found.page.lines()
            for line in lines:
                for formula in (f for f in line.formulas if set(f.names) <= set(values)):
                    with self.subTest(page=name, line=line.symbol, formula=formula.text):
                        result = registry.Quantity(1) * formula.evaluate(values, functions)
                        wanted = UNITS.get(line.unit, line.unit)
                        if not line.within:  # an equation needs only to hold together
                            self.assertTrue(result.is_compatible_with(wanted), f"{result.units}")

    @staticmethod
    def same(*values):
        """Stand-in for min and max that insists on one dimension."""
        total = values[0]
        for value in values[1:]:
            total = total + value
        return total

    @staticmethod
    def number(*values):
        """Stand-in for functions of numbers that insists on numbers."""
        return sum((1.0 + v for v in values), 0.0)

    def test_a_wrong_dimension_is_noticed(self) -> None:
        registry, values = with_units(example_design("buck"))
        result = registry.Quantity(1) * Line("x", "V_in*L", "V", "", "").formula("").evaluate(values)
        self.assertFalse(result.is_compatible_with("V"))


class Pages(unittest.TestCase):
    def test_names_lead_to_pages(self) -> None:
        for name in NAMES:
            self.assertEqual(page(name).name, name)
        with self.assertRaisesRegex(InputError, "nearest valid name: buck"):
            page("bukc")

    def test_every_line_has_source_meaning_and_unit(self) -> None:
        for name in NAMES:
            for line in page(name).lines():
                self.assertTrue(line.source and line.meaning, line.symbol)

    def test_proofs_and_asks_refer_to_symbols_and_signals(self) -> None:
        for name in NAMES:
            found = example_design(name)
            lines = {line.symbol for line in found.page.lines()} | {v.symbol for v in found.sheet}
            for proof in found.page.proofs:
                self.assertIn(proof.symbol, lines, name)
            for ask in found.asks:
                self.assertIn(ask.symbol, {p.symbol for p in found.page.proofs})
                self.assertIn(ask.limit, found.sheet)
                self.assertIn(ask.remedy, found.sheet)
            validate(found.circuit(0, 0))

    def test_examples_hold(self) -> None:
        for name in NAMES:
            with self.subTest(name):
                result = check(example_design(name))
                self.assertEqual(result.exit_status, 0, [c.failure for c in result.corners])
                for corner in result.corners:
                    modes = {corner.mode_derived, corner.mode_simulated}
                    self.assertTrue(len(modes) == 1 or BOUNDARY in modes, modes)
                    for finding in corner.findings:
                        self.assertTrue(finding.agrees, (corner.index, finding))

    def test_nomenclature_page_is_current(self) -> None:
        path = Path(__file__).parent.parent / "docs" / "nomenclature.md"
        self.assertEqual(path.read_text(encoding="utf-8"), nomenclature())


STEPS_UP = {
    "buck": (0.05, 0.92),
    "boost": (1.1, 6.0),
    "quadratic-boost": (2.0, 12.0),
    "four-switch": (0.3, 2.5),
    "interleaved-buck": (0.05, 0.92),
    "interleaved-boost": (1.1, 6.0),
}
"""Range of V_o over V_in for random specifications; others get the default."""

LOSSES = {
    "switch": {"resistance": 0.002},
    "rectifier": {"resistance": 0.0015, "forward_voltage": 0.01},
    "inductor": {"resistance": 0.003},
    "capacitor": {"resistance": 0.0002},
    "coupling": {},
    "magnetising": {},
    "transformer": {"primary_resistance": 0.002, "secondary_resistance": 0.002, "leakage": 0.004},
}
"""Data of lossy parts: resistances as parts of V_in/I_L at full load, forward voltage of V_in, leakage of V_in/(I_L·f)."""

RANDOM = 200
RANDOM_ISOLATED = 60
"""Fewer, as these circuits take longer; any number can be asked for by calling `agree`."""


def random_tables(topology: str, rng: random.Random) -> dict:
    """A valid specification: voltages from 3 V to 500 V, loads from 0.3 A to 50 A, 20 kHz to 2 MHz."""
    found = page(topology)
    low = 10.0 ** rng.uniform(0.5, 2.7)
    high = low * rng.uniform(1.0, 2.5)
    least, most = STEPS_UP.get(topology, (0.2, 4.0))
    ratio = rng.uniform(least, most)
    full = 10.0 ** rng.uniform(-0.5, 1.7)
    base = {"buck": low, "boost": high}.get(topology.removeprefix("interleaved-"), (low * high) ** 0.5)
    voltage = ratio * base
    tables = buck_tables()
    tables["topology"] = topology
    tables["input"] = {"voltage": {"min": low, "max": high}}
    tables["output"][0] |= {
        "voltage": -voltage if found.inverting else voltage,
        "current": {"min": full * 10.0 ** rng.uniform(-0.7 if found.quiet else -2.0, -0.1), "max": full},
        "voltage_ripple": f"{10.0 ** rng.uniform(-1.0, 0.0)} %",
    }
    tables["switching"] = {
        "frequency": 10.0 ** rng.uniform(4.3, 6.3),
        "current_ripple": f"{rng.uniform(10, 60)} %",
        "coupling_ripple": "1 %",
        "phases": rng.randint(2, 8),
        "mode": rng.choice(["continuous", "either", "boundary", "discontinuous"]),
        "rectifier": rng.choice(["diode", "synchronous"]),
    }
    if found.quiet:
        secondary = rng.choice(["centre-tap", "bridge", "current-doubler"])
        tables["transformer"] = transformer_tables(secondary)
        if secondary != "centre-tap":
            tables["switching"]["mode"] = "continuous"
        limit = 0.35
        if topology.startswith("current-fed"):
            limit, tables["transformer"]["magnetising_ripple"] = 0.7, "1 %"
        tables["switching"] |= {"coupling_ripple": "0.5 %", "duty_limit": limit}
        if tables["switching"]["rectifier"] == "synchronous":
            tables["switching"]["mode"] = "continuous"
    return tables


def transformer_tables(secondary: str) -> dict:
    """A transformer whose magnetising current is too small to disturb what the formulas leave out."""
    return {"secondary": secondary, "magnetising_ripple": "0.3 %"}


class RandomSpecifications(unittest.TestCase):
    def agree(self, topology: str, count: int, seed: int) -> None:
        rng = random.Random(seed)
        for k in range(count):
            tables = random_tables(topology, rng)
            with self.subTest(topology=topology, k=k, tables=tables):
                found = design(tables)
                result = check(found)
                for corner in result.corners:
                    self.assertEqual(corner.failure, "")
                    leaks = [t for s, t in found.page.looser.items() if found.sheet[s].worst > 0.0]
                    ratio = corner.control[1] / corner.control[0]
                    self.assertAlmostEqual(ratio, 1.0, delta=max(leaks, default=NEAR_IDEAL))
                    for finding in corner.findings:
                        if corner.mode_derived == BOUNDARY and finding.symbol in ("V_D1", "V_D2"):
                            continue  # idling or not, a floating inductor decides what these block
                        limit = NEAR_IDEAL
                        if finding.symbol.startswith("dV_"):
                            limit = NEAR_IDEAL_RIPPLE
                        if topology.startswith("interleaved") or found.page.isolated:
                            limit = finding.tolerance  # what cancels is measured against what is asked
                        self.assertLess(abs(finding.deviation), limit, finding)

    def test_buck(self) -> None:
        self.agree("buck", 300, 20)

    def test_every_secondary(self) -> None:
        """Continuous conduction, lossy and ideal, behind every circuit that a driven transformer can have."""
        tables = EveryModeEveryLoss().tables
        for topology in (n for n in NAMES if page(n).quiet):
            for secondary in ("centre-tap", "bridge", "current-doubler"):
                for lossy in (False, True):
                    with self.subTest(topology=topology, secondary=secondary, lossy=lossy):
                        found = tables(topology, "continuous", "diode", lossy, secondary)
                        found["output"][0]["current"]["min"] = 2
                        result = check(design(found))
                        self.assertEqual(result.exit_status, 0)
                        for corner in result.corners:
                            for finding in corner.findings:
                                self.assertTrue(finding.agrees, (corner.index, finding))

    def test_the_others(self) -> None:
        for seed, topology in enumerate(n for n in NAMES if n != "buck"):
            self.agree(topology, RANDOM_ISOLATED if page(topology).isolated else RANDOM, seed)


class GrazingDiodes(unittest.TestCase):
    def test_bridge_secondaries_in_discontinuous_conduction_have_a_result(self) -> None:
        """Idling, their diodes only just do not conduct: the instant of such an event says nothing."""
        for topology in ("push-pull", "half-bridge", "full-bridge", "phase-shifted-full-bridge"):
            rng = random.Random(NAMES.index(topology))
            for k in range(27):
                tables = random_tables(topology, rng)
                tables["transformer"] = transformer_tables(rng.choice(["bridge", "current-doubler"]))
                mode = rng.choice(["either", "discontinuous", "boundary"])
                tables["switching"] |= {"mode": mode, "rectifier": "diode"}
                if tables["transformer"]["secondary"] != "bridge":
                    continue
                with self.subTest(topology=topology, k=k):
                    failures = {c.failure for c in check(design(tables)).corners}
                    self.assertEqual(failures, {""})


class EveryModeEveryLoss(unittest.TestCase):
    """Every page in continuous and discontinuous conduction, with ideal and with lossy parts."""

    def tables(
        self, topology: str, mode: str, rectifier: str, lossy: bool, secondary: str = "centre-tap"
    ) -> dict:
        found = page(topology)
        tables = buck_tables()
        voltage = {
            "buck": 5.0,
            "boost": 45.0,
            "quadratic-boost": 90.0,
            "half-bridge": 7.0,
            "current-fed-full-bridge": 60.0,
        }.get(topology.removeprefix("interleaved-"), 15.0)
        tables["topology"] = topology
        tables["output"][0]["voltage"] = -voltage if found.inverting else voltage
        tables["switching"] |= {"mode": mode, "rectifier": rectifier}
        tables["switching"]["coupling_ripple"] = "0.5 %" if found.quiet else "2 %"
        if found.quiet:
            tables["transformer"] = transformer_tables(secondary)
            tables["switching"]["duty_limit"] = 0.6 if topology.startswith("current-fed") else 0.35
        if lossy:
            ohms = 24.0 / (4.0 * max(voltage / 20.0, 1.0))
            unit = {"forward_voltage": 24.0, "leakage": ohms / 200e3 if rectifier == "diode" else 0.0}
            tables["parts"] = {
                role.name: {key: value * unit.get(key, ohms) for key, value in LOSSES[role.kind].items()}
                for role in found.roles
                if LOSSES[role.kind]
            }
        return tables

    def test_dead_time(self) -> None:
        for topology in NAMES:
            tables = self.tables(topology, "either", "synchronous", True)
            tables["switching"]["dead_time"] = "60 ns"
            tables["output"][0]["current"]["min"] = 2 if page(topology).quiet else 0.2
            with self.subTest(topology=topology):
                result = check(design(tables))
                self.assertEqual(result.exit_status, 0)
                for corner in result.corners:
                    for finding in corner.findings:
                        if finding.symbol in ("D", "dI_L", "dI_L1", "I_Lpk", "I_S1pk", "V_S1", "V_D1"):
                            limit = 0.03 if page(topology).looser else 0.015
                            self.assertLess(abs(finding.deviation), limit, (corner.index, finding))

    def test_derived_and_simulated_agree(self) -> None:
        for topology in NAMES:
            for mode, rectifier in (
                ("continuous", "diode"),
                ("discontinuous", "diode"),
                ("either", "synchronous"),
            ):
                for lossy in (False, True):
                    if page(topology).reversible and mode == "discontinuous":
                        continue  # it cannot be had
                    with self.subTest(topology=topology, mode=mode, rectifier=rectifier, lossy=lossy):
                        result = check(design(self.tables(topology, mode, rectifier, lossy)))
                        self.assertEqual(result.exit_status, 0)
                        for corner in result.corners:
                            modes = {corner.mode_derived, corner.mode_simulated}
                            if not (
                                page(topology).looser and BOUNDARY in modes
                            ):  # leakage moves the boundary
                                self.assertEqual(corner.mode_derived, corner.mode_simulated)
                            for finding in corner.findings:
                                self.assertTrue(finding.agrees, (corner.index, finding))


class Targets(unittest.TestCase):
    def modes(self, **changes: object) -> set[str]:
        found = design(buck_tables(), **changes)
        return {found.mode(i, j) for i in range(len(found.inputs)) for j in range(len(found.loads))}

    def test_continuous_over_the_whole_load_range(self) -> None:
        self.assertEqual(self.modes(switching__mode="continuous"), {"continuous"})

    def test_discontinuous_over_the_whole_load_range(self) -> None:
        self.assertEqual(self.modes(switching__mode="discontinuous"), {"discontinuous"})

    def test_boundary_at_full_load(self) -> None:
        found = design(buck_tables(), switching__mode="boundary", input__voltage=24)
        self.assertEqual(found.mode(0, 1), "boundary")

    def test_synchronous_runs_backwards_instead(self) -> None:
        changes = {"switching__mode": "either", "output__current": {"min": 0.2, "max": 4}}
        self.assertIn("discontinuous", self.modes(**changes))
        backwards = self.modes(**changes, switching__rectifier="synchronous")
        self.assertEqual(backwards, {"continuous", "reversed"})

    def test_what_cannot_be_is_refused(self) -> None:
        for message, changes in (
            ("cannot be reached", {"output__voltage": 25}),
            ("no value fulfils", {"parts": {"C_o": {"resistance": 1}}}),
            ("chosen.Lx: not a component.*nearest valid name: L", {"chosen": {"Lx": "1 u"}}),
            ("chosen.L: 3 F where an inductance", {"chosen": {"L": "3 F"}}),
            ("parts.S9: no such component", {"parts": {"S9": {}}}),
            (
                "parts.S1.resistence: unknown key; nearest valid name: resistance",
                {"parts": {"S1": {"resistence": 1}}},
            ),
        ):
            with self.subTest(message), self.assertRaisesRegex(InputError, message):
                design(buck_tables(), **changes)
