"""Wound components searched, proven from their own description, written, and back in the chain."""

import itertools
import json
import tomllib
import unittest
from typing import Any

import numpy as np

import jump_lane as jl
from jump_lane.catalogue.load import sample_materials
from jump_lane.catalogue.magnetic import Wire
from jump_lane.circuit.elements import Inductor, Mutual
from jump_lane.dissipation.budget import heating
from jump_lane.library.winding import WoundDesign
from jump_lane.magnetics.asked import Asked, asked_of, parse_order
from jump_lane.magnetics.choice import choose, judged
from jump_lane.magnetics.conductors import PARALLEL
from jump_lane.magnetics.copper import fields_of, resistance_matrix, still_resistances, window_of
from jump_lane.magnetics.creepage import creepage, margin_for
from jump_lane.magnetics.design import Winding, Wound, portions
from jump_lane.magnetics.feed import definite
from jump_lane.magnetics.layers import layers_of
from jump_lane.magnetics.proof import leakage_between, prove
from jump_lane.magnetics.search import Candidate, Search
from jump_lane.magnetics.section import section, shares
from jump_lane.magnetics.written import with_design
from jump_lane.operating.point import solve
from jump_lane.study.template import example
from tests.common import CommandCase

WIRES = ("round 0.200", "round 0.400", "round 0.630", "round 1.000", "litz 30 x 0.100", "litz 120 x 0.050")


def tables(topology: str, component: str, **asked: Any) -> dict[str, Any]:
    found = tomllib.loads(example(topology))
    found["wound"] = {component: asked}
    return found


def search(topology: str, component: str, **asked: Any) -> tuple[Asked, list[Candidate], Search]:
    found = asked_of(jl.load(tables(topology, component, **asked)).design, component)
    made = Search(found, {"loss": 1.0})
    return found, made.run(), made


def best(given: dict[str, Any], component: str) -> WoundDesign:
    """Return the best design of a search, without the converter checked with it."""
    converter = jl.load(given)
    asked = asked_of(converter.design, component)
    return WoundDesign(converter, asked, choose(asked, {"loss": 1.0, "volume": 1.0}, 1).designs[0])


