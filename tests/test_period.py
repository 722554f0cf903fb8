"""Circuits whose control is the frequency or a phase: independent waveforms, tangents, circuit files, refusals."""

import json
import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.file import load, parse_circuit
from jump_lane.circuit.gates import Instant, on
from jump_lane.errors import ConvergenceError, InputError
from jump_lane.operating.own import steady
from jump_lane.switching.clock import PERIOD, schedule
from jump_lane.switching.engine import Engine
from jump_lane.switching.layout import Meter
from tests.common import REFERENCE, CommandCase

REGULATED = {
    "llc_hb_ct_below": ("Rload", 27.4, 112268.45135862041, "2.1e-7"),
    "llc_hb_ct_light": ("Rload", 23.4, 167861.9020071516, "2.1e-7"),
    "llc_fb_br_above": ("Rload", 312.0, 176935.59897631616, "1.9e-7"),
    "llc_hb_sr_below": ("Rload", 26.6, 122257.90039322706, "2e-7"),
    "src_fb_above": ("Rload", 181.0, 103095.95290388644, "2.3e-7"),
    "src_hb_dcm": ("Rload", 14.0, 17398.548603692314, ""),
}
"""What is held, at which average, by which frequency, with which dead time."""

PHASED = {
    "dab_sps_hold": ("Rload", 331.0, 0.05660227704886046),
    "dab_tps_hold": ("Rload", 47.2, -0.0020863602616867814),
}


def by_frequency(name: str, start: float) -> str:
    """Return a reference circuit with its dead time in seconds, regulated from another frequency on."""
    branch, target, _, dead = REGULATED[name]
    text = (REFERENCE / f"{name}.toml").read_text()
    if dead:
        text = re.sub(r"\[\[0\.0\d+, 0\.5\]\]", f'[["{dead}/period", 0.5]]', text)
        text = re.sub(r"\[\[0\.5\d+, 1\.0\]\]", f'[["0.5 + {dead}/period", 1.0]]', text)
    hold = f'hold = {{ signal = "{branch}.v", average = {target}, by = "frequency" }}\n'
    return hold + re.sub(r"frequency = .*", f"frequency = {start!r}", text)


def by_phase(name: str, start: float) -> str:
    """Return a reference bridge with the gates of its second bridge moved by a phase."""
    branch, target, phase = PHASED[name]
    lines = []
    for line in (REFERENCE / f"{name}.toml").read_text().splitlines():
        if re.match(r"S[5-8] =", line):
            spans = json.loads(re.search(r"gate = (\[\[.*?\]\])", line)[1])
            begin = next(a for a, _ in spans if a > 0.0 or len(spans) == 1)
            width = sum(b - a for a, b in spans)
            line = re.sub(
                r"gate = .*?\]\]",
                f'gate = [["phase + {begin - phase!r}", "phase + {begin - phase + width!r}"]]',
                line,
            )
        lines.append(line)
    hold = f'hold = {{ signal = "{branch}.v", average = {target}, by = "phase" }}\nphase = {start}\n'
    return hold + "\n".join(lines)


def loaded(text: str):
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "c.toml"
        path.write_text(text, encoding="utf-8")
        return load(path)


class IndependentRegulation(unittest.TestCase):
    def test_the_frequency_that_holds_an_average(self) -> None:
        for name, (_, _, frequency, _) in REGULATED.items():
            with self.subTest(case=name):
                state, recording, doubts = steady(loaded(by_frequency(name, 1.06 * frequency)))
                self.assertFalse(doubts)
                self.assertLess(abs(state.control / frequency - 1.0), 1e-9)
                self.assertLess(abs(recording.period * frequency - 1.0), 1e-9)
                truth = json.loads((REFERENCE / f"{name}.json").read_text())["signals"]
                for signal, expected in truth.items():
                    found = recording.measures(signal)
                    scale = max(abs(expected["min"]), abs(expected["max"]), 1e-9)
                    for key, value in (("avg", found.average), ("rms", found.rms), ("max", found.maximum)):
                        self.assertLess(abs(value - expected[key]) / scale, 1e-6, (signal, key))

    def test_the_phase_that_holds_an_average(self) -> None:
        for name, (_, _, phase) in PHASED.items():
            for start in (0.09, -0.05):
                with self.subTest(case=name, start=start):
                    state, _, doubts = steady(loaded(by_phase(name, start)))
                    self.assertFalse(doubts)
                    self.assertAlmostEqual(state.control, phase, delta=1e-9)


