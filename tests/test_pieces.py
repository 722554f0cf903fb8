"""Steady states in pieces of the period: the same as in one piece where both exist, and beyond where only pieces help."""

import unittest
from dataclasses import replace

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.errors import ConvergenceError
from jump_lane.operating.point import held, solve, solve_point
from jump_lane.switching import pieces
from jump_lane.switching.engine import Engine
from jump_lane.switching.steady import steady_state
from tests.common import buck_tables, design, example_design


def phases(load: str, ripple: str = "1 %") -> Design:
    tables = buck_tables() | {"topology": "interleaved-buck"}
    tables["output"][0] |= {"load": load, "voltage_ripple": ripple, "current": {"min": 5, "max": 60}}
    tables["switching"] |= {"phases": 4, "rectifier": "synchronous", "dead_time": "30 ns", "mode": "either"}
    return design(tables)


class InPieces(unittest.TestCase):
    def test_the_same_state_as_in_one_piece(self) -> None:
        for name in ("buck", "interleaved-boost", "phase-shifted-full-bridge"):
            with self.subTest(name):
                found = example_design(name)
                whole, _ = solve(found)
                again = steady_state(whole.engine.circuit, held(found.page, found.point(0, 0)), near=whole)
                self.assertAlmostEqual(again.control / whole.control, 1.0, places=7)
                scale = np.abs(whole.start).max()
                np.testing.assert_allclose(again.start / scale, whole.start / scale, atol=1e-7)

    def test_tangents_of_the_pieces_make_those_of_the_period(self) -> None:
        found = phases("resistance")
        state, _ = solve(found, 0, 1)
        engine = Engine(replace(state.engine.circuit, control=state.control))
        whole = engine.run(state.start[: engine.nz], state.combo, state.control, tangents=True)
        parts = pieces.run_pieces(engine, None, state.start[: engine.nz], state.combo, state.control)
        self.assertGreaterEqual(len(parts.ends), 4)
        product = np.eye(engine.n)
        for tangent in parts.tangents:
            product = tangent[: engine.n, : engine.n].T @ product
        np.testing.assert_allclose(product, whole.tangent[: engine.n, : engine.n].T, atol=1e-10)
        np.testing.assert_allclose(parts.ends[-1], whole.end, rtol=1e-12, atol=1e-12)

    def test_constant_power_with_little_capacitance(self) -> None:
        """A deviation grows a millionfold in a period, and still all balances close and the voltage is held."""
        found = phases("power")
        point = replace(found.point(0, 1), values=found.point(0, 1).values | {"C_o": 3e-6})
        state, recording = solve_point(found.page, point)
        engine = state.engine
        parts = pieces.run_pieces(engine, state.starts, state.start, state.combo, state.control)
        period = np.linalg.multi_dot([t[: engine.n, : engine.n].T for t in reversed(parts.tangents)])
        self.assertGreater(np.abs(np.linalg.eigvals(period)).max(), 1e6)
        self.assertAlmostEqual(recording.measures("load.v").average / point["V_o"], 1.0, places=9)

    def test_another_number_of_pieces_is_refused(self) -> None:
        state, _ = solve(phases("resistance"), 0, 1)
        with self.assertRaisesRegex(ConvergenceError, "number"):
            pieces.run_pieces(
                state.engine, np.tile(state.start, (3, 1)), state.start, state.combo, state.control
            )

    def test_pieces_that_do_not_close_are_an_error(self) -> None:
        """No duty ratio of a boost converter lowers the voltage."""
        found = example_design("boost")
        state, _ = solve(found)
        starts = pieces.starts(state.engine, state.start, state.combo, state.control)
        with self.assertRaises(ConvergenceError):
            pieces.close(state.engine, starts, state.combo, state.control, 0.2 * found.inputs[0])