class Searching(unittest.TestCase):
    def test_a_range_of_gaps_is_kept(self) -> None:
        wide = {c.wound.gap.length for c in search("buck", "L", core="PQ 20/16..PQ 26/25")[1]}
        self.assertGreater(max(wide), 0.30e-3)
        _, found, made = search("buck", "L", core="PQ 20/16..PQ 26/25", gap="0.2 mm..0.3 mm")
        self.assertTrue(found)
        self.assertTrue(all(0.2e-3 <= c.wound.gap.length <= 0.3e-3 for c in found))
        self.assertGreater(made.tally.fallen["gap"], 0)
        ends = search("buck", "L", core="PQ 26/25", gap={"min": "0.2 mm", "max": "0.3 mm"})[0].table
        self.assertEqual((ends.gap, ends.fixed_gap), ((0.2e-3, 0.3e-3), None))
        for wrong, message in (
            ("0.3 mm..0.2 mm", "above the last"),
            ("2 V", "where a length"),
            (True, "range such as"),
        ):
            with self.assertRaisesRegex(jl.InputError, message):
                search("buck", "L", core="PQ 26/25", gap=wrong)

    def everything(self, asked: Asked, best: Candidate, some: tuple[str, ...]) -> float:
        """Return the least loss of all wires and numbers of them, each design computed from its description."""
        turns, wires = best.wound.turns, [sample_materials()[w] for w in some]
        found = np.inf
        for order in asked.orders():
            stacks: list[tuple[Winding, ...]] = [()]
            for k, n in enumerate(turns):
                name = asked.coil.windings[k]
                options = [Winding(name, n, w, p, 2) for w in wires if isinstance(w, Wire) for p in PARALLEL]
                stacks = [(*s, o) for s in stacks for o in options]
            for windings in stacks:
                made = Wound(
                    best.wound.core, best.wound.material, best.wound.gap, windings, portions(order, turns), best.wound.bobbin, asked.margin,
                    asked.table.tape,
                )  # fmt: skip
                layers, build = layers_of(made)
                if build <= made.depth * asked.table.fill and layers:
                    one = prove(asked, made, exact=False)
                    found = min(found, one.loss)
        return found

    def test_no_enumeration_beats_it(self) -> None:
        cases: tuple[tuple[str, str, str], ...] = (
            ("buck", "L", "ETD 34/17/11"), ("boost", "L", "ETD 34/17/11"), ("sepic", "L1", "E 25/13/7"),
            ("buck-boost", "L", "EER 28/17/11"), ("zeta", "L2", "PQ 20/20"), ("cuk", "L1", "PQ 26/25"), ("forward", "L", "E 32/16/9"),
            ("full-bridge-llc", "L_r", "ETD 44/22/15"), ("flyback", "T", "ETD 29/16/10"), ("two-switch-flyback", "T", "ETD 54/28/19"),
        )  # fmt: skip
        for topology, component, core in cases:
            with self.subTest(topology):
                windings = ("Np", "Ns") if component == "T" else (component,)
                some = WIRES[:: len(windings)]
                asked, found, _ = search(
                    topology, component, core=core, material="sample-ferrite-low-loss",
                    winding={w: {"wire": list(some)} for w in windings},
                )  # fmt: skip
                turns = found[0].wound.turns
                of_these = [c for c in found if c.wound.turns == turns]
                proven = [prove(asked, c.wound, exact=False) for c in of_these]
                self.assertLess(min(p.loss for p in proven), 1.01 * self.everything(asked, found[0], some))

    def test_loss_of_the_search_is_that_of_the_design_alone(self) -> None:
        """What is searched at the hottest temperature, layers summed in closed form, is what layer after layer makes."""
        from jump_lane.magnetics.copper import fields_of, resistance_matrix

        asked, found, _ = search("flyback", "T", core="ETD 34/17/11", material="sample-ferrite-low-loss")
        for candidate in found[:5]:
            layers, build = layers_of(candidate.wound)
            fields = fields_of(candidate.wound, layers, exact=False)
            matrix = resistance_matrix(candidate.wound, layers, fields, asked.burden.frequencies, asked.hot)
            np.testing.assert_allclose(candidate.copper_loss, asked.burden.copper(matrix), rtol=0.08)
            self.assertAlmostEqual(candidate.build, build, delta=1e-9)

    def test_counts_add_up(self) -> None:
        _, found, made = search(
            "buck", "L", core=["E 20/10/6", "PQ 26/25"], material="sample-ferrite-low-loss"
        )
        self.assertTrue(found)
        self.assertEqual(made.tally.looked, made.tally.valid + sum(made.tally.fallen.values()))

    def test_a_range_of_sizes_and_what_is_fixed_are_kept(self) -> None:
        _, found, _ = search(
            "flyback", "T", core="ETD 29/16/10..ETD 39/20/13", order=["Np/2", "Ns", "Np/2"], winding={"Np": {"turns": 30}}
        )  # fmt: skip
        self.assertTrue(all(c.wound.core.family == "ETD" for c in found))
        self.assertEqual({c.wound.turns[0] for c in found}, {30})
        self.assertEqual({tuple(p.winding for p in c.wound.order) for c in found}, {(0, 1, 0)})

    def test_turns_and_layers_in_a_range(self) -> None:
        _, found, _ = search(
            "buck", "L", core="ETD 34/17/11", winding={"L": {"turns": "8..11", "most_layers": 1}}
        )
        self.assertTrue({c.wound.turns[0] for c in found} <= {8, 9, 10, 11})
        self.assertTrue(all(len(layers_of(c.wound)[0]) == 1 for c in found))
        with self.assertRaisesRegex(jl.InputError, "first of the range is above"):
            jl.load(tables("buck", "L", winding={"L": {"turns": "11..8"}}))

    def test_a_material_without_loss_data_is_told(self) -> None:
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            own = Path(folder) / "own.toml"
            own.write_text(
                '[[part]]\npart = "bare"\nkind = "core-material"\nfamily = "ferrite"\npermeability = 2000\nsaturation = 0.48\n'
            )
            given = tables("buck", "L", core="ETD 34/17/11") | {"catalogue": {"files": [str(own)]}}
            found = jl.wind(given, "L", count=1)
            self.assertEqual(found.choice.fallen["material without loss data"], 1)
            given["wound"]["L"]["material"] = "bare"
            notes = " ".join(jl.wind(given, "L", count=1).design(1).view().notes)
            self.assertRegex(
                notes,
                r"core losses are left out: the material has no core_pieces; 100.0 W a litre would be \d+",
            )

    def test_foil_is_not_put_beside_a_gap_unasked(self) -> None:
        _, found, _ = search("buck", "L", core="PQ 26/25")
        self.assertFalse(any(w.wire.form == "foil" for c in found for w in c.wound.windings))

    def test_too_small_a_core_says_what_it_could_do(self) -> None:
        with self.assertRaisesRegex(jl.NoResultError, r"of the load it would hold|flux density: \d+"):
            jl.wind(tables("full-bridge", "T", core="E 20/10/6"), "T")


