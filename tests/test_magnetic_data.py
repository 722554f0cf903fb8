"""Shipped cores, materials, bobbins and wires; what a list may say of them; heat and capacitance of what is wound."""

import itertools
import math
import unittest

import numpy as np

import jump_lane as jl
from jump_lane.catalogue.load import read_part, sample_materials
from jump_lane.catalogue.magnetic import Bobbin, Core, CoreMaterial, Wire
from jump_lane.catalogue.matrix import read_matrix
from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Inductor, Resistor, Switch, VoltageSource, with_fewer_knots
from jump_lane.circuit.gates import on
from jump_lane.magnetics.capacitance import EPSILON_0, RELATIVE, between, of_winding
from jump_lane.magnetics.core_loss import FluxLoss, sets, warmth
from jump_lane.magnetics.design import Winding, Wound, portions
from jump_lane.magnetics.heat import BOLTZMANN, EMISSIVITY, dissipated, rise_of, surface
from jump_lane.magnetics.layers import layers_of
from jump_lane.magnetics.magnetisation import flux_density, permeability, saturation
from jump_lane.magnetics.reluctance import Gap
from jump_lane.operating.wound import flux_linkage
from jump_lane.quantities.copper import MU_0, RESISTIVITY, resistivity, skin_depth

SAMPLES = sample_materials()


def every(kind: type) -> list:
    return [p for p in SAMPLES.values() if isinstance(p, kind)]


class Shipped(unittest.TestCase):
    def test_enough_of_everything(self) -> None:
        for kind, least in ((Core, 90), (CoreMaterial, 8), (Bobbin, 60), (Wire, 140)):
            self.assertGreaterEqual(len(every(kind)), least)
        self.assertEqual({w.form for w in every(Wire)}, {"round", "litz", "foil", "track"})

    def test_effective_figures_of_cores_agree_with_each_other_and_with_their_dimensions(self) -> None:
        for core in every(Core):
            with self.subTest(core.part):
                self.assertLess(abs(core.volume / (core.area * core.path) - 1.0), 0.01)
                self.assertLessEqual(core.least_area, core.area * 1.0001)
                leg = core.leg_width * core.leg_depth * (math.pi / 4.0 if core.leg == "round" else 1.0)
                self.assertTrue(0.55 < core.area / leg < 1.65, core.area / leg)
                self.assertGreater(core.block, core.volume)
                if not core.ring:
                    self.assertLess(core.window_height, core.height)

    def test_bobbins_fit_their_cores(self) -> None:
        for bobbin in every(Bobbin):
            core = SAMPLES[bobbin.core]
            assert isinstance(core, Core)
            self.assertLess(bobbin.wall, 0.3 * core.window_width)
            self.assertLess(2.0 * bobbin.flange, 0.2 * core.window_height)

    def test_wires_get_thicker_with_their_insulation(self) -> None:
        for wire in every(Wire):
            if wire.flat:
                continue
            bundle = wire.diameter * (1.0 if wire.form == "round" else 1.155 * math.sqrt(wire.strands))
            grades = [g for g in (bundle, wire.overall, wire.overall_2, wire.overall_3) if g is not None]
            self.assertEqual(grades, sorted(grades), wire.part)
            if wire.triple is not None:
                self.assertGreater(wire.triple, bundle + 0.19e-3)

    def test_gauge_numbers_are_those_of_the_rule(self) -> None:
        for number in (12, 20, 30, 40):
            wire = SAMPLES[f"AWG {number}"]
            assert isinstance(wire, Wire) and wire.diameter is not None
            self.assertAlmostEqual(wire.diameter * 1e3, 0.127 * 92 ** ((36 - number) / 39), delta=2e-4)

    def test_materials_are_magnetised_evenly_and_saturate(self) -> None:
        for material in every(CoreMaterial):
            with self.subTest(material.part):
                for temperature in (25.0, 100.0):
                    mu, j_s = permeability(material, temperature), saturation(material, temperature)
                    h = np.geomspace(0.1, 2e6, 400)
                    b = flux_density(material, h, temperature)
                    self.assertTrue(np.all(np.diff(b) > 0.0))
                    self.assertAlmostEqual(b[0] / (MU_0 * mu * h[0]), 1.0, delta=0.02)
                    self.assertLessEqual(float((b - MU_0 * h).max()), j_s * 1.0001)
                self.assertLess(saturation(material, 100.0), saturation(material, 25.0))

    def test_losses_rise_over_frequency_and_flux_without_steps(self) -> None:
        for material in every(CoreMaterial):
            with self.subTest(material.part):
                last = 0.0
                for f in np.geomspace(20e3, 1.5e6, 60):
                    t = np.linspace(0.0, 1.0 / f, 65)
                    loss = float(FluxLoss(material, t, 0.05 * np.sin(2.0 * math.pi * f * t)).density(1.0))
                    self.assertGreater(loss, last)
                    if last:
                        self.assertLess(loss / last, 1.35)
                    last = loss
                self.assertTrue(0.4 < warmth(material, 100.0) < 1.1)

    def test_both_sets_count_near_a_limit(self) -> None:
        material = SAMPLES["sample-ferrite-medium"]
        assert isinstance(material, CoreMaterial) and material.core_pieces is not None
        limit = material.core_pieces[1][0]
        self.assertEqual([w for w, _ in sets(material, 0.5 * limit)], [1.0])
        found = sets(material, limit)
        self.assertEqual(len(found), 2)
        self.assertAlmostEqual(sum(w for w, _ in found), 1.0)
        self.assertAlmostEqual(found[0][0], 0.5)


