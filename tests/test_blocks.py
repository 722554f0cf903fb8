"""Groups of equations that several pages share, on their own."""

import tomllib
import unittest

import numpy as np

from jump_lane.circuit.elements import IdealTransformer, Inductor, Resistor
from jump_lane.equations.formula import Formula
from jump_lane.equations.sheet import Line
from jump_lane.errors import InputError
from jump_lane.report.derivation import derivation_view
from jump_lane.study.template import example
from jump_lane.topologies import NAMES, blocks, page
from jump_lane.topologies.blocks import transformers
from jump_lane.topologies.blocks.ramps import mean_square, root_mean_square
from jump_lane.topologies.blocks.rewriting import TWICE, rewritten
from jump_lane.topologies.page import ByTarget, Cases
from tests.common import buck_tables, design, example_design


class Rewriting(unittest.TestCase):
    LINE = Line(
        "I_L2", {"continuous": "V_o*f_s/L2", "discontinuous": "I_L2pk"}, "A", "current of L2", "definition"
    )

    def test_symbols_are_replaced_whole(self) -> None:
        (found,) = rewritten((self.LINE,), {"L2": "L_m", "I_L2": "I_Lm"})
        assert isinstance(found, Line)
        self.assertEqual(found.symbol, "I_Lm")
        self.assertEqual(found.text, {"continuous": "V_o * f_s / L_m", "discontinuous": "I_L2pk"})
        self.assertEqual(found.meaning, "current of L_m")

    def test_what_is_no_name_replaces_in_formulas_only(self) -> None:
        (found,) = rewritten((Line("f_s", "1/f_s", "s", "f_s", "definition"),), TWICE)
        assert isinstance(found, Line)
        self.assertEqual((found.symbol, found.text, found.meaning), ("f_s", "1 / (2 * f_s)", "f_s"))

    def test_choices_and_lines_on_the_way_too(self) -> None:
        inner = Line("y", "L2", "H", "", "")
        entries = (
            ByTarget({"either": self.LINE}),
            Line("x", "y", "", "", "", within=(0, 1), through=(inner,)),
        )
        choice, equation = rewritten(entries, {"L2": "L_m"})
        assert isinstance(choice, ByTarget) and isinstance(equation, Line)
        self.assertIn("L_m", str(choice.lines["either"].text))
        self.assertEqual(equation.through[0].text, "L_m")


class Transformers(unittest.TestCase):
    def point(self, **parts: object):
        tables = buck_tables() | {"topology": "flyback", "parts": {"T": parts}}
        return design(tables).point(0, 0)

    def test_what_is_not_there_takes_no_element(self) -> None:
        found = transformers.two_windings(self.point(), ("in", "d"), ("gnd", "s"))
        self.assertEqual([type(e) for e in found], [IdealTransformer, Inductor])

    def test_leakage_and_resistances_are_in_series(self) -> None:
        parts = {"leakage": "1u", "primary_resistance": 0.1, "secondary_resistance": 0.2}
        found = {e.name: e for e in transformers.two_windings(self.point(**parts), ("in", "d"), ("gnd", "s"))}
        leak, resistance = found["L_k"], found["R_s"]
        assert isinstance(leak, Inductor) and isinstance(resistance, Resistor)
        self.assertEqual((leak.a, leak.b, leak.resistance), ("in", "T.p", 0.1))
        self.assertEqual(resistance.resistance, 0.2)

    def test_the_first_node_of_every_winding_is_the_dotted_end(self) -> None:
        """While S1 conducts, the primary of a forward converter and its secondary are positive from the dot."""
        for name in ("forward", "two-switch-forward", "active-clamp-forward"):
            elements = example_design(name).circuit(0, 0).elements
            core = next(e for e in elements if isinstance(e, IdealTransformer))
            self.assertEqual([w.name for w in core.windings[:2]], ["Np", "Ns1"], name)


class Ramps(unittest.TestCase):
    def test_mean_square_of_straight_pieces(self) -> None:
        """Against the sum over many samples: from a to b, up from zero, constant, down to zero."""
        pieces = (("0.3", "a", "b"), ("d", "0", "(a + b)"), ("0.1", "c", "c"), ("0.25", "c", "0"))
        values = {"a": -1.0, "b": 2.5, "c": 0.7, "d": 0.2}
        steps = (np.arange(20000) + 0.5) / 20000
        ends = ((0.3, -1.0, 2.5), (0.2, 0.0, 1.5), (0.1, 0.7, 0.7), (0.25, 0.7, 0.0))
        expected = sum(part * np.mean((i + (j - i) * steps) ** 2) for part, i, j in ends)
        self.assertAlmostEqual(Formula(mean_square(*pieces)).evaluate(values), expected, places=7)
        self.assertAlmostEqual(Formula(root_mean_square(*pieces)).evaluate(values) ** 2, expected, places=7)


