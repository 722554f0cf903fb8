"""Random variants of the reference circuits, without and with parasitics: no law is broken, no peak is missed."""

import random
import unittest

from jump_lane.circuit.file import load
from jump_lane.switching.balance import jumps, require
from jump_lane.switching.record import record
from jump_lane.switching.steady import steady_state
from tests.common import REFERENCE
from tests.variants import Laws, varied, with_parasitics

PLAIN, PARASITIC = 1000, 100

CUT = ("src_hb_dcm", "full_bridge_hard")
"""Circuits without body diodes, whose gates cut short may cut a current off; that is told."""


class Variants(unittest.TestCase):
    def tried(self, count: int, parasitics: bool) -> None:
        paths = sorted(REFERENCE.glob("*.toml"))
        for k in range(count):
            rng = random.Random(20_000 + k)
            path = paths[k % len(paths)]
            circuit = varied(load(path).circuit, rng)
            if parasitics:
                circuit = with_parasitics(circuit, rng)
            with self.subTest(case=path.stem, number=k):
                found = record(steady_state(circuit))
                if require(found).impulses:
                    cut = list(jumps(found))
                    self.assertTrue(cut and all(path.stem in CUT and "nothing takes" in c for c in cut), cut)
                laws = Laws(found)
                self.assertEqual(laws.violations() + laws.lower_peaks(), [])

    def test_values_and_periods(self) -> None:
        self.tried(PLAIN, False)

    def test_capacitances_and_snubbers(self) -> None:
        self.tried(PARASITIC, True)
