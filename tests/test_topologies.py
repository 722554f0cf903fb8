"""Every page: dimensions, nomenclature, and agreement of derivation and simulation on random specifications."""

import multiprocessing
import random
import tomllib
import unittest
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pint

from jump_lane.circuit.circuit import validate
from jump_lane.design.derive import Design
from jump_lane.equations.formula import FUNCTIONS
from jump_lane.equations.sheet import BOUNDARY, Line
from jump_lane.errors import InputError
from jump_lane.operating.point import solve
from jump_lane.report.nomenclature import nomenclature
from jump_lane.study.check import Finding, check
from jump_lane.study.sweep import signals_of
from jump_lane.study.template import example
from jump_lane.topologies import NAMES, page
from tests.common import PULSED, buck_tables, design, example_design

UNITS = {
    "": "dimensionless",
    "S": "siemens",
    "A/s": "ampere/second",
    "Ω": "ohm",
    "°": "dimensionless",
    "C": "coulomb",
}


@cache
def units() -> pint.UnitRegistry:
    return pint.UnitRegistry()


def with_units(found: Design):
    """Return every symbol of a derivation as a quantity with its unit."""
    registry, out = units(), {}
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
            functions |= {n: self.number for n in FUNCTIONS if n.startswith(("bridges_", "least_", "asin"))}
            functions |= {"sum_pp": self.pieces, "sum_rms": self.pieces, "sum_ripple": self.charge}
            for line in found.page.lines:
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
        """Stand-in for min and max that insists on one dimension; nothing has any."""
        kept = [v for v in values if not (isinstance(v, float | int) and v == 0)]
        return sum(kept[1:], kept[0]) if kept else 0

    @staticmethod
    def number(*values):
        """Stand-in for functions of numbers that insists on numbers."""
        return sum((1.0 + v for v in values), 0.0)

    @classmethod
    def pieces(cls, *values):
        """Stand-in for what is asked of pieces: durations are numbers, ends of one dimension, which it has."""
        cls.number(values[0], *values[1::3])
        return cls.same(*values[2::3], *values[3::3])

    @classmethod
    def charge(cls, turn, *values):
        """Stand-in for the ripple of pieces on a capacitor, whose first argument is a number."""
        cls.number(turn)
        return cls.pieces(*values)

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
            for line in page(name).lines:
                self.assertTrue(line.source and line.meaning, line.symbol)

    def test_proofs_and_asks_refer_to_symbols_and_signals(self) -> None:
        for name in NAMES:
            found = example_design(name)
            circuit = found.circuit(0, 0)
            signals = signals_of(circuit)
            for symbol, proof in found.proofs.items():
                self.assertIn(proof.signal, signals, (name, symbol))
                self.assertIn(proof.scale or symbol, found.sheet, (name, symbol))
            for ask in found.asks:
                self.assertIn(ask.symbol, found.proofs)
                self.assertIn(ask.limit, found.sheet)
                self.assertIn(ask.remedy, found.sheet)
            validate(circuit)

    def test_every_device_inductor_and_capacitor_is_proven(self) -> None:
        """A page cannot forget what its components bear."""
        for name in PULSED:
            found = example_design(name)
            proven = {p.signal for p in found.proofs.values()}
            for role in (r for r in found.page.roles if r.kind in ("switch", "rectifier", "inductor")):
                if name == "multi-output-flyback" and role.name != "S1":
                    continue  # how its secondaries share is found by simulation
                if role.elements[0] in {e.name for e in found.circuit(0, 0).elements} and role.name != "S2":
                    self.assertIn(f"{role.elements[0]}.i", proven, name)

    def test_examples_hold(self) -> None:
        for name in NAMES:
            with self.subTest(name):
                result = check(example_design(name))
                self.assertEqual(result.exit_status, 0, [c.verdict for c in result.corners])
                for corner in result.corners:
                    modes = {corner.mode_derived, corner.mode_simulated.partition("/")[0]}
                    self.assertTrue(len(modes) == 1 or BOUNDARY in modes, modes)

    def test_examples_agree_with_ideal_parts(self) -> None:
        """Without losses, leakage and dead time every line keeps its stated accuracy at full load."""
        for name in PULSED:
            tables = {k: v for k, v in tomllib.loads(example(name)).items() if k not in ("parts", "damping")}
            tables["switching"].pop("dead_time", None)
            found = design(tables)
            for corner in (c for c in check(found).corners if c.i_o == max(found.loads)):
                with self.subTest(name, corner=corner.index):
                    self.assertEqual([f for f in corner.findings if f.compared and not f.agrees], [])

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

RANDOM = 24
RANDOM_ISOLATED = 10
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
    """What random specifications of a topology do not keep: no result, another mode, a line less accurate than it states."""
    rng, out = random.Random(seed), []
    for k in range(count):
        tables = random_tables(topology, rng)
        try:
            found = design(tables)
        except InputError as error:
            out.append(f"{topology} {k} {tables}: {error}")
            continue
        for corner in check(found).corners:
            wrong = [corner.failure] if corner.failure else []
            modes = {corner.mode_derived, corner.mode_simulated}
            if len(modes) > 1 and BOUNDARY not in modes and topology not in HELD_UP:
                wrong.append(f"{modes}")
            if not (topology in HELD_UP and held_up(found, corner.i_o)):
                wrong += [str(f) for f in corner.findings if f.compared and not near(f, modes)]
            out += [f"{topology} {k} {tables} {corner.index}: {text}" for text in wrong]
    return out


