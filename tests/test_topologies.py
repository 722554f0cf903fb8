"""Every page: dimensions, nomenclature, and agreement of derivation and simulation on random specifications."""

import multiprocessing
import random
import unittest
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import pint

from jump_lane.circuit.circuit import validate
from jump_lane.equations.formula import FUNCTIONS
from jump_lane.equations.sheet import BOUNDARY, Line
from jump_lane.errors import InputError
from jump_lane.operating.point import solve
from jump_lane.report.nomenclature import nomenclature
from jump_lane.study.check import Finding, check
from jump_lane.topologies import NAMES, page
from jump_lane.topologies.design import Design
from tests.common import PULSED, buck_tables, design, example_design

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
            functions |= {
                n: self.number for n in FUNCTIONS if n.startswith(("sum_", "bridges_", "least_", "asin"))
            }
            lines = [v.line for v in found.sheet if v.line is not None and v.symbol not in values]
            lines += found.page.lines()
            for line in lines:
                for formula in (f for f in line.formulas if set(f.names) <= set(values)):
                    with self.subTest(page=name, line=line.symbol, formula=formula.text):
                        try:
                            found_value = formula.evaluate(values, functions)
                        except ZeroDivisionError:
                            continue  # a figure that is not given, in a way not taken
                        if isinstance(found_value, float | int) and found_value == 0:
                            continue  # nothing has any dimension
                        result = registry.Quantity(1) * found_value
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
                    modes = {corner.mode_derived, corner.mode_simulated.partition("/")[0]}
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
    "tapped-buck": (0.03, 0.35),
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

CURRENT_FED = "current-fed-full-bridge"
"""Its leakage needs a clamp, and is tested with that."""

HELD_CURRENT = 0.06
"""Where a series inductance holds the primary current, dead time moves what is carried between the pulses."""

RANDOM = 80
RANDOM_ISOLATED = 30
"""Fewer, as these circuits take longer; any number can be asked for by calling `agree`."""


