"""Which edges are hard and which are soft, what diodes are forced to stop, capacitance in the circuit."""

import unittest
from dataclasses import replace

import numpy as np

from jump_lane.catalogue.kinds import Diode
from jump_lane.design.components import components
from jump_lane.design.derive import Design, derive
from jump_lane.dissipation.budget import budget
from jump_lane.dissipation.commutation import Commutation, commutations, stops, turned_on
from jump_lane.dissipation.overlap import _energy, transition
from jump_lane.dissipation.recovery import left
from jump_lane.dissipation.stage import Stage
from jump_lane.operating.point import solve
from tests.common import buck_tables, design, example_design

FAST = Diode(part="fast", recovery_charge=40e-9, recovery_current=2.0)
"""A diode whose charge recombines within 20 ns."""


def stage(at: Design) -> Stage:
    _, recording = solve(at)
    return Stage(at, at.point(0, 0), recording, components(at, at.point(0, 0)))


def synchronous(load: float, **changes: object) -> Design:
    changes = {"switching__rectifier": "synchronous", "switching__dead_time": "50 ns"} | changes
    return design(buck_tables(), **changes).at(24.0, load)


def of(events: list[Commutation], name: str, action: str) -> Commutation:
    return next(e for e in events if e.component.name == name and e.action == action)


class HeldBack(unittest.TestCase):
    def test_overlap_while_an_inductance_holds_the_current_back(self) -> None:
        """What rises within half of the transition overlaps in the other half alone; later than that, not at all."""
        part = {
            "gate_drain_charge": "6 nC",
            "gate_source_charge": "8 nC",
            "threshold_voltage": "2 V",
            "plateau_voltage": "4 V",
        }
        diode = {"forward_voltage": "0.5 V", "recovery_charge": "20 nC", "recovery_current": "5 A"}
        seen = stage(design(buck_tables() | {"parts": {"S1": part, "D1": diode}}).at())
        event = next(e for e in commutations(seen) if e.action == "on" and e.hard)
        fet = event.component.part
        time = transition(fet, seen.spec.driver, "on", event.current)
        whole = _energy(seen, fet, replace(event, rise=0.0))
        self.assertGreater(whole, 0.0)
        self.assertAlmostEqual(_energy(seen, fet, replace(event, rise=0.5 * time)) / whole, 0.5)
        self.assertEqual(_energy(seen, fet, replace(event, rise=2.0 * time)), 0.0)


class Edges(unittest.TestCase):
    def test_a_diode_rectified_converter(self) -> None:
        seen = stage(design(buck_tables(), switching__mode="continuous").at(24.0, 4.0))
        events = commutations(seen)
        current = seen.measures("L.i")
        on, off = of(events, "S1", "on"), of(events, "S1", "off")
        self.assertEqual(len(events), 2)
        self.assertTrue(on.hard and on.charged and off.hard)
        self.assertAlmostEqual(on.current, current.minimum, places=6)
        self.assertAlmostEqual(off.current, current.maximum, places=6)
        self.assertAlmostEqual(on.voltage, 24.0, places=6)

    def test_discontinuous_conduction_turns_on_without_current(self) -> None:
        seen = stage(design(buck_tables(), switching__mode="discontinuous").at(24.0, 1.0))
        on = of(commutations(seen), "S1", "on")
        self.assertFalse(on.hard)
        self.assertTrue(on.charged)
        self.assertAlmostEqual(on.voltage, 24.0 - 5.0, delta=0.1)
        stop = stops(seen)[0]
        self.assertEqual(stop.component.name, "D1")
        self.assertAlmostEqual(stop.current, seen.measures("L.i").maximum, places=6)
        self.assertGreater(stop.fall, 1e-6)
        self.assertLess(left(FAST, stop.fall), 0.02)

    def test_synchronous_rectification(self) -> None:
        events = commutations(stage(synchronous(4.0)))
        self.assertTrue(of(events, "S1", "on").hard)
        for action in ("on", "off"):
            self.assertFalse(of(events, "D1", action).hard, action)
        self.assertFalse(of(events, "D1", "on").charged)

    def test_a_reversed_current_swings_the_node(self) -> None:
        seen = stage(synchronous(0.1))
        on = of(commutations(seen), "S1", "on")
        self.assertFalse(on.hard or on.charged)
        assert on.swing is not None
        _, charge = on.swing
        self.assertAlmostEqual(charge / (-seen.measures("L.i").minimum * 50e-9), 1.0, delta=0.1)

    def test_without_dead_time_a_rectifier_is_soft_as_well(self) -> None:
        events = commutations(stage(synchronous(4.0, switching__dead_time="0 ns")))
        self.assertFalse(of(events, "D1", "on").hard or of(events, "D1", "on").charged)
        self.assertFalse(of(events, "D1", "off").hard)

    def test_every_switch_of_a_bridge_commutates_once(self) -> None:
        seen = stage(example_design("full-bridge").at())
        names = sorted(e.component.name for e in commutations(seen) if e.action == "on")
        self.assertEqual(names, ["S1", "S2", "S3", "S4"])


