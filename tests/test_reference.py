"""The simulator against waveforms from independent, hand-written mode equations."""

import json
import unittest

from jump_lane.circuit.file import load
from jump_lane.switching.balance import balance
from jump_lane.switching.record import Recording, record
from jump_lane.switching.steady import steady_state
from tests.common import REFERENCE

KEYS = {"avg": "average", "rms": "rms", "min": "minimum", "max": "maximum", "pp": "peak_to_peak"}
TOLERANCE = 1e-6


class ReferenceCases(unittest.TestCase):
    def compare(self, recording: Recording, truth: dict) -> None:
        for name, expected in truth["signals"].items():
            found = recording.measures(name)
            scale = max(abs(expected["min"]), abs(expected["max"]), 1e-9)
            for key, measure in KEYS.items():
                self.assertLess(abs(getattr(found, measure) - expected[key]) / scale, TOLERANCE, (name, key))
        for name, expected in truth["fraction"].items():
            self.assertAlmostEqual(recording.fraction(name), expected, delta=TOLERANCE)
        flow = max(abs(p) for p in truth["power"].values())
        for name, expected in truth["power"].items():
            self.assertLess(abs(recording.power(name) - expected) / flow, TOLERANCE, name)

    def test_every_case(self) -> None:
        cases = sorted(REFERENCE.glob("*.toml"))
        self.assertEqual(len(cases), 28)
        for path in cases:
            with self.subTest(case=path.stem):
                recording = record(steady_state(load(path).circuit))
                self.compare(recording, json.loads(path.with_suffix(".json").read_text()))
                closes = balance(recording)
                self.assertLess(max(closes.energy, closes.charge, closes.volt_seconds), 1e-7)
                self.assertFalse(closes.impulses)