class PutBack(unittest.TestCase):
    def test_the_list_ends_where_the_converter_holds_with_enough_designs(self) -> None:
        given = tables("buck", "L", core="PQ 26/25", material="sample-ferrite-low-loss")
        whole, short = jl.wind(given, "L", count=3), jl.wind(given, "L", count=3, enough=1)
        self.assertEqual((len(whole.judgements), len(short.judgements), short.held), (3, 1, 1))
        self.assertEqual(short.design().found.wound, whole.design().found.wound)


class Described(unittest.TestCase):
    CASES = (("buck", "L"), ("flyback", "T"), ("forward", "T"), ("half-bridge-llc", "T"), ("push-pull", "T"))

    def test_what_is_listed_holds_once_more_by_its_own_sheet_and_in_the_converter(self) -> None:
        for topology, component in self.CASES:
            with self.subTest(topology):
                given = tables(topology, component, core=["ETD 34/17/11", "ETD 39/20/13", "PQ 26/25"])
                found = jl.wind(given, component, count=1)
                design = found.design(1)
                text = with_design("", design.asked, design.found)
                again = given | {"wound": tomllib.loads(text)["wound"]}
                other = jl.wound(again, component)
                self.assertTrue(all(v.holds or v.warning for v in judged(other.asked, other.found)))
                self.assertAlmostEqual(other.found.loss, design.found.loss, delta=1e-3 * design.found.loss)
                self.assertTrue(found.judgements[0].startswith("MET"), found.judgements[0])
                self.assertTrue(jl.check(again).holds)

    def test_losses_are_those_of_the_chain(self) -> None:
        """The winding and core losses that `losses` finds with the component in place are those of its own proof."""
        given = tables("flyback", "T", core="ETD 34/17/11", material="sample-ferrite-low-loss")
        design = jl.wind(given, "T", count=1).design(1)
        again = given | {"wound": tomllib.loads(with_design("", design.asked, design.found))["wound"]}
        entries = jl.losses(again).budget.losses
        own = jl.wound(again, "T").found
        asked = design.asked.burden.courses
        at = next(k for k, c in enumerate(asked) if c.words == jl.load(again).design.corner_name((1, 1)))
        total = sum(e.power for e in entries if e.component == "T")
        self.assertLess(abs(total / float(own.copper[at] + own.core[at]) - 1.0), 0.25)

    def test_shapes_lie_in_the_window_and_do_not_overlap(self) -> None:
        given = tables("flyback", "T", core="ETD 34/17/11", material="sample-ferrite-low-loss")
        design = best(given, "T")
        core = design.found.wound.core
        wires = [s for s in section(design.found) if s.what == "enamel"]
        self.assertTrue(wires)
        for a in wires:
            self.assertTrue(a.x - a.width / 2 > 0.0 and a.x + a.width / 2 < core.window_width)
            self.assertTrue(a.y - a.width / 2 > -1e-9 and a.y + a.width / 2 < core.window_height + 1e-9)
        for k, a in enumerate(wires):
            for b in wires[k + 1 :]:
                apart = np.hypot(a.x - b.x, a.y - b.y)
                self.assertGreater(apart, 0.5 * (a.width + b.width) - 1e-9)
        self.assertAlmostEqual(sum(shares(design.found).values()), 1.0)


