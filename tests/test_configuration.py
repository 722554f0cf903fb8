"""Single configurations of small circuits, against what Kirchhoff's laws give by hand."""

import unittest

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, Diode, Inductor, Resistor, Switch, VoltageSource
from jump_lane.switching.configuration import configure, signals
from jump_lane.switching.network import assemble
from jump_lane.switching.nodal import eliminate, equilibrate

L, C, R = 20e-6, 50e-6, 4.0


def buck(*more) -> Circuit:
    elements = (
        VoltageSource("source", "in", "gnd", 10.0),
        Switch("S1", "in", "sw", 0.1),
        Diode("D1", "gnd", "sw", 0.5, 0.2),
        Inductor("L", "sw", "out", L),
        Capacitor("C", "out", "gnd", C),
        Resistor("load", "out", "gnd", R),
        *more,
    )
    return Circuit(elements, 1e-5, lambda _: {})


class Dynamics(unittest.TestCase):
    def setUp(self) -> None:
        self.network = assemble(buck())

    def rate(self, combo: int) -> np.ndarray:
        """Return the state equations in amperes and volts: d[i; v; 1]/dt."""
        n = self.network.size
        to_si = np.eye(n + 1)
        to_si[:n, :n] = self.network.to_si
        return to_si @ configure(self.network, combo).rate @ np.linalg.inv(to_si)

    def test_switch_on(self) -> None:
        expected = [[-0.1 / L, -1 / L, 10.0 / L], [1 / C, -1 / (R * C), 0.0], [0.0, 0.0, 0.0]]
        np.testing.assert_allclose(self.rate(0b01), expected, rtol=1e-12, atol=1e-6)

    def test_diode_on(self) -> None:
        expected = [[-0.2 / L, -1 / L, -0.5 / L], [1 / C, -1 / (R * C), 0.0], [0.0, 0.0, 0.0]]
        np.testing.assert_allclose(self.rate(0b10), expected, rtol=1e-12, atol=1e-6)

    def test_nothing_on_forces_the_current_to_zero(self) -> None:
        found = configure(self.network, 0)
        self.assertTrue(found.constrained)
        state = self.network.to_energy @ np.array([3.0, 5.0])
        entered = self.network.to_si @ (found.projection @ np.append(state, 1.0))[:2]
        np.testing.assert_allclose(entered, [0.0, 5.0], atol=1e-12)
        np.testing.assert_allclose(self.rate(0)[0], 0.0, atol=1e-6)

    def test_the_impulse_of_an_interrupted_current_drives_the_diode(self) -> None:
        found = configure(self.network, 0)
        state = np.append(self.network.to_energy @ np.array([3.0, 5.0]), 1.0)
        self.assertLess((found.impulses @ state)[0], 0.0)
        self.assertGreater((found.impulses @ (state * [-1, 1, 1]))[0], 0.0)

    def test_guards(self) -> None:
        state = np.append(self.network.to_energy @ np.array([3.0, 5.0]), 1.0)
        self.assertAlmostEqual((configure(self.network, 0b10).guards @ state)[0], 3.0)
        self.assertAlmostEqual((configure(self.network, 0b01).guards @ state)[0], 0.5 + (10.0 - 0.3))

    def test_branch_signals(self) -> None:
        voltage, current = signals(self.network, configure(self.network, 0b01))
        state = np.append(self.network.to_energy @ np.array([3.0, 5.0]), 1.0)
        found = dict(
            zip(self.network.branches, zip(voltage @ state, current @ state, strict=True), strict=True)
        )
        for name, expected in {
            "source": (10.0, -3.0), "S1": (0.3, 3.0), "L": (4.7, 3.0), "C": (5.0, 1.75), "load": (5.0, 1.25),
            "D1": (-9.7, 0.0),
        }.items():  # fmt: skip
            np.testing.assert_allclose(found[name], expected, atol=1e-9, err_msg=name)

    def test_capacitors_in_parallel_share_their_charge(self) -> None:
        network = assemble(buck(Capacitor("C2", "out", "gnd", 3 * C)))
        found = configure(network, 0b01)
        state = network.to_energy @ np.array([0.0, 8.0, 4.0])
        entered = network.to_si @ (found.projection @ np.append(state, 1.0))[:3]
        np.testing.assert_allclose(entered, [0.0, 5.0, 5.0], atol=1e-12)


class Elimination(unittest.TestCase):
    def test_rank_and_null_space(self) -> None:
        a = np.array([[2.0, 1.0, 3.0], [4.0, 2.0, 6.0], [1.0, 5.0, -2.0]])
        k, x, order = a.copy(), np.array([[6.0], [12.0], [4.0]]), np.empty(3, dtype=np.int64)
        rank = eliminate(k, x, order, 1e-12)
        self.assertEqual(rank, 2)
        self.assertAlmostEqual(x[2, 0], 0.0)
        particular = np.zeros(3)
        particular[order[:2]] = x[:2, 0]
        np.testing.assert_allclose(a @ particular, [6.0, 12.0, 4.0], atol=1e-12)
        free = np.zeros(3)
        free[order[:2]], free[order[2]] = -k[:2, 2], 1.0
        np.testing.assert_allclose(a @ free, 0.0, atol=1e-12)

    def test_equilibration_is_exact(self) -> None:
        rng = np.random.default_rng(1)
        a = rng.normal(size=(5, 5)) * 10.0 ** rng.integers(-6, 6, (5, 1))
        k, row, column = a.copy(), np.empty(5), np.empty(5)
        equilibrate(k, row, column)
        np.testing.assert_array_equal(k / row[:, None] / column, a)
        self.assertLess(np.abs(k).max(), 2.0)
