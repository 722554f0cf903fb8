"""Windings put back into the converter: turns ratios lowered for what they drop, cores that a direct current biases."""

import tomllib
import unittest
from typing import Any

import numpy as np
import tomlkit

import jump_lane as jl
from jump_lane.judge.limit import ROUNDING
from jump_lane.library.converter import Converter
from jump_lane.library.easing import eased
from jump_lane.library.put_back import judgement
from jump_lane.magnetics.asked import asked_of
from jump_lane.magnetics.written import with_design
from jump_lane.operating.wound import Course
from tests.common import CommandCase, design

TIGHT: dict[str, Any] = {
    "topology": "flyback",
    "input": {"voltage": {"min": 178, "max": 260}},
    "output": [{"voltage": 77, "current": {"min": 0.59, "max": 8.3}, "voltage_ripple": "1.4 %"}],
    "switching": {
        "frequency": "48 kHz",
        "current_ripple": "50 %",
        "mode": "boundary",
        "duty_limit": "42 %",
    },
    "transformer": {"clamp_voltage": 1.6},
    "wound": {"T": {"core": "E 55/28/21", "material": "sample-ferrite-fast"}},
}
"""The turns ratio derived lets the duty ratio come up to its limit; what a winding drops is not known there yet."""

BIASED: dict[str, Any] = {
    "topology": "two-switch-forward",
    "input": {"voltage": {"min": 142, "max": 247}},
    "output": [{"voltage": 25, "current": {"min": 0.31, "max": 5.1}, "voltage_ripple": "0.47 %"}],
    "switching": {
        "frequency": "117 kHz",
        "current_ripple": "62 %",
        "mode": "continuous",
        "duty_limit": "42 %",
    },
    "transformer": {"secondary": "current-doubler"},
    "wound": {"T": {"core": "E 55/28/21", "material": "sample-ferrite-wide"}},
}
"""Between its pulses the core hands a current to one of the inductors, and keeps that."""

UNGAPPED: dict[str, Any] = {
    "core": "E 55/28/21", "material": "sample-ferrite-wide", "gap": "0 m", "order": ["Np/2", "Ns1", "Np/2"], "tape": "100 µm",
    "winding": {
        "Np": {"turns": 23, "wire": "foil 0.035", "parallel": 1},
        "Ns1": {"turns": 11, "wire": "foil 0.05", "parallel": 1},
    },
}  # fmt: skip


class TurnsRatios(unittest.TestCase):
    found: Any

    @classmethod
    def setUpClass(cls) -> None:
        cls.found = jl.wind(TIGHT, "T", count=2)

    def test_a_ratio_is_lowered_until_the_converter_holds(self) -> None:
        derived = design(TIGHT | {"wound": {}}).sheet["n"].worst
        self.assertTrue(self.found.judgements[0].startswith("MET"), self.found.judgements[0])
        self.assertEqual(set(self.found.ratios), {"n"})
        self.assertTrue(0.9 * derived < self.found.ratios["n"] < derived)
        turns = self.found.choice.designs[0].wound.turns
        self.assertLess(abs(turns[0] / turns[1] / self.found.ratios["n"] - 1.0), 0.02 + ROUNDING)
        notes = " ".join(self.found.view().notes)
        self.assertIn(f"n = {self.found.ratios['n']:g}: lowered", notes)
        self.assertEqual(self.found.held, 2)
        self.assertIn("the converter holds with each of them", notes)

    def test_with_the_ratio_derived_it_does_not_hold(self) -> None:
        """The same core, turns as near as whole ones come to the ratio derived: D is what does not hold."""
        table = TIGHT["wound"]["T"] | {"winding": {"Np": {"turns": "15..40"}}}
        found = jl.wind(TIGHT | {"wound": {"T": table}}, "T", count=1)
        self.assertIn("D over by", found.judgements[0])
        self.assertIn(f"the converter with the first: {found.judgements[0]}", found.view().notes)
        self.assertEqual(found.ratios, {})

    def test_a_ratio_that_the_file_gives_stays(self) -> None:
        given = TIGHT["transformer"] | {"turns_ratio": "27 : 16"}
        found = jl.wind(TIGHT | {"transformer": given}, "T", count=1)
        self.assertEqual(found.ratios, {})
        self.assertFalse(found.judgements[0].startswith("MET"))

    def test_what_is_written_holds(self) -> None:
        chosen = self.found.design(1)
        text = with_design(tomlkit.dumps(TIGHT), chosen.asked, chosen.found, chosen.ratios)
        again = tomllib.loads(text)
        self.assertEqual(again["chosen"], self.found.ratios)
        self.assertTrue(jl.check(again).holds)
        other = jl.wound(again, "T").found
        self.assertAlmostEqual(other.loss, chosen.found.loss, delta=1e-3 * other.loss)

    def test_nothing_is_lowered_for_another_limit(self) -> None:
        """A check that holds, one of no duty ratio, and reasons why there is none."""
        converter = Converter("x", TIGHT, TIGHT, TIGHT)
        holding = jl.check(TIGHT | {"wound": {}}).check
        self.assertEqual(eased(converter, self.found.choice, [holding, "no result"]), {})

    def test_an_inductor_has_no_turns_ratio(self) -> None:
        given = BIASED | {"wound": {"L": {"core": "ETD 39/20/13"}}, "transformer": {"secondary": "half-wave"}}
        found = jl.wind(given, "L", count=1)
        kept = {"chosen": {"n": design(given | {"wound": {}}).sheet["n"].worst}, "wound": {}}
        beyond = jl.check(given | kept | {"switching": BIASED["switching"] | {"duty_limit": "30 %"}}).check
        self.assertTrue(any(f.symbol == "D" and not f.holds for c in beyond.corners for f in c.findings))
        self.assertEqual(eased(Converter("x", given, given, given), found.choice, [beyond]), {})

    def test_a_winding_that_its_leakage_heats_is_told(self) -> None:
        chosen = self.found.design(1)
        known = jl.check(
            tomllib.loads(with_design(tomlkit.dumps(TIGHT), chosen.asked, chosen.found, chosen.ratios))
        )
        reached = max(c.temperatures["T"] for c in known.check.corners)
        said = judgement(known.check, chosen.found, "T")
        self.assertEqual("reaches" in said, reached > chosen.found.temperature + 5.0)
        self.assertIn(
            f"T reaches {reached:.0f} °C", judgement(known.check, _cooler(chosen.found, reached), "T")
        )