class InTheChain(unittest.TestCase):
    """What a settled component sets in the power stage."""

    def settled(self, topology: str, component: str, **asked: Any) -> tuple[dict[str, Any], Any]:
        given = tables(topology, component, **asked)
        if topology == "sepic":
            given["parts"]["T"] = {"factor": 0.98}
        design = best(given, component)
        return given | {"wound": tomllib.loads(with_design("", design.asked, design.found))["wound"]}, design

    def test_inductance_turns_and_leakage_are_those_wound(self) -> None:
        given, design = self.settled(
            "multi-output-flyback", "T", core="ETD 34/17/11", material="sample-ferrite-low-loss"
        )
        sheet = jl.load(given).design.sheet
        turns = design.found.wound.turns
        self.assertAlmostEqual(sheet["n"].worst, turns[0] / turns[1])
        self.assertAlmostEqual(sheet["n_3"].worst, turns[0] / turns[3])
        self.assertAlmostEqual(sheet["L_m"].worst / design.found.inductance, 1.0, delta=0.05)
        star = sheet["L_kT"].worst + sheet["L_s1"].worst * sheet["n"].worst ** 2
        self.assertAlmostEqual(star / design.found.leakage["Ns1"], 1.0, delta=0.02)

    def test_every_pair_of_windings_leaks_as_wound(self) -> None:
        """Ampere-turns of two windings alone store what the field in the window says, also of two secondaries."""
        given, design = self.settled(
            "multi-output-flyback", "T", core="ETD 34/17/11", material="sample-ferrite-low-loss"
        )
        further = {"voltage": "9 V", "current": {"min": "50 mA", "max": "0.3 A"}, "voltage_ripple": "300 mV"}
        for count in (3, 4):
            with self.subTest(secondaries=count):
                if count == 4:
                    given = {k: v for k, v in given.items() if k != "wound"}
                    given["output"] = [*given["output"], further]
                    given["wound"] = {"T": {"core": "PQ 26/25", "material": "sample-ferrite-low-loss"}}
                    design = best(given, "T")
                    given |= {"wound": tomllib.loads(with_design("", design.asked, design.found))["wound"]}
                elements = jl.load(given).design.circuit(0, 0).elements
                own = {e.name: e.inductance for e in elements if isinstance(e, Inductor)}
                shared = {e.first + e.second: e.inductance for e in elements if isinstance(e, Mutual)}
                wound, layers = design.found.wound, layers_of(design.found.wound)[0]
                field = window_of(wound, layers).energy()
                names = ["L_k", *(f"L_s{k}" for k in range(1, count + 1))]
                for j, k in itertools.combinations(range(count + 1), 2):
                    n = wound.turns
                    a, b = n[0] / n[j], -n[0] / n[k]
                    found = own[names[j]] * a * a + own[names[k]] * b * b
                    found += 2.0 * a * b * shared.get(names[j] + names[k], 0.0)
                    wanted = leakage_between(wound, layers, field, j, k)
                    self.assertAlmostEqual(found / wanted, 1.0, delta=1e-4)

    def test_a_leakage_matrix_stores_energy_with_any_current(self) -> None:
        sound = np.array([[5.0, 4.6], [4.6, 5.2]])
        np.testing.assert_array_equal(definite(sound), sound)
        mended = definite(np.array([[5.0, 5.3], [5.3, 5.2]]))  # lengths of turns that do not agree
        self.assertGreater(np.linalg.eigvalsh(mended)[0], 0.0)
        np.testing.assert_allclose(mended, [[5.0, 5.3], [5.3, 5.2]], rtol=0.05)

    def test_shared_leakage_of_what_has_none_is_refused(self) -> None:
        for text, words in (
            ("1-2: 1 uH", "no leakage of a secondary 1"),
            ("2-1: 1 uH", "expected an inductance for each pair"),
            ("1-2: 1 kg", "expected an inductance for each pair"),
        ):
            given = tables("flyback", "T") | {"parts": {"T": {"mutual_leakage": text}}}
            with self.subTest(text), self.assertRaisesRegex(jl.InputError, words):
                jl.load(given).design.circuit(0, 0)

    def test_leakage_and_resistance_of_the_secondary_are_not_those_of_another_winding(self) -> None:
        for topology, secondary in (("push-pull", 2), ("half-bridge", 1)):
            with self.subTest(topology):
                given, design = self.settled(
                    topology, "T", core="ETD 34/17/11", material="sample-ferrite-low-loss"
                )
                sheet, wound = jl.load(given).design.sheet, design.found.wound
                name = wound.windings[secondary].name
                self.assertAlmostEqual(sheet["L_kT"].worst / design.found.leakage[name], 1.0, delta=1e-3)
                cold = still_resistances(wound, design.found.layers, 25.0)
                warm = sheet["R_sT"].worst / sheet["R_pT"].worst
                self.assertAlmostEqual(warm / (cold[secondary] / cold[0]), 1.0, delta=1e-3)
                self.assertAlmostEqual(sheet["n"].worst, wound.turns[0] / wound.turns[secondary])

    def test_a_value_that_is_set_goes_before_the_winding(self) -> None:
        given, _ = self.settled("buck", "L", core="ETD 34/17/11", material="sample-ferrite-low-loss")
        wound, other = jl.load(given), jl.load(given, set=["L=50uH"])
        self.assertNotAlmostEqual(wound.design.components()["L"], 50e-6)
        self.assertAlmostEqual(other.design.components()["L"], 50e-6)

    def test_a_pair_on_one_core_comes_back_as_a_coupling_factor(self) -> None:
        given, design = self.settled("sepic", "T", core="E 25/13/7", material="sample-ferrite-low-loss")
        sheet = jl.load(given).design.sheet
        self.assertEqual(sheet["L1"].worst, sheet["L2"].worst)
        left = 1.0 - min(design.found.leakage.values()) / sheet["L1"].worst
        self.assertAlmostEqual(sheet["k_T"].worst, left**0.5, delta=1e-3)
        steered = jl.check(given).view()  # so close a coupling steers ripple to the input, and both say so
        self.assertIn(design.judgement.split("\n")[0].split(";")[0], " ".join(steered.heading.split()))

    def test_a_pair_on_one_core_loses_by_both_currents(self) -> None:
        """Winding losses of the pair against the Fourier series of sampled currents; nothing of either is left out."""
        given, design = self.settled("sepic", "T", core="E 25/13/7", material="sample-ferrite-low-loss")
        found = jl.losses(given)
        winding = {
            n: sum(e.power for e in found.budget.losses if e.component == n and "winding" in e.mechanism)
            for n in ("L1", "L2")
        }
        recording = solve(jl.load(given).design, 1, 2)[1]
        instants = (np.arange(4096) + 0.5) / 4096 * recording.period
        currents = np.array([[recording.value_at(f"{n}.i", t) for t in instants] for n in winding])
        harmonics = np.fft.rfft(currents)[:, :200] / 4096
        harmonics[:, 1:] *= 2.0**0.5
        wound, layers = design.found.wound, design.found.layers
        frequencies = np.arange(200) / recording.period
        resistance = resistance_matrix(wound, layers, fields_of(wound, layers), frequencies, design.asked.hot)
        each = np.einsum("ih,hij,jh->i", harmonics.conj(), resistance, harmonics).real
        for k, n in enumerate(winding):
            self.assertAlmostEqual(winding[n] / each[k], 1.0, delta=0.02)
        left_out = [g for g in found.budget.gaps if g.component in winding and "left out" in g.effect]
        self.assertEqual(left_out, [])
        at = found.budget.temperatures
        self.assertEqual(at["L1"], at["L2"])
        heat = heating(found.budget.losses)
        self.assertNotIn("L2", heat)
        self.assertGreater(heat["L1"], sum(winding.values()))

    def test_a_core_that_saturates_on_the_way_is_told(self) -> None:
        given, _ = self.settled(
            "multi-output-flyback", "T", core="ETD 34/17/11", material="sample-ferrite-low-loss"
        )
        run = jl.transient(given, from_rest=True, end="0.3 ms").view().data
        core = next(s for s in run["strains"] if s["what"] == "magnetising current")
        self.assertFalse(core["holds"])
        self.assertGreater(core["value"], 2.0 * core["limit"])
        calm = jl.transient(given | {"event": [{"at": "0.1 ms", "load": "1.2 A"}]}, end="1 ms").view().data
        self.assertTrue(next(s for s in calm["strains"] if s["what"] == "magnetising current")["holds"])

    def test_knots_are_no_devices_of_an_interval(self) -> None:
        given, _ = self.settled("flyback", "T", core="ETD 34/17/11", material="sample-ferrite-low-loss")
        text = str(jl.simulate(given))
        self.assertNotIn("knee", text)
        intervals = jl.simulate(given).view().data["intervals"]
        self.assertAlmostEqual(sum(i["part"] for i in intervals), 1.0, delta=1e-4)

    def test_layers_of_a_ring_get_shorter_towards_its_hole(self) -> None:
        asked, found, _ = search("forward", "T", core="R 40/24/16", material="sample-ferrite-low-loss")
        layers, build = layers_of(found[0].wound)
        self.assertEqual([a.breadth for a in layers], sorted((a.breadth for a in layers), reverse=True))
        for layer in layers:
            winding = found[0].wound.windings[layer.winding]
            self.assertLessEqual(layer.turns * winding.parallel * winding.outer, layer.breadth + 1e-9)
        self.assertLess(build, 0.55 * found[0].wound.core.window_width)
        self.assertEqual(asked.orders()[0], ((0, 1.0), (1, 1.0), (2, 1.0)))


