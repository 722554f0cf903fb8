"""Synchronous rectifiers let a current reverse: duty ratios at light load and none, and what dead time makes of them."""

import unittest
from collections.abc import Iterator

import numpy as np

from jump_lane.circuit.gates import Instant
from jump_lane.design.caveats import IN_DEAD_TIME, caveats
from jump_lane.design.derive import Design
from jump_lane.operating.point import solve
from jump_lane.study.check import Check, Corner, check
from jump_lane.topologies import page
from tests import test_topologies
from tests.common import PULSED, design

DEAD = 60e-9


def variants() -> Iterator[tuple[str, str]]:
    """Yield every topology with every secondary side that it can have."""
    for topology in PULSED:
        for secondary in page(topology).secondaries or ("",):
            yield topology, secondary


def reversing(topology: str, secondary: str, least: float, dead_time: float) -> Design:
    """Return a converter with synchronous rectifiers, ideal but for its dead time, down to some load."""
    tables = test_topologies.EveryModeEveryLoss().tables(topology, "either", "synchronous", False, secondary)
    tables["output"][0]["current"] = {"min": least, "max": 4}
    tables["switching"]["dead_time"] = dead_time
    return design(tables)


def lightest(found: Check) -> Iterator[Corner]:
    """Yield the corners at the least load."""
    yield from (corner for corner in found.corners if corner.i_o == min(found.design.loads))


class Gates(unittest.TestCase):
    def rectifiers(self, topology: str) -> list[float]:
        """Return when D1 and D2 turn on and off, a control of 0.3 and a dead time of a fiftieth of the period."""
        tables = test_topologies.EveryModeEveryLoss().tables(topology, "continuous", "synchronous", False)
        tables["switching"] |= {"dead_time": "100 ns", "frequency": "200 kHz"}
        found = design(tables)
        gates = found.page.gates(Instant(0.3), found.point(0, 0))
        return [end.fraction for name in ("D1", "D2") for end in gates[name][0]]

    def test_a_dead_time_on_either_side_of_a_pulse(self) -> None:
        for topology in ("push-pull", "half-bridge", "full-bridge"):
            with self.subTest(topology):
                np.testing.assert_allclose(self.rectifiers(topology), (0.82, 1.48, 0.32, 0.98), atol=1e-9)

    def test_behind_shifted_legs_one_closes_before_the_other_opens(self) -> None:
        found = self.rectifiers("phase-shifted-full-bridge")
        np.testing.assert_allclose(found, (-0.04, 0.48, 0.46, 0.98), atol=1e-9)


class Reversed(unittest.TestCase):
    def test_no_load_at_all(self) -> None:
        for topology, secondary in variants():
            if topology == "multi-output-flyback":
                continue  # its further outputs are told from the first one's load
            found = check(reversing(topology, secondary, 0.0, 0.0))
            with self.subTest(topology, secondary=secondary):
                self.assertEqual([c.failure for c in found.corners if c.failure], [])
                for corner in lightest(found):
                    self.assertAlmostEqual(corner.control[0] / corner.control[1], 1.0, delta=0.01)

    def test_a_dead_time_before_the_pulse(self) -> None:
        """Where S1 turns on without voltage, the current has taken its side over in the dead time before: for all of it, or for
        a part of it beside a core that is biased, or whose reset the secondary rectifies."""
        told = 0
        for topology, secondary in variants():
            made = reversing(topology, secondary, 0.2, DEAD)
            if "D" not in made.proofs:
                continue  # another control than the on-time of S1
            whole, soft = DEAD * made.spec.switching.frequency, False
            partly = (secondary == "half-wave") != topology.endswith("forward")
            with self.subTest(topology, secondary=secondary):
                for corner in lightest(check(made)):
                    swung = solve(made, *corner.index)[1].turn_on_voltage("S1") < 0.05 * corner.v_in
                    soft = soft or swung
                    less = (corner.control[0] - corner.control[1]) / whole
                    self.assertTrue(-0.1 < less < 1.1, less)
                    if not partly:
                        self.assertAlmostEqual(less, swung, delta=0.1)
                self.assertLessEqual(soft and not partly, IN_DEAD_TIME in tuple(caveats(made)))
                told += soft
        self.assertGreater(told, 20)

    def test_a_core_with_more_current_than_the_inductor_is_no_matter(self) -> None:
        """What diodes could not take over flows on through both rectifiers."""
        for topology in ("push-pull", "half-bridge", "full-bridge"):
            for secondary in page(topology).secondaries:
                tables = test_topologies.EveryModeEveryLoss().tables(
                    topology, "either", "synchronous", False, secondary
                )
                tables["output"][0]["current"] = {"min": 0, "max": 4}
                tables["transformer"]["magnetising_ripple"] = "60 %"
                with self.subTest(topology, secondary=secondary):
                    for corner in check(design(tables)).corners:
                        self.assertEqual(corner.failure, "")
                        found = {f.symbol: f for f in corner.findings}
                        for symbol, within in (("D", 0.01), ("I_S1rms", 0.02), ("dI_Lm", 0.06)):
                            self.assertLess(abs(found[symbol].deviation), within, symbol)