def random_tables(topology: str, rng: random.Random) -> dict:
    """A valid specification: voltages from 3 V to 500 V, loads from 0.3 A to 50 A, 20 kHz to 2 MHz."""
    found = page(topology)
    low = 10.0 ** rng.uniform(0.5, 2.7)
    high = low * rng.uniform(1.0, 2.5)
    least, most = STEPS_UP.get(topology, (0.2, 4.0))
    ratio = rng.uniform(least, most)
    full = 10.0 ** rng.uniform(-0.5, 1.7)
    like = topology.removeprefix("interleaved-").removeprefix("tapped-")
    base = {"buck": low, "boost": high}.get(like, (low * high) ** 0.5)
    voltage = ratio * base
    tables = buck_tables()
    tables["topology"] = topology
    tables["input"] = {"voltage": {"min": low, "max": high}}
    tables["output"][0] |= {
        "voltage": -voltage if found.inverting else voltage,
        "current": {"min": full * 10.0 ** rng.uniform(least_load(topology), -0.1), "max": full},
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
    if found.secondaries:
        secondary = rng.choice(found.secondaries)
        tables["transformer"] = transformer_tables(topology, secondary)
        if secondary not in STAYS_IDLE.get(topology, ("centre-tap",)):
            tables["switching"]["mode"] = "continuous"
    if found.secondaries and not found.quiet and secondary != "half-wave":
        tables["switching"]["duty_limit"] = rng.uniform(0.2, 0.42)
        tables["output"][0]["current"]["min"] = full * rng.uniform(0.2, 0.8)
    if found.quiet:
        limit = 0.35
        if topology.startswith("current-fed"):
            limit, tables["transformer"] = 0.7, {"magnetising_ripple": "1 %"}
        tables["switching"] |= {"coupling_ripple": "0.5 %", "duty_limit": limit}
        if topology in DRIVEN:
            tables["switching"]["duty_limit"] = rng.uniform(0.2, 0.42)
            tables["switching"]["coupling_ripple"] = f"{rng.uniform(0.5, 2)} %"
            if secondary == "half-wave":
                tables["output"][0]["current"]["min"] = full * rng.uniform(0.2, 0.8)
            elif secondary == "current-doubler":
                tables["output"][0]["current"]["min"] = full * rng.uniform(0.4, 0.8)
                tables["transformer"]["magnetising_ripple"] = f"{rng.uniform(0.3, 15)} %"
            else:
                tables["transformer"]["magnetising_ripple"] = f"{10.0 ** rng.uniform(-0.5, 1.0)} %"
        elif tables["switching"]["rectifier"] == "synchronous":
            tables["switching"]["mode"] = "continuous"
    if (tables["switching"]["mode"], tables["switching"]["rectifier"]) == ("discontinuous", "synchronous"):
        tables["switching"]["mode"] = "either"  # it cannot be had
    return tables


DRIVEN = ("push-pull", "half-bridge", "full-bridge")
"""Pages whose core holds the inductor current up between the pulses."""

STAYS_IDLE = dict.fromkeys(("forward", "two-switch-forward"), ("half-wave", "centre-tap", "bridge"))
STAYS_IDLE |= dict.fromkeys(DRIVEN, ("centre-tap", "bridge"))
STAYS_IDLE["active-clamp-forward"] = ("half-wave",)
"""Secondary sides that are derived for discontinuous conduction too, within 1 %."""


def least_load(topology: str) -> float:
    """Return the logarithm of the smallest load over the full one."""
    return -0.7 if page(topology).quiet and topology not in DRIVEN else -1.5 if topology in DRIVEN else -2.0


def transformer_tables(topology: str, secondary: str) -> dict:
    """A transformer whose magnetising current is too small to disturb what the formulas leave out."""
    if not page(topology).quiet:
        return {"secondary": secondary} | ({} if secondary == "half-wave" else {"magnetising_ripple": "3 %"})
    ripple = "3 %" if secondary == "half-wave" else "10 %" if topology in DRIVEN else "0.3 %"
    return {"secondary": secondary, "magnetising_ripple": ripple}


def disagreements(topology: str, count: int, seed: int) -> list[str]:
    """What random specifications of a topology do not keep: no result, another duty ratio, a proof too far off."""
    rng, out = random.Random(seed), []
    for k in range(count):
        tables = random_tables(topology, rng)
        try:
            found = design(tables)
        except InputError as error:
            out.append(f"{topology} {k} {tables}: {error}")
            continue
        leaks = [t for s, t in found.page.looser.items() if found.sheet[s].worst > 0.0]
        for corner in check(found).corners:
            off = abs(corner.control[1] / corner.control[0] - 1.0)
            wrong = [corner.failure] if corner.failure else []
            wrong += [] if off <= max(leaks, default=NEAR_IDEAL) else [f"control {corner.control}"]
            wrong += [str(f) for f in corner.findings if not near(f, found, corner.mode_derived)]
            out += [f"{topology} {k} {tables} {corner.index}: {text}" for text in wrong]
    return out


def near(finding: Finding, found: Design, mode: str) -> bool:
    """Whether a simulated value with ideal parts lies near enough to the derived one."""
    if mode == BOUNDARY and finding.symbol in ("V_D1", "V_D2"):
        return True  # idling or not, a floating inductor decides what these block
    limit = NEAR_IDEAL_RIPPLE if finding.symbol.startswith("dV_") else NEAR_IDEAL
    if finding.symbol == "I_Corms":
        limit = finding.tolerance  # the ripple of the capacitor itself bends its current
    if found.page.name.startswith("interleaved") or found.page.isolated:
        limit = finding.tolerance  # what cancels is measured against what is asked
    return abs(finding.deviation) < limit


class RandomSpecifications(unittest.TestCase):
    def test_derived_and_simulated_agree(self) -> None:
        """Every page, in two processes: 80 specifications each, fewer where circuits take longer."""
        calls = [
            (name, RANDOM_ISOLATED if page(name).isolated else RANDOM, seed)
            for seed, name in enumerate(PULSED)
        ]
        with ProcessPoolExecutor(2, multiprocessing.get_context("spawn")) as pool:
            for found in pool.map(disagreements, *zip(*calls, strict=True)):
                self.assertEqual(found, [])

    def test_a_disagreement_is_told(self) -> None:
        """A page whose ripple were derived 2 % too small would be found out."""
        found = design(buck_tables())
        corner = check(found).corners[0]
        wrong = replace(next(f for f in corner.findings if f.symbol == "dI_L"), deviation=0.02)
        self.assertFalse(near(wrong, found, corner.mode_derived))
        self.assertTrue(near(replace(wrong, deviation=1e-4), found, corner.mode_derived))

    def test_every_secondary(self) -> None:
        """Continuous conduction, lossy and ideal, behind every circuit that a driven transformer can have."""
        tables = EveryModeEveryLoss().tables
        for topology, secondary in ((n, s) for n in PULSED for s in page(n).secondaries):
            for rectifier, lossy in (("diode", False), ("diode", True), ("synchronous", False)):
                with self.subTest(topology=topology, secondary=secondary, rectifier=rectifier, lossy=lossy):
                    found = tables(topology, "continuous", rectifier, lossy, secondary)
                    found["output"][0]["current"]["min"] = 2
                    result = check(design(found))
                    self.assertEqual(result.exit_status, 0)
                    for corner in result.corners:
                        self.assertEqual(corner.mode_derived, corner.mode_simulated)
                        for finding in corner.findings:
                            self.assertTrue(finding.agrees, (corner.index, finding))


class GrazingDiodes(unittest.TestCase):
    def test_bridge_secondaries_in_discontinuous_conduction_have_a_result(self) -> None:
        """Idling, their diodes only just do not conduct: the instant of such an event says nothing."""
        for topology in ("push-pull", "half-bridge", "full-bridge", "phase-shifted-full-bridge"):
            rng = random.Random(NAMES.index(topology))
            for k in range(27):
                tables = random_tables(topology, rng)
                tables["transformer"] = transformer_tables(
                    topology, rng.choice(["bridge", "current-doubler"])
                )
                mode = rng.choice(["either", "discontinuous", "boundary"])
                tables["switching"] |= {"mode": mode, "rectifier": "diode"}
                if tables["transformer"]["secondary"] != "bridge":
                    continue
                with self.subTest(topology=topology, k=k):
                    failures = {c.failure for c in check(design(tables)).corners}
                    self.assertEqual(failures, {""})


def charge_of_a_pulse(found: Design) -> float:
    """Return the charge, C, that a pulse of the simulated source current has above the average of the period."""
    recording = solve(found)[1]
    times, current = recording.samples_between("source.i", 0.0, recording.period)
    steps, middles = np.diff(times), (current[1:] + current[:-1]) / 2
    above = middles - (middles * steps).sum() / recording.period
    pulses = np.count_nonzero((above > 0) & (np.roll(above, 1) <= 0))
    return float((np.maximum(above, 0.0) * steps).sum()) / pulses


class EveryModeEveryLoss(unittest.TestCase):
    """Every page in continuous and discontinuous conduction, with ideal and with lossy parts."""

    def tables(self, topology: str, mode: str, rectifier: str, lossy: bool, secondary: str = "") -> dict:
        found = page(topology)
        tables = buck_tables()
        voltage = {
            "buck": 5.0,
            "boost": 45.0,
            "quadratic-boost": 90.0,
            "half-bridge": 7.0,
            "current-fed-full-bridge": 60.0,
        }.get(topology.removeprefix("interleaved-").removeprefix("tapped-"), 15.0)
        tables["topology"] = topology
        tables["output"][0]["voltage"] = -voltage if found.inverting else voltage
        tables["switching"] |= {"mode": mode, "rectifier": rectifier}
        tables["switching"]["coupling_ripple"] = "0.5 %" if found.quiet else "2 %"
        if found.secondaries:
            tables["transformer"] = transformer_tables(topology, secondary or found.secondaries[0])
        if found.quiet or secondary not in ("", "half-wave"):
            tables["switching"]["duty_limit"] = (
                0.6 if topology.startswith("current-fed") else 0.35 + found.duty_reserve
            )
        if lossy:
            ohms = 24.0 / (4.0 * max(voltage / 20.0, 1.0))
            unit = {"forward_voltage": 24.0, "leakage": ohms / 200e3 if rectifier == "diode" else 0.0}
            tables["parts"] = {
                role.name: {key: value * unit.get(key, ohms) for key, value in LOSSES[role.kind].items()}
                for role in found.roles
                if LOSSES[role.kind]
            }
        return tables

    def test_dead_time_and_leakage_behind_every_secondary(self) -> None:
        """Body diodes conduct, leakage turns currents round, and the formulas know of both."""
        for topology, secondary in ((n, s) for n in PULSED if n != CURRENT_FED for s in page(n).secondaries):
            tables = self.tables(topology, "continuous", "synchronous", True, secondary)
            leaking = self.tables(topology, "continuous", "diode", True, secondary)["parts"]["T"]
            tables["parts"]["T"] |= leaking
            tables["switching"]["dead_time"] = "60 ns"
            tables["output"][0]["current"] = {"min": 2, "max": 4}
            tables["input"]["voltage"] = {"min": 20, "max": 30}
            with self.subTest(topology=topology, secondary=secondary):
                for corner in check(design(tables)).corners:
                    self.assertEqual(corner.failure, "")
                    for finding in corner.findings:
                        limit = max(
                            finding.tolerance, HELD_CURRENT if page(topology).looser.get("L_r") else 0
                        )
                        self.assertLess(abs(finding.deviation), limit, (corner.index, finding))

    def test_charge_of_the_input_capacitor(self) -> None:
        """What a pulse takes above the average, ideal parts, against the simulated current of the source."""
        wide = [("active-clamp-forward", kind, 0.55) for kind in ("centre-tap", "bridge")]
        usual = [(name, kind, None) for name in PULSED for kind in page(name).secondaries or ("",)]
        for topology, secondary, duty_limit in usual + wide:
            tables = self.tables(topology, "continuous", "diode", False, secondary)
            tables["output"][0]["current"]["min"] = 2
            if duty_limit:
                tables["switching"]["duty_limit"] = duty_limit
            found = design(tables).at()
            if "Q_in" not in found.sheet:
                continue
            with self.subTest(topology=topology, secondary=secondary, duty_limit=duty_limit):
                ratio = found.sheet["Q_in"].corner(0, 0) / charge_of_a_pulse(found)
                self.assertAlmostEqual(ratio, 1.0, delta=0.01)

    def test_dead_time(self) -> None:
        for topology in PULSED:
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
        for topology in PULSED:
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
            ("its ESR of 1.000 Ω alone makes 833.3 mV", {"parts": {"C_o": {"resistance": 1}}}),
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
