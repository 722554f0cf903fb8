"""Leakage against a dissipating clamp in the circuits that hand two currents over, or are fed by one."""

import unittest

from jump_lane.circuit.elements import Diode, Inductor
from jump_lane.design.derive import Design
from jump_lane.operating.point import solve
from jump_lane.study.check import check
from tests import test_topologies
from tests.common import design

CLAMPED = ("isolated-sepic", "isolated-cuk", "current-fed-full-bridge")
LEAKAGE = {"isolated-sepic": 0.3e-6, "isolated-cuk": 0.3e-6, "current-fed-full-bridge": 0.1e-6}


def leaky(topology: str, leakage: float, mode: str = "continuous", **chosen: float) -> Design:
    """A converter with ideal parts but for its leakage."""
    tables = test_topologies.EveryModeEveryLoss().tables(topology, mode, "diode", False)
    return design(tables | {"parts": {"T": {"leakage": leakage}}, "chosen": chosen})


class Clamped(unittest.TestCase):
    def test_leakage_and_clamp_are_in_the_circuit_only_where_given(self) -> None:
        for name in CLAMPED:
            with self.subTest(name):
                with_it = leaky(name, LEAKAGE[name]).circuit(0, 0).elements
                self.assertTrue(any(isinstance(e, Diode) and e.name == "D_cl" for e in with_it))
                self.assertTrue(any(isinstance(e, Inductor) and e.name == "L_k" for e in with_it))
                without = {e.name for e in leaky(name, 0.0).circuit(0, 0).elements}
                self.assertFalse(without & {"D_cl", "C_cl", "R_cl", "L_k"})

    def test_derived_and_simulated_agree_at_full_load(self) -> None:
        for name in CLAMPED:
            found = check(leaky(name, LEAKAGE[name]))
            for corner in (c for c in found.corners if c.i_o == max(found.design.loads)):
                with self.subTest(name=name, corner=corner.index):
                    self.assertEqual(corner.failure, "")
                    self.assertAlmostEqual(corner.control[1] / corner.control[0], 1.0, delta=0.03)
                    wrong = {
                        f.symbol: f.deviation
                        for f in corner.findings
                        if abs(f.deviation) > max(f.tolerance, 0.04)
                    }
                    self.assertTrue(set(wrong) <= {"dV_o"}, wrong)
                    drawn = [f.deviation for f in corner.findings if f.symbol == "I_L1"]
                    self.assertTrue(all(abs(d) < 0.03 for d in drawn), drawn)

    def test_power_of_the_clamp(self) -> None:
        for name in CLAMPED:
            found = leaky(name, LEAKAGE[name])
            i, j = found.shape[0] - 1, found.shape[1] - 1
            _, recording = solve(found, i, j)
            derived = found.sheet["P_cl"].corner(i, j)
            with self.subTest(name):
                self.assertAlmostEqual(recording.power("R_cl") / derived, 1.0, delta=0.06)
                lost = -recording.power("source") - recording.power("load")
                self.assertAlmostEqual(recording.power("R_cl") / lost, 1.0, delta=0.01)

    def test_the_clamp_limits_the_drain(self) -> None:
        for name in CLAMPED:
            found = leaky(name, LEAKAGE[name])
            i, j = found.shape[0] - 1, found.shape[1] - 1
            _, recording = solve(found, i, j)
            with self.subTest(name):
                top = recording.measures("S1.v").maximum
                self.assertAlmostEqual(top / found.sheet["V_S1"].corner(i, j), 1.0, delta=0.02)
                self.assertGreater(top, found.sheet["V_or"].corner(i, j))

    def test_vanishing_leakage_leads_to_the_circuit_without(self) -> None:
        for name in CLAMPED:
            tight = leaky(name, 0.0)
            almost = leaky(name, 0.2e-9, n=tight.components()["n"])
            i, j = tight.shape[0] - 1, tight.shape[1] - 1
            for symbol in ("D", "I_S1rms", "I_D1rms", "I_Cirms"):
                with self.subTest(name=name, symbol=symbol):
                    ratio = almost.sheet[symbol].corner(i, j) / tight.sheet[symbol].corner(i, j)
                    self.assertAlmostEqual(ratio, 1.0, delta=0.03)

    def test_more_leakage_loses_more(self) -> None:
        for name in CLAMPED:
            powers = [
                float(leaky(name, k * LEAKAGE[name]).sheet["P_cl"].values.max()) for k in (0.3, 1.0, 2.0)
            ]
            with self.subTest(name):
                self.assertEqual(powers, sorted(powers))