class Lists(unittest.TestCase):
    def test_what_is_missing_of_a_wire_is_named(self) -> None:
        for form, missing in (
            ("round", "diameter"),
            ("litz", "diameter"),
            ("foil", "thickness"),
            ("track", "thickness"),
        ):
            with self.assertRaisesRegex(jl.InputError, f"{missing}: missing; a {form} wire needs"):
                read_part({"part": "w", "kind": "wire", "form": form}, "list")

    def test_a_matrix_over_frequency(self) -> None:
        found = read_matrix("0 Hz: 0.1 0, 0 0.02; 100 kHz: 0.3 0.05, 0.05 0.04")
        assert found is not None
        np.testing.assert_allclose(found.at(np.array([0.0, 25e3, 100e3, 1e6]))[:, 0, 0], [0.1, 0.2, 0.3, 0.3])
        for wrong in ("0 Hz: 1 2", "0 Hz: 1; 1 kHz: 1 0, 0 1", "0 Hz: x", "0 Hz: inf", ""):
            with self.assertRaisesRegex(ValueError, "expected for each frequency"):
                read_matrix(wrong)


class Knots(unittest.TestCase):
    def coil(self, count: int) -> Inductor:
        return Inductor(
            "L", "a", "b", 1e-5, 0.0, tuple((2.0 + 0.2 * k, 1e-5 * 0.9**k) for k in range(1, count + 1))
        )

    def test_fewer_of_them_keep_the_flux_where_they_stand(self) -> None:
        coil = self.coil(15)
        thin = with_fewer_knots((coil, coil, coil), 36)
        self.assertEqual(thin[0], thin[2])
        assert isinstance(thin[0], Inductor)
        self.assertEqual(len(thin[0].saturation), 6)
        at = np.array([0.0, 1.0, *(i for i, _ in thin[0].saturation), 9.0])
        np.testing.assert_allclose(flux_linkage(thin[0], at), flux_linkage(coil, at), rtol=1e-12)
        between = np.linspace(0.0, 9.0, 400)
        off = np.abs(flux_linkage(thin[0], between) - flux_linkage(coil, between)).max()
        self.assertLess(off, 0.01 * float(flux_linkage(coil, np.array([9.0]))[0]))

    def test_few_are_left_alone(self) -> None:
        coil = self.coil(4)
        self.assertIs(with_fewer_knots((coil, coil))[1], coil)

    def test_more_valves_than_can_be_told_apart_are_refused(self) -> None:
        from jump_lane.switching.steady import steady_state

        elements = (
            VoltageSource("V", "in", "gnd", 10.0), Switch("S", "in", "x", 0.1),
            Inductor("L", "x", "out", 1e-5, 0.0, self.coil(31).saturation), Resistor("R", "out", "gnd", 5.0),
        )  # fmt: skip
        with self.assertRaisesRegex(jl.InputError, "63 switches, diodes and knots.*62 at most"):
            steady_state(Circuit(elements, 1e-5, lambda d: {"S": on(0.0, d)}, 0.5))