class Steps(unittest.TestCase):
    def test_a_stage_says_the_same_for_buck_and_for_one_phase(self) -> None:
        lines = blocks.StepDown(on="V_in - V_o", off="V_o").operation()
        self.assertEqual([line.symbol for line in lines][:5], ["I_x", "V_1", "V_2", "D_1", "dI_L"])

    def test_a_device_with_ramps_has_the_mean_of_its_corners(self) -> None:
        lines = {
            line.symbol: line for line in blocks.ramped_device("S9", "0.4", "2", "4", "10", "0.1", "0.05")
        }
        known = {"m_V": 0.3, "m_I": 0.3, "V_S9": 10.0, "I_S9pk": 4.0}

        def value(symbol: str) -> float:
            return float(lines[symbol].formula("").evaluate(known))

        self.assertAlmostEqual(value("I_S9"), 0.4 * 3 + 0.1 * 2 / 2 + 0.05 * 4 / 2)
        self.assertAlmostEqual(value("I_S9rms") ** 2, 0.4 * 28 / 3 + 0.1 * 4 / 3 + 0.05 * 16 / 3)
        self.assertEqual(value("I_S9pk"), 4.0)


def entered(found) -> list[str]:
    """The symbols of all lines that a design enters, in order."""
    out: list[str] = []
    pending = [*found.page.sizing, *found.page.operation]
    while pending:
        entry = pending.pop(0)
        if isinstance(entry, Cases):
            pending = [*entry.lines[entry.of(found.spec, found.sheet)], *pending]
        elif isinstance(entry, ByTarget):
            out.append(next(iter(entry.lines.values())).symbol)
        else:
            out.append(entry.symbol)
            pending = [*entry.through, *pending]
    return out


class OneDerivation(unittest.TestCase):
    def test_no_symbol_is_derived_twice(self) -> None:
        """A second line of the same name would leave behind what was derived from the first one."""
        for name in NAMES:
            for secondary in page(name).secondaries or (None,):
                tables = tomllib.loads(example(name))
                if secondary:
                    asked = {"secondary": secondary, "magnetising_ripple": "1 %"}
                    tables["output"][0]["current"]["min"] = tables["output"][0]["current"]["max"]
                    tables.pop("chosen", None)
                    tables["transformer"] = tables.get("transformer", {}) | asked
                symbols = entered(design(tables, switching__mode="continuous", switching__duty_limit=0.38))
                with self.subTest(topology=name, secondary=secondary):
                    self.assertEqual([s for s in set(symbols) if symbols.count(s) > 1], [])

    def test_no_given_symbol_is_derived(self) -> None:
        for name in NAMES:
            found = example_design(name)
            given = {v.symbol for v in found.sheet if v.line is None}
            with self.subTest(name):
                self.assertEqual(given & set(entered(found)), set())


class Isolated(unittest.TestCase):
    def test_every_isolated_page_says_how_it_is_wound(self) -> None:
        for name in (n for n in NAMES if page(n).isolated):
            notes = derivation_view(example_design(name), name).notes
            with self.subTest(name):
                self.assertTrue(any(note.startswith("N_p : N_s = ") for note in notes), notes)

    def test_what_is_left_out_is_said_only_where_it_matters(self) -> None:
        tables = buck_tables() | {"topology": "isolated-sepic"}
        self.assertEqual(design(tables).caveats(), ())
        found = design(tables, parts__T={"leakage": "1u"})
        self.assertIn("at light load", found.caveats()[0])

    def test_dead_time_matters_only_to_switches(self) -> None:
        found = design(buck_tables(), switching__dead_time="80 ns")
        self.assertEqual(found.sheet["t_d"].worst, 0.0)
        found = design(buck_tables(), switching__dead_time="80 ns", switching__rectifier="synchronous")
        self.assertEqual(found.sheet["t_d"].worst, 80e-9)

    def test_an_absolute_ripple_needs_no_reference(self) -> None:
        found = design(buck_tables() | {"topology": "flyback"}, switching__current_ripple="0.8 A")
        self.assertEqual(found.sheet["dI_ask"].worst, 0.8)

    def test_duty_ratios_out_of_range_are_said_so(self) -> None:
        with self.assertRaisesRegex(
            InputError, "boost: 5.000 V cannot be reached from 20.00 V: this topology reaches"
        ):
            design(buck_tables() | {"topology": "boost"})
