import json
import math
import unittest

from jump_lane.cli.render import layout, to_json
from jump_lane.report.table import Table, View, to_csv


class Layout(unittest.TestCase):
    def table(self, *rows: tuple[str, ...]) -> Table:
        return Table("T", ("symbol", "meaning", "value>"), rows)

    def test_columns_are_padded_and_numbers_flush_right(self) -> None:
        lines = layout(self.table(("L", "coil", "33 µH"), ("C_o", "output", "4.7 µF")), 80)
        self.assertEqual(lines[0], "  symbol  meaning   value")
        self.assertEqual(lines[2], "  L       coil      33 µH")
        self.assertEqual(lines[3], "  C_o     output   4.7 µF")

    def test_the_widest_column_wraps(self) -> None:
        lines = layout(self.table(("x", "a rather long explanation of what this is " * 3, "1 V")), 60)
        self.assertLessEqual(max(len(line) for line in lines), 60)
        self.assertGreater(len(lines), 4)
        self.assertEqual(" ".join(" ".join(lines[2:]).split()).count("explanation"), 3)

    def test_lines_within_a_cell(self) -> None:
        lines = layout(self.table(("x", "one\ntwo", "1 V")), 80)
        self.assertEqual(lines[3].strip(), "two")


class Machines(unittest.TestCase):
    def test_json_is_versioned_and_has_no_special_numbers(self) -> None:
        data = json.loads(to_json(View("kind", {"a": [math.nan, math.inf, 1.5], "b": {"c": (1, "µ")}})))
        self.assertEqual(data, {"format": "jumplane/kind/1", "a": [None, None, 1.5], "b": {"c": [1, "µ"]}})

    def test_csv(self) -> None:
        self.assertEqual(to_csv(("a [V]", "b"), [(1, "x,y")]), 'a [V],b\n1,"x,y"\n')
