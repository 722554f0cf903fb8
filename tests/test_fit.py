import tempfile
import unittest
from importlib.resources import files
from pathlib import Path

from jump_lane.catalogue.kinds import Capacitor, Inductor
from jump_lane.catalogue.load import load
from jump_lane.errors import InputError
from jump_lane.study.fit import fit
from jump_lane.study.template import example
from jump_lane.study.write import with_choices
from tests.common import buck_tables, spec

PARTS = Path(str(files("jump_lane"))) / "examples" / "sample-parts.csv"


class PreferredValues(unittest.TestCase):
    def test_a_minimum_takes_the_next_higher(self) -> None:
        found = fit(spec(buck_tables()), (), "E6", False)
        for choice in found.choices:
            self.assertGreaterEqual(choice.best.value, choice.required * (1 - 1e-9))
            self.assertLessEqual(choice.best.value, choice.required * 1.6)
        self.assertEqual(found.after.components()["L"], found.choices[0].best.value)

    def test_a_maximum_takes_the_next_lower(self) -> None:
        found = fit(spec(buck_tables(), switching__mode="discontinuous"), (), "E6", False)
        self.assertFalse(found.choices[0].is_minimum)
        self.assertLessEqual(found.choices[0].best.value, found.choices[0].required)

    def test_the_nearest_below_a_minimum_is_said_to_break_it(self) -> None:
        tables = buck_tables()
        tables["margin"] = {"inductance": 0, "capacitance": 0}
        found = fit(spec(tables, switching__mode="either", switching__current_ripple="36 %"), (), "E3", True)
        choke = found.choices[0]
        self.assertLess(choke.best.value, choke.required)
        self.assertRegex(choke.best.broken[0], "ΔI_L: .* where 1.440 A is asked")


class PartsList(unittest.TestCase):
    def list(self, text: str, suffix: str = ".csv") -> tuple:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"parts{suffix}"
            path.write_text(text, encoding="utf-8")
            return load(path)

    def test_the_sample_list_reads(self) -> None:
        parts = {p.name: p for p in load(PARTS)}
        ceramic = parts["sample-mlcc-22u-25v"]
        self.assertAlmostEqual(ceramic.left_at(12.0), 0.52)
        self.assertAlmostEqual(ceramic.left_at(2.5), 0.94)
        self.assertAlmostEqual(ceramic.left_at(99.0), 0.22)
        self.assertEqual(parts["sample-film-10u-100v"].left_at(50.0), 1.0)

    def test_toml_lists_too(self) -> None:
        text = '[[part]]\npart = "a"\nkind = "inductor"\nvalue = "10 µH"\nsaturation_current = "3 A"\n'
        self.assertEqual(self.list(text, ".toml")[0].saturation_current, 3.0)

    def test_messages_name_the_entry(self) -> None:
        for text, message in (
            (
                "part,kind,value\na,inductr,1u\n",
                "entry 1: kind: read 'inductr'; nearest valid name: inductor",
            ),
            ("part,kind,value\na,inductor,1 F\n", r"entry 1 \(a\): value: 1 F where an inductance"),
            ("part,kind,valu\na,inductor,1u\n", "valu: unknown key; nearest valid name: value"),
            ("part,kind\na,inductor\n", "value: missing"),
            ("part,kind,value\n", "no parts in it"),
        ):
            with self.subTest(message), self.assertRaisesRegex(InputError, message):
                self.list(text)

    def test_several_pieces_where_one_does_not_reach(self) -> None:
        one = (
            Inductor(part="c", value=18e-6, saturation_current=9.0),
            Capacitor(part="k", value=5e-6, resistance=0.003),
        )
        found = fit(spec(buck_tables(), switching__mode="either"), one, "E12", False)
        choke, output = found.choices[0].best, found.choices[1].best
        self.assertEqual((choke.pieces, choke.name), (2, "2 × c in series"))
        self.assertGreater(output.pieces, 1)
        self.assertAlmostEqual(output.resistance or 0.0, 0.003 / output.pieces)
        self.assertAlmostEqual(found.after.sheet["R_Co"].worst, 0.003 / output.pieces)

    def test_bias_costs_pieces(self) -> None:
        plain = Capacitor(part="k", value=10e-6)
        biased = Capacitor(part="k", value=10e-6, dc_bias="0 V: 100 %; 5 V: 50 %")
        counts = [
            fit(spec(buck_tables(), switching__mode="either"), (p,), "E12", False).choices[1].best.pieces
            for p in (plain, biased)
        ]
        self.assertGreater(counts[1], counts[0])

    def test_tolerance_is_taken_at_its_unfavourable_end(self) -> None:
        tables = buck_tables()
        tables["margin"] = {"inductance": 0}
        tables["switching"]["mode"] = "either"
        required = fit(spec(tables), (), "E12", False).choices[0].required
        head = "part,kind,value,tolerance\n"
        for value, tolerance, says in (
            (1.1, "5 %", ""),
            (0.4, "20 %", r"at -20 % of its value, ΔI_L: .* is asked"),
        ):
            parts = self.list(head + f"sample-choke,inductor,{required * value},{tolerance}\n")
            broken = fit(spec(tables), parts, "E12", False).choices[0].best.broken
            with self.subTest(tolerance):
                self.assertEqual(len(broken), 1 if says else 0)
                self.assertRegex("".join(broken) or "none", says or "none")

    def test_ratings_rank_before_closeness(self) -> None:
        weak = Inductor(part="weak", value=40e-6, saturation_current=1.0)
        strong = Inductor(part="strong", value=90e-6, saturation_current=9.0)
        choice = fit(spec(buck_tables(), switching__mode="either"), (weak, strong), "E12", False).choices[0]
        self.assertEqual(choice.best.name, "strong")
        self.assertRegex(choice.candidates[1].broken[0], "saturation: .* where 1.000 A is allowed")
        self.assertGreater(dict(choice.best.margins)["saturation"], 0.5)


class Writing(unittest.TestCase):
    def test_idempotent_and_all_else_byte_for_byte(self) -> None:
        import tomllib

        from jump_lane.spec import parse_spec

        text = example("buck").replace('L   = "33 µH"', 'L   = "99 µH"   # from the lab')
        found = fit(parse_spec(tomllib.loads(text), "x"), load(PARTS), "E12", False)
        once = with_choices(text, found)
        tables = tomllib.loads(once)
        self.assertNotIn("chosen", {k for k, v in tables.items() if v})
        for choice in found.choices:
            named = tables["parts"][choice.symbol]
            pieces = {"part": choice.best.part, "count": choice.best.pieces}
            self.assertEqual(named, choice.best.part if choice.best.pieces == 1 else pieces)
        again = with_choices(once, fit(parse_spec(tomllib.loads(once), "x"), load(PARTS), "E12", False))
        self.assertEqual(once, again)
        before, after = text.splitlines(), once.splitlines()
        untouched = [line for line in before if line not in after]
        touched = {line.split("=")[0].strip() for line in untouched}
        self.assertLessEqual(
            touched, {"L", "C_o", "C_i", "[chosen]", ""} | {x for x in touched if "[chosen]" in x}
        )