class ForcedLeakage(unittest.TestCase):
    def test_the_energy_of_a_current_without_a_path_is_a_loss(self) -> None:
        """½·L·I²·f at the current with which the switch opens; the powers close."""
        import tomllib

        from jump_lane.study.template import example

        tables = tomllib.loads(example("tapped-buck"))
        tables.setdefault("parts", {}).setdefault("T", {})["leakage"] = "100 nH"
        budget = jl.losses(tables).budget
        forced = sum(e.power for e in budget.losses if e.mechanism == "leakage, forced to zero")
        peak = jl.simulate(tables).measures("S1.i").maximum
        f_s = jl.load(tables).spec.switching.frequency
        self.assertAlmostEqual(forced / (0.5 * 100e-9 * peak**2 * f_s), 1.0, delta=1e-3)
        heated = {(e.component, e.heats) for e in budget.losses if e.mechanism == "leakage, forced to zero"}
        self.assertEqual(heated, {("S1", "S1")})


class HeatAndCapacitance(unittest.TestCase):
    def test_heat_is_given_off_as_it_is_computed_back(self) -> None:
        for name in ("E 20/10/6", "ETD 39/20/13", "R 40/24/16"):
            core = SAMPLES[name]
            assert isinstance(core, Core)
            for rise in (5.0, 40.0, 80.0):
                power = dissipated(core, rise, 25.0)
                self.assertAlmostEqual(rise_of(core, power, 25.0), rise, delta=1e-4)
            radiated = surface(core) * EMISSIVITY * BOLTZMANN * (338.15**4 - 298.15**4)
            self.assertTrue(radiated < dissipated(core, 40.0, 25.0) < 3.0 * radiated)

    def test_the_thermal_resistance_is_about_what_the_volume_says(self) -> None:
        """R = 53·V_e^−0.54 (cm³, K/W) within what the model states, as the median over all cores."""
        ratios = []
        for core in every(Core):
            ratios.append(40.0 / dissipated(core, 40.0, 25.0) / (53.0 * (core.volume * 1e6) ** -0.54))
        self.assertTrue(0.65 < float(np.median(ratios)) < 1.0, np.median(ratios))

    def wound(self, wire: str, turns: int) -> Wound:
        core, material, found = SAMPLES["ETD 34/17/11"], SAMPLES["sample-ferrite-medium"], SAMPLES[wire]
        assert isinstance(core, Core) and isinstance(material, CoreMaterial) and isinstance(found, Wire)
        return Wound(core, material, Gap(), (Winding("L", turns, found),), portions([(0, 1.0)], [turns]))

    def test_foils_are_plates_and_layers_to_and_fro_add_up(self) -> None:
        made = self.wound("foil 0.1", 4)
        layers, _ = layers_of(made)
        a, b = layers[0], layers[1]
        plate = EPSILON_0 * RELATIVE * a.breadth * 0.5 * (a.mean_turn + b.mean_turn) / 0.05e-3
        self.assertAlmostEqual(between(made, a, b) / plate, 1.0, delta=1e-9)
        mean = np.mean([between(made, x, y) for x, y in itertools.pairwise(layers)])
        self.assertAlmostEqual(
            of_winding(made, layers, 0) / (4.0 * mean * 3.0 / (3.0 * 16.0)), 1.0, delta=1e-9
        )
        self.assertEqual(of_winding(made, layers[:1], 0), 0.0)

    def test_copper(self) -> None:
        self.assertEqual(float(resistivity(20.0)), RESISTIVITY)
        self.assertAlmostEqual(float(resistivity(100.0)) / RESISTIVITY, 1.0 + 0.00393 * 80.0)
        self.assertAlmostEqual(float(skin_depth(100e3, resistivity(20.0))) * 1e6, 209.0, delta=0.5)


if __name__ == "__main__":
    unittest.main()