class Insulation(unittest.TestCase):
    def test_creepage_takes_the_next_line_of_the_table(self) -> None:
        self.assertEqual(creepage(51.0, "basic"), 1.4e-3)
        self.assertEqual(creepage(250.0, "reinforced"), 5.0e-3)
        self.assertEqual(creepage(4000.0, "functional"), 0.0)
        with self.assertRaises(ValueError):
            creepage(1001.0, "basic")
        self.assertEqual(margin_for(250.0, "reinforced", False), 2.5e-3)
        self.assertEqual(margin_for(250.0, "reinforced", True), 0.0)

    def test_orders_are_read_and_written(self) -> None:
        names = ("Np", "Ns")
        order = parse_order(["Np/2", "Ns", "Np/2"], names, "wound.T")
        self.assertEqual(order, ((0, 0.5), (1, 1.0), (0, 0.5)))
        for wrong, words in (
            (["Np", "Nx"], "no winding"),
            (["Np/2", "Ns"], "there 0.5 times"),
            (["Np/x", "Ns"], "a part of it"),
        ):
            with self.assertRaisesRegex(jl.InputError, words):
                parse_order(wrong, names, "wound.T")


class Commands(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        self.run_command("new", "buck", "rail.toml")
        text = (self.folder / "rail.toml").read_text(encoding="utf-8")
        self.write("rail.toml", text.replace("[wound.L]", '[wound.L]\nmaterial = "sample-ferrite-low-loss"'))

    def test_listed_shown_written_and_used(self) -> None:
        done = self.run_command(
            "wind", "rail.toml", "L", "--list", "3", "--figure", "all.png", "--table", "all.csv", "--json"
        )
        data = json.loads(done.stdout)
        listed = self.run_command("wind", "rail.toml", "L", "--list", "3").stdout
        self.assertTrue(all(len(line) <= 120 for line in listed.splitlines()))
        self.assertEqual(data["component"], "L")
        self.assertGreater(len(data["designs"]), 2)
        self.assertIn("loss [W]", (self.folder / "all.csv").read_text(encoding="utf-8").splitlines()[0])
        shown = self.run_command(
            "wind", "rail.toml", "L", "--show", "2", "--write", "--sheet", "L.txt", "--section", "L.dxf", "--figure", "L.png"
        )  # fmt: skip
        self.assertTrue(all(len(line) <= 120 for line in shown.stdout.splitlines()))
        self.assertIn("pin 1, dot", (self.folder / "L.txt").read_text(encoding="utf-8"))
        self.assertIn("copper L", (self.folder / "L.dxf").read_text(encoding="utf-8"))
        self.assertGreater((self.folder / "L.png").stat().st_size, 20_000)
        again = json.loads(self.run_command("wind", "rail.toml", "L", "--json", "--section", "L.json").stdout)
        self.assertEqual(again["core"], data["designs"][1]["core"])
        shapes = json.loads((self.folder / "L.json").read_text(encoding="utf-8"))["shapes"]
        copper = [s for s in shapes if s["what"] == "copper"]
        self.assertEqual(max(s["turn"] for s in copper), again["windings"][0]["turns"])
        self.run_command("check", "rail.toml")
        lost = json.loads(self.run_command("losses", "rail.toml", "--json").stdout)
        self.assertIn("core", json.dumps(lost))
        self.run_command("waves", "rail.toml", "--core", "L", "--figure", "core.png")

    def test_parts_and_a_winding_together(self) -> None:
        done = self.run_command(
            "pick", "rail.toml", "--wind", "L", "--choose", "D1", "--windings", "2", "--set", "wound.L.core=PQ 26/25", "--write", "--json"
        )  # fmt: skip
        found = json.loads(done.stdout)["combinations"]
        self.assertEqual({c["core"] for c in found}, {"PQ 26/25"})
        scores = [c["score"] for c in found if not c["broken"]]
        self.assertEqual(scores, sorted(scores))
        written = tomllib.loads((self.folder / "rail.toml").read_text(encoding="utf-8"))
        self.assertEqual(written["wound"]["L"]["core"], "PQ 26/25")
        self.assertEqual(written["parts"]["D1"], found[0]["parts"]["D1"]["part"])
        self.run_command("check", "rail.toml")

    def test_windings_side_by_side_leak_as_wanted(self) -> None:
        self.run_command("new", "half-bridge-llc", "dock.toml")
        done = self.run_command("wind", "dock.toml", "T", "--list", "1", "--write", "--json")
        design = json.loads(done.stdout)["designs"][0]
        self.assertIn("|", design["order"])
        shown = self.run_command("wind", "dock.toml", "T", "--set", "wound.T.core=ETD 54/28/19").stdout
        self.assertTrue(all(len(line) <= 120 for line in shown.splitlines()))
        self.assertTrue(all(58e-6 <= v <= 71e-6 * 1.001 for v in design["leakage"].values()))
        self.run_command("check", "dock.toml")

    def test_what_cannot_be_is_refused_by_name(self) -> None:
        self.write("there.txt", "kept")
        for extra, status, words in (
            (("wind", "rail.toml", "T"), 2, "no wound component 'T'"),
            (("wind", "rail.toml", "L", "--by", "beauty"), 2, "--by beauty: valid names"),
            (("wind", "rail.toml", "L", "--set", "wound.L.core=PQ 26/52"), 2, "nearest valid name: PQ 2"),
            (("wind", "rail.toml", "L", "--set", "wound.L.height=2mm"), 3, "too large"),
            (("wind", "rail.toml", "L", "--sheet", "L.pdf"), 2, "ends in .txt or .json"),
            (("wind", "rail.toml", "L", "--section", "rail.toml"), 2, "ends in .json or .dxf"),
            (("wind", "rail.toml", "L", "--sheet", "there.txt"), 2, "there.txt"),
            (("waves", "rail.toml", "--core", "L", "--figure", "x.png"), 2, "gap"),
        ):
            with self.subTest(words):
                done = self.run_command(*extra, status=status)
                self.assertIn(words, done.stderr)
        self.assertFalse((self.folder / "L.pdf").exists())
        self.assertEqual((self.folder / "there.txt").read_text(encoding="utf-8"), "kept")

    def test_a_list_of_ones_own(self) -> None:
        self.write(
            "own.toml",
            '[[part]]\npart = "own-core"\nkind = "core"\nfamily = "X"\nleg = "round"\nleg_width = "12 mm"\nleg_depth = "12 mm"\n'
            'window_width = "6 mm"\nwindow_height = "16 mm"\npath = "60 mm"\narea = "113 mm²"\nleast_area = "110 mm²"\n'
            'volume = "6.8 cm³"\nwidth = "32 mm"\ndepth = "22 mm"\nheight = "26 mm"\n',
        )  # fmt: skip
        done = self.run_command(
            "wind",
            "rail.toml",
            "L",
            "--catalogue",
            "own.toml",
            "--set",
            "wound.L.core=own-core",
            "--list",
            "1",
            "--json",
        )
        self.assertEqual(json.loads(done.stdout)["designs"][0]["core"], "own-core")
        self.write("bad.toml", '[[part]]\npart = "w"\nkind = "wire"\nform = "foil"\nthickness = "0.1 mm"\n')
        wrong = self.run_command("wind", "rail.toml", "L", "--catalogue", "bad.toml", status=2)
        self.assertIn("insulation: missing", wrong.stderr)


if __name__ == "__main__":
    unittest.main()
