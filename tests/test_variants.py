"""Random variants of the reference circuits, without and with parasitics: no law is broken, no peak is missed."""

import random
import unittest

from jump_lane.circuit.file import load
from jump_lane.switching.balance import jumps, require
from jump_lane.switching.record import record
from jump_lane.switching.steady import steady_state
from tests.common import REFERENCE
from tests.variants import Laws, varied, with_parasitics

PLAIN, PARASITIC = 500, 60

NAMES = tuple(path.stem for path in sorted(REFERENCE.glob("*.toml")))

CUT = ("src_hb_dcm", "full_bridge_hard")
"""Circuits without body diodes, whose gates cut short may cut a current off; that is told."""


ONCE_WRONG = (
    ("dab_coss_soft", 50_118, False),
    ("dab_coss_soft", 50_342, False),
    ("dab_coss_soft", 60_734, False),
    ("dab_coss_soft", 80_006, False),
    ("dab_sps_deadtime", 60_035, True),
    ("llc_hb_ct_light", 80_468, False),
    ("src_hb_dcm", 50_054, True),
    ("src_hb_dcm", 300_838, True),
    ("llc_light", 400_638, True),
)
"""Variants that were shown beyond an event within a tick, did not close, bounce thousands of times, or drift for long."""


class Variants(unittest.TestCase):
    def tried(self, name: str, seed: int, parasitics: bool) -> None:
        rng = random.Random(seed)
        circuit = varied(load(REFERENCE / f"{name}.toml").circuit, rng)
        if parasitics:
            circuit = with_parasitics(circuit, rng)
        with self.subTest(case=name, seed=seed):
            found = record(steady_state(circuit))
            if require(found).impulses:
                cut = list(jumps(found))
                self.assertTrue(cut and all(name in CUT and "nothing takes" in c for c in cut), cut)
            laws = Laws(found)
            self.assertEqual(laws.violations() + laws.lower_peaks(), [])

    def test_values_and_periods(self) -> None:
        for k in range(PLAIN):
            self.tried(NAMES[k % len(NAMES)], 20_000 + k, False)

    def test_capacitances_and_snubbers(self) -> None:
        for k in range(PARASITIC):
            self.tried(NAMES[k % len(NAMES)], 20_000 + k, True)

    def test_what_was_wrong_once(self) -> None:
        for case in ONCE_WRONG:
            self.tried(*case)