class Stops(unittest.TestCase):
    def test_a_diode_is_stopped_by_the_switch(self) -> None:
        seen = stage(design(buck_tables(), switching__mode="continuous").at(24.0, 4.0))
        found = stops(seen)
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].current, seen.measures("L.i").minimum, places=6)
        self.assertAlmostEqual(found[0].voltage, 24.0, places=6)
        self.assertEqual(turned_on(commutations(seen), found[0].edge).name, "S1")

    def test_a_body_diode_is_stopped_after_the_dead_time(self) -> None:
        found = stops(stage(synchronous(4.0)))
        self.assertEqual([s.component.name for s in found], ["D1"])

    def test_leakage_stops_it_by_itself(self) -> None:
        """With leakage the current of the rectifier falls within a moment: what it carried before counts."""
        seen = stage(example_design("flyback").at())
        found = [s for s in stops(seen) if s.component.name == "D1"]
        self.assertEqual(len(found), 1)
        self.assertGreater(found[0].current, 0.1 * seen.measures("D1.i").maximum)
        self.assertLess(found[0].fall, 0.05 * seen.recording.period)
        self.assertEqual(turned_on(commutations(seen), found[0].begun).name, "S1")

    def test_what_is_left_of_the_charge_after_a_fall(self) -> None:
        self.assertEqual(left(FAST, 0.0), 1.0)
        self.assertAlmostEqual(left(FAST, 20e-9), 1.0 - np.exp(-1.0))
        self.assertAlmostEqual(left(FAST, 20e-6), 1e-3, delta=1e-6)

    def test_charge_and_current_of_a_recovery_shrink_alike_with_a_slow_fall(self) -> None:
        """E = V·(Q·I/I_test + I·t_rr), both left over by as much: I_test·t_rr/Q is what the second one adds."""
        base = example_design("full-bridge").spec
        diode = {"recovery_charge": "40 nC", "recovery_current": "2 A", "forward_voltage": "0.5 V"}
        lost: dict[tuple[str, bool], float] = {}
        for leakage in ("0 H", "200 nH"):
            for timed in (False, True):
                more = {"recovery_time": "15 ns"} if timed else {}
                parts = {"S1": {"resistance": "50 mΩ"}, "D1": diode | more, "T": {"leakage": leakage}}
                found = budget(derive(base.model_copy(update={"parts": parts})).at()).losses
                lost[leakage, timed] = sum(x.power for x in found if x.mechanism == "recovery of diodes")
        self.assertLess(lost["200 nH", False], 0.95 * lost["0 H", False])
        self.assertAlmostEqual(lost["0 H", True] / lost["0 H", False], 1.0 + 2.0 * 15e-9 / 40e-9, delta=1e-6)
        self.assertAlmostEqual(
            lost["200 nH", True] / lost["200 nH", False], 1.0 + 2.0 * 15e-9 / 40e-9, delta=1e-6
        )

    def test_a_tenth_of_a_nanohenry_deletes_no_loss(self) -> None:
        """Recovery and turn-on overlap of a bridge with next to no leakage are those of one without."""
        diode = {"recovery_charge": "40 nC", "recovery_current": "2 A", "forward_voltage": "0.5 V"}
        fet = {
            "resistance": "50 mΩ", "gate_drain_charge": "4 nC", "plateau_voltage": "5 V",
            "output_capacitance": "100 pF",
        }  # fmt: skip
        base = example_design("full-bridge").spec
        found = []
        for leakage in ("0 H", "0.1 nH"):
            parts = {"S1": fet, "D1": diode, "T": {"leakage": leakage}}
            at = derive(base.model_copy(update={"parts": parts})).at()
            losses = budget(at).losses
            found.append(
                [
                    sum(x.power for x in losses if x.mechanism == m)
                    for m in ("recovery of diodes", "turn-on overlap")
                ]
            )
            self.assertGreater(
                sum(x.power for x in losses if x.mechanism == "charging of other devices"), 0.5
            )
        np.testing.assert_allclose(found[1], found[0], rtol=0.01)