class MovingEnd(unittest.TestCase):
    def circuit(self) -> Circuit:
        file = loaded(by_frequency("llc_hb_ct_below", 112268.0))
        return file.circuit

    def test_the_column_of_the_frequency_is_the_difference_of_two_periods(self) -> None:
        circuit = self.circuit()
        engine = Engine(circuit, (Meter("Rload"),))
        z = engine.start({"C1": 27.4, "Cr": 120.0, "Lr": -1.3, "Lm": -1.3})
        step = 10.0
        low, high = (engine.run(z, 0, circuit.control + s, False).end.copy() for s in (-step, step))
        run = engine.run(z, 0, circuit.control, True)
        numeric = (high - low) / (2.0 * step)
        found = run.tangent[engine.n]
        scale = np.abs(numeric).max()
        self.assertLess(np.abs(found - numeric).max() / scale, 1e-6)
        self.assertGreater(scale, 0.0)

    def test_edges_that_wrap_move_with_the_end(self) -> None:
        span = Instant(0.8, -0.5)
        late = schedule({"S1": on(span * 0.75, span * 1.25)}, ("S1",), span)
        self.assertEqual(late.length, round(0.8 * PERIOD))
        self.assertEqual(late.drift, -0.5)
        self.assertEqual(late.masks.tolist(), [1, 0, 1])
        np.testing.assert_allclose(late.slopes, [0.0, -0.125, -0.375])
        whole = schedule({"S1": on(0.0, span)}, ("S1",), span)
        self.assertEqual(whole.masks.tolist(), [1])

    def test_what_is_known_of_a_tick_is_known_at_every_frequency(self) -> None:
        circuit = self.circuit()
        engine = Engine(circuit)
        z = engine.start({"C1": 27.4})
        engine.run(z, 0, circuit.control, False)
        known = engine.known
        engine.run(z, 0, circuit.control * 1.01, False)
        self.assertEqual(engine.known, known)


class CircuitFiles(unittest.TestCase):
    def test_times_that_do_not_fit_are_refused_with_the_numbers(self) -> None:
        text = (REFERENCE / "src_hb_dcm.toml").read_text()
        for gate, said in (
            (
                '[["40 us", 0.5]]',
                r"S1.gate: from 40.00 µs to 28.74 µs does not fit into the period of 57.48 µs",
            ),
            ('[[0, "80 us"]]', r"from 0 s to 80.00 µs does not fit"),
        ):
            with self.assertRaisesRegex(InputError, said):
                loaded(text.replace("[[0.0, 0.5]]", gate))
        held = by_frequency("llc_hb_ct_below", 112268.0)
        circuit = loaded(held).circuit
        with self.assertRaisesRegex(ConvergenceError, "does not fit into the period"):
            steady(replace(loaded(held), circuit=replace(circuit, control=3e6), hold=None))

    def test_ranges_and_names_are_refused_by_name(self) -> None:
        held = by_phase("dab_sps_hold", 0.1)
        for old, new, said in (
            ('by = "phase"', 'by = "fase"', "hold.by.*phase"),
            ('by = "phase"', 'by = "phase", between = ["40°", "20°"]', "from low to high"),
            ('by = "phase"', 'by = "phase", between = ["40 V", "20°"]', "hold.between: 40 V where a phase"),
            ("phase + 0.0", "fase + 0.0", "formula of D, phase and period"),
        ):
            with self.subTest(new=new), self.assertRaisesRegex(InputError, said):
                self.assertIn(old, held)
                loaded(held.replace(old, new, 1))
        self.assertAlmostEqual(parse_circuit(loaded_tables('phase = "36°"'), "c").circuit.control, 0.5)


class Command(CommandCase):
    def test_it_says_what_holds(self) -> None:
        self.write("bridge.toml", by_phase("dab_sps_hold", 0.1))
        done = self.run_command("circuit", "bridge.toml")
        self.assertIn("held with phase = 0.05660 (20.38°, 786.1 ns)", done.stdout + done.stderr)
        self.assertEqual(
            json.loads(self.run_command("circuit", "bridge.toml", "--json").stdout)["held_by"], "phase"
        )
        self.run_command("sweep", "bridge.toml", "--vary", "phase=0.05,0.07", "--measure", "Rload.v:average")
        self.run_command("circuit", "bridge.toml", "--control", "phase=0.3", status=2)


def loaded_tables(line: str) -> dict:
    import tomllib

    return tomllib.loads(line + "\n" + (REFERENCE / "buck_ccm.toml").read_text())


if __name__ == "__main__":
    unittest.main()
