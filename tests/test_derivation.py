import unittest

import numpy as np

from jump_lane.equations.formula import Formula, pretty
from jump_lane.equations.sheet import CONTINUOUS, DISCONTINUOUS, Line, Sheet
from jump_lane.errors import InputError


class FormulaText(unittest.TestCase):
    def test_value_and_print_come_from_one_text(self) -> None:
        f = Formula("(V_1 + 2*V_2)/(L*f_s) - a*(b - c)**2")
        values = {"V_1": 3.0, "V_2": 1.0, "L": 0.5, "f_s": 4.0, "a": 2.0, "b": 5.0, "c": 2.0}
        self.assertEqual(f.evaluate(values), 5.0 / 2.0 - 2.0 * 9.0)
        self.assertEqual(f.write(pretty), "(V_1 + 2·V_2)/(L·f_s) − a·(b − c)²")

    def test_printed_parentheses_keep_the_meaning(self) -> None:
        for text in (
            "a/(b*c)",
            "a/b*c",
            "a - (b - c)",
            "a - b - c",
            "-a*b",
            "a**2/b",
            "(a/b)**2",
            "a/(b/c)",
            "sqrt(a+b)*c",
        ):
            printed = Formula(text).write(str)
            back = printed.replace("·", "*").replace("−", "-").replace("²", "**2").replace("√", "sqrt")
            values = {"a": 7.0, "b": 3.0, "c": 2.0}
            self.assertAlmostEqual(
                Formula(back).evaluate(values), Formula(text).evaluate(values), msg=printed
            )

    def test_a_quantity_is_squared_whole(self) -> None:
        self.assertEqual(Formula("a**2").write(lambda _: "6.0\u00a0A"), "(6.0\u00a0A)²")
        self.assertEqual(Formula("(-a)**2").write(str), "(−a)²")

    def test_nothing_but_arithmetic(self) -> None:
        for text in ("__import__('os')", "a.b", "a if b else c", "open(a)", "a <", "[a]"):
            with self.assertRaises(InputError):
                Formula(text)

    def test_functions_work_on_arrays(self) -> None:
        out = Formula("max(a, b, 1) + min(a, 2)").evaluate({"a": np.array([0.0, 3.0]), "b": 2.0})
        self.assertEqual(out.tolist(), [2.0, 5.0])

    def test_symbols_are_printed_as_written_by_hand(self) -> None:
        self.assertEqual(pretty("dI_L"), "ΔI_L")
        self.assertEqual(pretty("dead"), "dead")


class Lines(unittest.TestCase):
    def setUp(self) -> None:
        self.sheet = Sheet((2, 3))
        self.sheet.give("V", np.array([[10.0], [20.0]]), "V", "voltage")
        self.sheet.give("I", np.array([[1.0, 2.0, 4.0]]), "A", "current")

    def test_a_line_knows_its_worst_corner(self) -> None:
        value = self.sheet.derive(Line("P", "V*I", "W", "power", "definition"))
        self.assertEqual((value.worst, value.at), (80.0, (1, 2)))
        lowest = self.sheet.derive(Line("R", "V/I", "Ω", "resistance", "definition", "min"))
        self.assertEqual((lowest.worst, lowest.at), (2.5, (0, 2)))
        self.assertEqual(self.sheet.written(lowest), ("V/I", "10.00\u00a0V/4.000\u00a0A"))

    def test_a_symbol_means_one_thing(self) -> None:
        with self.assertRaisesRegex(ValueError, "I: 'power', and '.+' before"):
            self.sheet.derive(Line("I", "V", "W", "power", "definition"))

    def test_each_corner_has_the_formula_of_its_mode(self) -> None:
        self.sheet.modes[:, 0] = DISCONTINUOUS
        value = self.sheet.derive(Line("x", {CONTINUOUS: "V", DISCONTINUOUS: "-V"}, "V", "", ""))
        self.assertEqual(value.values[:, 0].tolist(), [-10.0, -20.0])
        self.assertEqual(value.values[:, 1].tolist(), [10.0, 20.0])

    def test_a_component_is_one_number_and_may_be_replaced(self) -> None:
        value = self.sheet.derive(Line("C", "I/V", "F", "", "", component=True))
        self.assertEqual((value.worst, value.required), (0.4, 0.4))
        self.sheet.choose("C", 1.0)
        self.assertEqual(self.sheet["C"].worst, 1.0)
        self.assertEqual(self.sheet["C"].required, 0.4)
        self.assertEqual(self.sheet["C"].origin, "chosen")
        self.assertEqual(self.sheet.written(self.sheet["C"])[1], "4.000\u00a0A/10.00\u00a0V")


class Equations(unittest.TestCase):
    """Lines whose text is an equation, solved for the symbol."""

    def setUp(self) -> None:
        self.sheet = Sheet((2, 1))
        self.sheet.give("a", np.array([[4.0], [9.0]]), "", "a number")

    def test_the_value_makes_the_equation_vanish(self) -> None:
        value = self.sheet.derive(Line("x", "x*y - a", "", "root", "definition", within=(0.0, 10.0),
                                       through=(Line("y", "x", "", "the same", "definition"),)))  # fmt: skip
        self.assertAlmostEqual(value.corner(0, 0), 2.0, places=12)
        self.assertAlmostEqual(value.corner(1, 0), 3.0, places=12)
        self.assertEqual(value.at, (1, 0))

    def test_lines_on_the_way_are_entered_behind_it(self) -> None:
        through = (Line("y", "2*x", "", "twice", "definition"), Line("z", "y + 1", "", "more", "definition"))
        self.sheet.derive(Line("x", "z - a", "", "root", "definition", within=(0.0, 10.0), through=through))
        self.assertAlmostEqual(self.sheet["z"].corner(1, 0), 9.0)
        self.assertEqual([v.symbol for v in self.sheet], ["a", "x", "y", "z"])

    def test_without_a_change_of_sign_there_is_no_value(self) -> None:
        value = self.sheet.derive(Line("x", "x - a", "", "root", "definition", within=(0.0, 5.0)))
        self.assertAlmostEqual(value.corner(0, 0), 4.0)
        self.assertTrue(np.isnan(value.corner(1, 0)))

    def test_falling_equations_too(self) -> None:
        value = self.sheet.derive(Line("x", "a - x**2", "", "root", "definition", within=(0.0, 5.0)))
        self.assertAlmostEqual(value.corner(1, 0), 3.0)

    def test_it_is_written_as_an_equation(self) -> None:
        value = self.sheet.derive(Line("x", "x**2 - a", "", "root", "definition", within=(0.0, 5.0)))
        text, numbers = self.sheet.written(value)
        self.assertEqual(text, "x² − a = 0")
        self.assertTrue(numbers.endswith(" = 0"))