class CapacitanceInTheCircuit(unittest.TestCase):
    def test_its_discharge_is_part_of_the_simulated_conduction(self) -> None:
        """Two capacitances at a node hold together ½·2·C·V² when a switch turns on against V."""
        whole = example_design("phase-shifted-full-bridge")
        at = whole.grid(whole.at().inputs, (0.1 * max(whole.loads),))
        seen, found = stage(at), budget(at)
        charged = [e for e in commutations(seen) if e.charged]
        hard = [e for e in charged if e.component.kind == "switch"]
        self.assertTrue(hard)
        self.assertTrue(all(e.voltage < 5.0 for e in charged if e.component.kind == "rectifier"), "of L_r")
        self.assertTrue(all(e.current < 10.0 for e in hard), "not the unlimited discharge")
        for name in {e.component.name for e in hard}:
            energy = sum(at.point(0, 0)["C_S1"] * e.voltage**2 for e in hard if e.component.name == name)
            lost = {x.mechanism: x.power for x in found.losses if x.component == name}
            self.assertGreater(lost["conduction"], 0.98 * energy * seen.frequency)
            self.assertNotIn("output capacitance", lost)
        self.assertLess(found.residual, 1e-7)


class Unknown(unittest.TestCase):
    def test_what_an_unknown_recovery_charge_costs(self) -> None:
        parts = {"D1": {"kind": "diode", "forward_voltage": "0.8 V"}}
        found = budget(
            design(buck_tables() | {"parts": parts}, switching__mode="continuous").at(24.0, 4.0), 0, 0
        )
        gap = next(g for g in found.gaps if g.figure == "recovery_charge")
        self.assertIn("every 10 nC cost 48.", gap.text())


class Beside(unittest.TestCase):
    """Which capacitances take over the current of a switch that opens."""

    def test_the_node_that_moves_by_more_than_half_counts(self) -> None:
        from types import SimpleNamespace as Some

        from jump_lane.circuit.elements import Capacitor, Switch
        from jump_lane.dissipation.overlap import _beside

        def capacitance(swing: float) -> float:
            elements = (Capacitor("C_S1", "in", "a", 1.0), Capacitor("C_S2", "a", "gnd", 2.0))
            recording = Some(
                names=("@a", "@in"),
                blocking=lambda name: 100.0,
                measures=lambda name: Some(peak_to_peak=swing if name == "@a" else 0.0),
                engine=Some(circuit=Some(elements=elements)),
            )
            names = [Some(name="S1", elements=(Switch("S1", "in", "a"),)), Some(name="S2", elements=())]
            return _beside(Some(recording=recording, components=names), names[0])  # type: ignore[arg-type]

        self.assertEqual([capacitance(100.0), capacitance(55.0), capacitance(45.0)], [3.0, 3.0, 1.0])

    def test_a_hard_turn_on_is_read_once_the_capacitance_is_empty(self) -> None:
        at = example_design("phase-shifted-full-bridge").at()
        light = at.grid(at.inputs, (0.05 * at.loads[0],))
        seen = stage(light)
        hard = [e for e in commutations(seen) if e.action == "on" and seen.discharge(e.component) > 0.0]
        self.assertTrue(hard)
        for event in hard:
            later = event.edge.time + 2.0 * seen.discharge(event.component)
            there = abs(seen.recording.value_at(f"{event.component.name}.i", later))
            self.assertAlmostEqual(event.current, there, delta=0.1 * there + 0.02)