def _cooler(found: Any, reached: float) -> Any:
    """Return a design whose sheet says that it stays 20 K below."""

    class Cooler:
        temperature = reached - 20.0

    return Cooler()


class Bias(unittest.TestCase):
    def course(self, low: float, high: float) -> Course:
        time = np.array([0.0, 0.5, 1.0])
        return Course("", 1.0, time, np.zeros((1, 3)), np.array([low, high, low]))

    def test_flux_that_stays(self) -> None:
        for low, high, biased in (
            (0.8, 1.0, True), (0.0, 1.0, False), (-1.0, 1.0, False), (-1.0, -0.9, True), (0.4, 1.0, False), (-0.9, 0.1, False),
        ):  # fmt: skip
            with self.subTest((low, high)):
                self.assertEqual(self.course(low, high).biased, biased)

    def test_a_biased_core_is_gapped(self) -> None:
        """More inductance than asked for would carry more flux at the same current: it is met, not exceeded."""
        asked = asked_of(jl.load(BIASED).design, "T")
        self.assertTrue(asked.coil.stores)
        self.assertFalse(
            asked_of(jl.load(BIASED | {"transformer": {"secondary": "half-wave"}}).design, "T").coil.stores
        )
        found = jl.wind(BIASED, "T", count=1)
        self.assertTrue(found.judgements[0].startswith("MET"), found.judgements[0])
        chosen = found.choice.designs[0]
        self.assertGreater(chosen.wound.gap.length, 10e-6)
        self.assertLess(
            abs(chosen.inductance / asked.coil.inductance - 1.0), asked.table.inductance_tolerance
        )

    def test_a_core_that_saturates_holds_the_output_at_the_control_derived(self) -> None:
        """Above half of the period nothing resets the core: there the same output is held with hundreds of amperes."""
        dropping = {"S1": {"resistance": "82 mΩ"}, "D1": {"forward_voltage": "0.36 V"}}
        for parts in ({}, dropping):
            settled = jl.load(BIASED | {"wound": {"T": UNGAPPED}, "parts": parts})
            for k in range(2):
                with self.subTest((parts, k)):
                    found = jl.simulate(settled, input_voltage=settled.design.inputs[k])
                    derived = settled.design.sheet["D"].corner(k, 1)
                    self.assertLess(abs(found.control / derived - 1.0), 0.05)
                    self.assertLess(found.measures("L_m.i").peak, 6.0)


class Command(CommandCase):
    def test_ratio_and_winding_are_written_together(self) -> None:
        path = self.folder / "tight.toml"
        path.write_text(tomlkit.dumps(TIGHT), encoding="utf-8")
        shown = self.run_command("wind", str(path), "T", "--write").stdout
        self.assertIn("lowered", shown)
        written = tomllib.loads(path.read_text(encoding="utf-8"))
        self.assertIn("n", written["chosen"])
        self.assertTrue(written["wound"]["T"]["winding"]["Np"]["turns"])
        self.assertIn("MET: all that is asked holds", self.run_command("check", str(path)).stdout)
