import subprocess
import sys
import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Capacitor, Diode, Inductor, Resistor, Switch, VoltageSource
from jump_lane.circuit.gates import on
from jump_lane.circuit.law import Law
from jump_lane.errors import InputError
from jump_lane.switching.clock import LEVELS
from jump_lane.switching.compiled import compile_now, is_compiled
from jump_lane.switching.engine import FIRST, Engine
from jump_lane.switching.layout import Meter
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import steady_state
from tests.test_circuits import CIRCUITS
from tests.test_switching import T, buck, driven

CALLED = """
from jump_lane.switching import compiled, shooting
compiled.compile_now()
assert shooting.run_on.signatures
"""


class Running(unittest.TestCase):
    def test_periods_one_by_one_or_together(self) -> None:
        engine = Engine(driven(buck(r=0.05, load=80.0, inductance=10e-6), 0.3))
        together, combo = engine.settle(engine.start({}), 0, 0.3, 40)
        z, last = engine.start({}), 0
        for k in range(40):
            run = engine.run(z, last, 0.3, tangents=False)
            z, last = run.end, run.combo
            np.testing.assert_allclose(z, together[k], rtol=1e-12, atol=1e-15)
        self.assertEqual(last, combo)

    def test_tables_grow_with_the_configurations(self) -> None:
        state = steady_state(CIRCUITS["dual active bridge, inner phase shifts"])
        combos = [state.engine.combo(k) for k in range(state.engine.known)]
        self.assertGreater(len(combos), FIRST)
        self.assertEqual(len(combos), len(set(combos)))

    def test_the_record_grows_with_the_events(self) -> None:
        gates = tuple(on(k / 100, (k + 0.5) / 100)[0] for k in range(100))
        circuit = Circuit(buck(r=0.05), T, lambda _: {"S1": gates})
        self.assertGreaterEqual(len(record(steady_state(circuit)).stretches), 200)

    def test_one_code_runs_all_circuits(self) -> None:
        engines = [Engine(circuit) for circuit in CIRCUITS.values()]
        engines.append(
            Engine(driven(buck(), 0.5), (Meter("load"),), {"v": {"@out": 1.0}}, ("source",), ("source",))
        )
        law = Law({"x": {"@out": -1.0}}, level={"x": 1.0})
        engines.append(Engine(replace(driven(buck(), 0.5), law=law)))
        self.assertEqual(len({engine.code() for engine in engines}), 1)

    def test_a_meter_integrates_exactly(self) -> None:
        circuit = driven(buck(r=0.05, load=80.0, inductance=10e-6), 0.3)
        engine = Engine(circuit, (Meter("load"), Meter("L", voltage=False)))
        ends, combo = engine.settle(engine.start({}), 0, 0.3, 3000)
        run = engine.run(ends[-1], combo, 0.3, tangents=False)
        found = Recording(engine, engine.trace(run))
        self.assertAlmostEqual(run.end[engine.n + 1] / T, found.measures("load.v").average, places=10)
        self.assertAlmostEqual(run.end[engine.n + 2] / T, found.measures("L.i").average, places=10)

    def test_fast_ringing_shortens_the_steps(self) -> None:
        slow = Engine(driven(buck(), 0.5))
        slow.settle(slow.start({}), 0, 0.5, 1)
        self.assertEqual(set(slow.tables.info[: slow.known, 1]), {LEVELS - 1})
        elements = (*buck(), Inductor("Lr", "sw", "r", 1e-9), Capacitor("Cr", "r", "gnd", 1e-9, 0.1))
        fast = Engine(driven(elements, 0.5))
        fast.settle(fast.start({}), 0, 0.5, 1)
        self.assertLess(fast.tables.info[: fast.known, 1].min(), LEVELS - 6)

    def test_states_to_start_from(self) -> None:
        engine = Engine(driven(buck(), 0.5))
        z = engine.start({"L": 2.0, "C": 7.0})
        np.testing.assert_allclose(engine.network.to_si @ z[:2], [2.0, 7.0])
        energy = 0.5 * 50e-6 * 4.0 + 0.5 * 100e-6 * 49.0
        self.assertAlmostEqual(0.5 * float(z[:2] @ z[:2]), energy)

    def test_compiling_leaves_code_in_the_cache(self) -> None:
        compile_now()
        self.assertTrue(is_compiled())

    def test_what_tells_that_all_is_compiled_is_compiled_with_it(self) -> None:
        done = subprocess.run([sys.executable, "-c", CALLED], capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_no_states_at_all(self) -> None:
        elements = (
            VoltageSource("V", "in", "gnd", 6.0),
            Switch("S1", "in", "a", 1.0),
            Resistor("R", "a", "gnd", 2.0),
        )
        found = record(steady_state(driven(elements, 0.25))).measures("R.v")
        self.assertAlmostEqual(found.average, 1.0)
        self.assertAlmostEqual(found.rms, 2.0)

    def test_rectifier_without_a_switch(self) -> None:
        elements = (
            VoltageSource("V", "in", "gnd", 6.0),
            Diode("D", "in", "a", 1.0, 0.5),
            Resistor("R", "a", "gnd", 2.0),
        )
        self.assertAlmostEqual(record(steady_state(Circuit(elements, T))).measures("R.i").average, 2.0)


class Recorded(unittest.TestCase):
    def test_a_slow_state_is_found_exactly(self) -> None:
        """A time constant of 10⁶ periods: what hardly fails to close may be far from periodic."""
        elements = (
            VoltageSource("source", "in", "gnd", 10.0),
            Switch("S1", "in", "m", 0.1),
            Switch("S2", "m", "gnd", 0.1),
            Resistor("R", "m", "out", 0.9),
            Capacitor("C", "out", "gnd", 10.0),
        )
        gates = {"S1": on(0.0, 0.3), "S2": on(0.3, 1.0)}
        for start in (0.0, 2.99999, 5.0):
            state = steady_state(Circuit(elements, 1e-5, lambda _: gates), None, {"C": start})
            with self.subTest(start):
                self.assertAlmostEqual(record(state).measures("C.v").average, 3.0, delta=1e-8)

    def test_powers_add_up_to_nothing(self) -> None:
        for name, circuit in CIRCUITS.items():
            with self.subTest(name):
                found = record(steady_state(circuit))
                powers = [found.power(b) for b in found.network.branches if not b.endswith(".body")]
                self.assertLess(abs(sum(powers)), 1e-7 * max(map(abs, powers)))

    def test_stretches_cover_the_period_and_currents_are_continuous(self) -> None:
        for name in ("push-pull", "LLC", "active-clamp flyback"):
            found = record(steady_state(CIRCUITS[name]))
            stretches = found.stretches
            self.assertEqual(stretches[0].start, 0.0)
            self.assertAlmostEqual(stretches[-1].end / found.period, 1.0)
            for before, after in pairwise(stretches):
                self.assertAlmostEqual(before.end / after.start, 1.0)
            coil = "Lm.i"
            peak = found.measures(coil).peak
            for k in range(len(stretches)):
                here, there = found.ends(k, coil)[1], found.ends((k + 1) % len(stretches), coil)[0]
                self.assertAlmostEqual(here / peak, there / peak, places=6)

    def test_potentials_and_branches_agree(self) -> None:
        found = record(steady_state(driven(buck(r=0.05), 0.4)))
        waves = found.waveforms(("@sw", "@out", "L.v", "S1.gate"))
        np.testing.assert_allclose(
            waves.signals["@sw"] - waves.signals["@out"], waves.signals["L.v"], atol=1e-9
        )
        self.assertEqual(set(waves.signals["S1.gate"]), {0.0, 1.0})

    def test_who_conducts_and_what_it_blocks(self) -> None:
        found = record(steady_state(driven(buck(r=0.05, load=400.0, inductance=10e-6), 0.3)))
        self.assertAlmostEqual(found.fraction("S1"), 0.3, places=6)
        self.assertLess(found.fraction("S1", "D1"), 0.9)
        self.assertEqual(found.fraction("S1", "D1", every=True), 0.0)
        self.assertAlmostEqual(found.carrying("S1", "D1"), found.fraction("S1", "D1"), places=6)
        self.assertAlmostEqual(found.blocking("D1"), 20.0, delta=0.1)
        self.assertAlmostEqual(found.last_current("D1"), 0.0, places=6)

    def test_averages_of_stretches_make_the_average(self) -> None:
        found = record(steady_state(CIRCUITS["half bridge"]))
        total = sum(
            found.stretch_average(k, "L.v") * (s.end - s.start) for k, s in enumerate(found.stretches)
        )
        self.assertAlmostEqual(total / found.period, found.measures("L.v").average, places=9)

    def test_several_periods_and_windows(self) -> None:
        found = record(steady_state(driven(buck(), 0.4)))
        three = found.waveforms(("L.i",)).repeated(3)
        self.assertAlmostEqual(three.time[-1], 3 * T)
        part = three.between(1.5 * T, 2.5 * T)
        self.assertGreaterEqual(part.time.min(), 1.5 * T)
        self.assertLessEqual(part.time.max(), 2.5 * T)

    def test_unknown_signals(self) -> None:
        found = record(steady_state(driven(buck(), 0.4)))
        with self.assertRaisesRegex(InputError, "no signal 'L.q'; nearest valid name: L"):
            found.measures("L.q")