HELD_UP = ("push-pull", "half-bridge", "full-bridge", "phase-shifted-full-bridge", "multi-output-flyback")
"""Where light load is left to the simulation: a core holds the current up, or several secondaries share it."""


def held_up(found: Design, load: float) -> bool:
    """Whether a load lies where a core, or further secondaries, carry a current on that a textbook leaves out."""
    core = found.sheet["I_H"].worst if "I_H" in found.sheet else found.sheet["I_B"].worst
    return load < found.sheet["I_B"].worst + core


def near(finding: Finding, modes: set[str]) -> bool:
    """Whether a simulated value with ideal parts lies as near to the derived one as its line states."""
    floating = BOUNDARY in modes and finding.symbol.startswith("V_D")
    return finding.agrees or floating  # idling or not, a floating inductor decides what these block


class RandomSpecifications(unittest.TestCase):
    def test_textbook_lines_keep_their_accuracy(self) -> None:
        """Every page with ideal parts, in two processes: in continuous conduction, and in others where the page has them."""
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
        right = next(f for f in corner.findings if f.symbol == "dI_L")
        modes = {corner.mode_derived}
        self.assertFalse(near(replace(right, deviation=0.02), modes))
        self.assertTrue(near(replace(right, deviation=1e-4), modes))

    def test_stated_accuracies_are_those_of_a_textbook(self) -> None:
        """1 % for the duty ratio and inductor ripples, 2 % for device currents, 5 % for the output ripple, but where a page says more."""
        for name in ("buck", "boost", "buck-boost", "sepic", "cuk", "zeta", "flyback", "forward"):
            proofs = example_design(name).proofs
            self.assertEqual(proofs["D"].accuracy, 0.01)
            self.assertLessEqual(max(p.accuracy for s, p in proofs.items() if s.startswith("dI_L")), 0.06)
            self.assertLessEqual(proofs["dV_o"].accuracy, 0.05)
            self.assertLessEqual(proofs["I_D1rms"].accuracy, 0.02)

    def test_every_secondary(self) -> None:
        """Continuous conduction behind every circuit that a driven transformer can have: all holds, and lossy parts move little."""
        tables = EveryModeEveryLoss().tables
        for topology, secondary in ((n, s) for n in PULSED for s in page(n).secondaries):
            for rectifier, lossy in (("diode", False), ("diode", True), ("synchronous", False)):
                with self.subTest(topology=topology, secondary=secondary, rectifier=rectifier, lossy=lossy):
                    found = tables(topology, "continuous", rectifier, lossy, secondary)
                    found["output"][0]["current"]["min"] = 2
                    result = check(design(found))
                    self.assertEqual(result.exit_status, 0, [c.verdict for c in result.corners])
                    for corner in result.corners:
                        self.assertEqual(corner.mode_derived, corner.mode_simulated)
                        off = [f for f in corner.findings if f.compared and abs(f.deviation) > LOSSY]
                        self.assertEqual([] if lossy else off, [])
                        self.assertLess(abs(corner.control[1] / corner.control[0] - 1.0), LOSSY_DUTY)


LOSSY, LOSSY_DUTY = 0.2, 0.06
"""How far real parts may move any value, and the duty ratio, from a textbook's."""


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
                self.assertAlmostEqual(ratio, 1.0, delta=0.02)

    def test_dead_time(self) -> None:
        """Dead time and losses are left to the simulation: what is asked holds, and nothing is far off."""
        for topology in PULSED:
            tables = self.tables(topology, "either", "synchronous", True)
            tables["switching"]["dead_time"] = "60 ns"
            tables["output"][0]["current"]["min"] = 2 if page(topology).quiet else 0.2
            with self.subTest(topology=topology):
                result = check(design(tables))
                self.assertEqual(result.exit_status, 0, [c.verdict for c in result.corners])
                for corner in result.corners:
                    for finding in corner.findings:
                        if finding.symbol in ("dI_L", "dI_L1", "I_Lpk", "I_S1pk", "V_S1", "V_D1"):
                            self.assertLess(abs(finding.deviation), LOSSY, (corner.index, finding))

    def test_what_is_derived_holds_in_every_mode(self) -> None:
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
                        if not (lossy and mode == "discontinuous" and topology in HELD_UP):
                            self.assertEqual(result.exit_status, 0, [c.verdict for c in result.corners])
                        self.assertEqual({c.failure for c in result.corners}, {""})
                        for corner in result.corners:
                            modes = {corner.mode_derived, corner.mode_simulated}
                            if not (lossy and page(topology).isolated) and BOUNDARY not in modes:
                                self.assertEqual(len(modes), 1, modes)


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
