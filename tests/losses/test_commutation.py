"""Which edges are hard and which are soft, what diodes are forced to stop, capacitance in the circuit."""

import unittest

from jump_lane.losses.budget import budget
from jump_lane.losses.commutation import Commutation, commutations, stops, turned_on
from jump_lane.losses.stage import Stage
from jump_lane.topologies.components import components
from jump_lane.topologies.design import Design
from jump_lane.verify.operating import solve
from tests.common import buck_tables, design, example_design


def stage(at: Design) -> Stage:
    _, recording = solve(at)
    return Stage(at, at.point(0, 0), recording, components(at, at.point(0, 0)))


def synchronous(load: float, **changes: object) -> Design:
    changes = {"switching__rectifier": "synchronous", "switching__dead_time": "50 ns"} | changes
    return design(buck_tables(), **changes).at(24.0, load)


def of(events: list[Commutation], name: str, action: str) -> Commutation:
    return next(e for e in events if e.component.name == name and e.action == action)


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
        self.assertEqual(stops(seen), [])

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
        """With leakage the current of the rectifier falls to zero: nothing is recovered from it."""
        seen = stage(example_design("flyback").at())
        self.assertEqual([s for s in stops(seen) if s.component.name == "D1"], [])


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
