import json
import math
import unittest

from jump_lane.report.table import Table, View, to_csv
from jump_lane.report.text import to_html, to_json, to_text


class Layout(unittest.TestCase):
    def lines(self, *rows: tuple[str, ...], width: int = 80) -> list[str]:
        table = Table("T", ("symbol", "meaning", "value>"), rows)
        return to_text(View("kind", {}, (table,)), width).split("\n")

    def test_columns_are_padded_and_numbers_flush_right(self) -> None:
        lines = self.lines(("L", "coil", "33 µH"), ("C_o", "output", "4.7 µF"))
        self.assertEqual(lines[:2], ["T", "  symbol  meaning   value"])
        self.assertEqual(lines[3:5], ["  L       coil      33 µH", "  C_o     output   4.7 µF"])

    def test_prose_wraps_and_numbers_do_not(self) -> None:
        lines = self.lines(("x", "a rather long explanation of what this is " * 3, "1000 V"), width=80)
        self.assertLessEqual(max(len(line) for line in lines), 80)
        self.assertGreater(len(lines), 5)
        self.assertEqual(" ".join(" ".join(lines[3:]).split()).count("explanation"), 3)
        self.assertEqual(sum("1000 V" in line for line in lines), 1)

    def test_no_digit_is_lost_for_want_of_room(self) -> None:
        wide = Table("T", tuple(f"c{k}>" for k in range(20)), (tuple(f"{k}.23456 V" for k in range(20)),))
        text = to_text(View("kind", {}, (wide,)), 80)
        for k in range(20):
            self.assertIn(f"{k}.23456 V", text)

    def test_a_quantity_stays_together_and_markup_means_nothing(self) -> None:
        text = to_text(View("kind", {}, (), ("the [bold]limit[/bold] is " * 4 + "of 24.00 V, 300.0 mA",)), 80)
        self.assertIn("[bold]limit[/bold]", text)
        for line in text.split("\n"):
            self.assertFalse(line.endswith(("24.00", "300.0")), line)

    def test_lines_within_a_cell(self) -> None:
        self.assertEqual(self.lines(("x", "one\ntwo", "1 V"))[4].strip(), "two")

    def test_a_table_without_title_takes_its_first_heading(self) -> None:
        lines = to_text(View("kind", {}, (Table("", ("Head", "v>"), (("a", "1"),)),)), 80).split("\n")
        self.assertEqual(lines[:2], ["Head  v", "  a   1"])

    def test_a_notebook_gets_the_same_as_html(self) -> None:
        html = to_html(View("kind", {}, (Table("T <b>", ("a>",), (("1 < 2",),)),)))
        self.assertIn("<caption>T &lt;b&gt;</caption>", html)
        self.assertIn("<td>1 &lt; 2</td>", html)


class Machines(unittest.TestCase):
    def test_json_is_versioned_and_has_no_special_numbers(self) -> None:
        data = json.loads(to_json(View("kind", {"a": [math.nan, math.inf, 1.5], "b": {"c": (1, "µ")}})))
        self.assertEqual(data, {"format": "jumplane/kind/1", "a": [None, None, 1.5], "b": {"c": [1, "µ"]}})

    def test_json_has_no_noise_of_rounding(self) -> None:
        data = json.loads(to_json(View("kind", {"a": [-5.6e-17, 0.1 + 0.2, 1e-12, 123456789012.0]})))
        self.assertEqual(data["a"], [0.0, 0.3, 1e-12, 123456789012.0])

    def test_csv(self) -> None:
        self.assertEqual(to_csv(("a [V]", "b"), [(1, "x,y")]), 'a [V],b\n1,"x,y"\n')
