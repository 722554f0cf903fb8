import re
import tempfile
import unittest
from pathlib import Path

from jump_lane.circuit.file import load, schema
from jump_lane.errors import InputError
from jump_lane.switching.record import record
from jump_lane.switching.regulation import Regulation
from jump_lane.switching.steady import steady_state

BUCK = """
frequency = "200 kHz"
duty = "40 %"
hold = { signal = "load.v", average = "6 V" }
[element]
source = { kind = "voltage-source", nodes = ["in", "gnd"], voltage = "20 V" }
S1 = { kind = "switch", nodes = ["in", "sw"], resistance = "20 mΩ", gate = [[0, "D"]] }
S2 = { kind = "switch", nodes = ["sw", "gnd"], gate = [["D + 0.01", 0.99]], body = { forward_voltage = "0.8 V" } }
L = { kind = "inductor", nodes = ["sw", "out"], inductance = "22 µH", resistance = "10 mΩ" }
C = { kind = "capacitor", nodes = ["out", "gnd"], capacitance = "47u" }
load = { kind = "resistor", nodes = ["out", "gnd"], resistance = "3 Ω" }
"""

FLYBACK = """
frequency = 1e5
[element]
source = { kind = "voltage-source", nodes = ["in", "gnd"], voltage = 40 }
S1 = { kind = "switch", nodes = ["sw", "gnd"], resistance = 0.01, gate = [[0, 0.4]] }
T = { kind = "transformer", magnetising = "60 µH", windings = { p = { nodes = ["in", "sw"], turns = 4 }, s = { nodes = ["gnd", "x"], turns = 1 } } }
D = { kind = "diode", nodes = ["x", "out"], forward_voltage = "0.4 V", resistance = "5 mΩ" }
C = { kind = "capacitor", nodes = ["out", "gnd"], capacitance = "220 µF" }
load = { kind = "resistor", nodes = ["out", "gnd"], resistance = 2 }
"""


class CircuitFile(unittest.TestCase):
    def load(self, text: str):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "c.toml"
            path.write_text(text, encoding="utf-8")
            return load(path)

    def test_gates_as_formulas_of_the_duty_ratio_and_a_held_average(self) -> None:
        file = self.load(BUCK)
        held = Regulation(file.hold.branch, file.hold.average, file.hold.voltage)
        state = steady_state(file.circuit, held)
        recording = record(state)
        self.assertAlmostEqual(recording.measures("load.v").average, 6.0, places=8)
        self.assertAlmostEqual(recording.measures("S1.gate").average, state.control, places=9)
        self.assertAlmostEqual(recording.measures("S2.gate").average, 0.98 - state.control, places=9)

    def test_transformer_windings_are_named_after_it(self) -> None:
        recording = record(steady_state(self.load(FLYBACK).circuit))
        self.assertAlmostEqual(
            recording.measures("T.p.v").maximum, 4 * recording.measures("T.s.v").maximum, places=9
        )
        self.assertAlmostEqual(recording.measures("T.m.i").peak_to_peak, 40 * 4e-6 / 60e-6, delta=0.01)

    def refused(self, text: str, message: str) -> None:
        with self.assertRaisesRegex(InputError, message):
            self.load(text)

    def test_messages(self) -> None:
        self.refused(BUCK.replace('"20 V"', '"20 A"'), "element.source.*voltage: 20 A where a voltage")
        self.refused(BUCK.replace('"inductor"', '"inductr"'), "nearest valid name: inductor")
        self.refused(BUCK.replace("duty =", "dty ="), "unknown key; nearest valid name: duty")
        self.refused(BUCK.replace('"load.v"', '"load"'), "hold.signal")
        self.refused(
            BUCK.replace('[0, "D"]', '[0, "E"]'), "a fraction of the period, a time, or a formula of D"
        )
        self.refused(BUCK.replace('"3 Ω"', "0"), "read 0, expected more than 0")
        self.refused(
            BUCK.replace('average = "6 V"', "average = [1]"),
            r"^[^\n]*hold.average: \[1\] where a number[^\n]*$",
        )
        self.refused(re.sub(r"nodes = \[.*?\]", "nodes = ['a']", BUCK), "nodes.2: missing; expected one more")
        self.refused(BUCK.replace("[element]", "[element"), "not a TOML file")

    def test_schema_offers_every_kind(self) -> None:
        text = str(schema())
        for kind in (
            "voltage-source",
            "current-source",
            "coupled-inductors",
            "transformer",
            "switch",
            "diode",
        ):
            self.assertIn(kind, text)


COUPLED = """
frequency = "50 kHz"
[element]
feed = { kind = "current-source", nodes = ["gnd", "a"], current = "2 A" }
damp = { kind = "resistor", nodes = ["a", "gnd"], resistance = "10 Ω" }
P = { kind = "coupled-inductors", coupling = 0.8, windings = { x = { nodes = ["a", "m"], inductance = "40 µH", resistance = "10 mΩ" }, y = { nodes = ["b", "gnd"], inductance = "10 µH" } } }
S1 = { kind = "switch", nodes = ["m", "gnd"], resistance = 0.01, gate = [["0 %", "25 %"], [0.5, 0.6]], body = { forward_voltage = 0.7, forward = true } }
load = { kind = "resistor", nodes = ["b", "gnd"], resistance = 5 }
"""


class EveryKind(unittest.TestCase):
    load = CircuitFile.load

    def test_coupled_inductors_and_a_current_source(self) -> None:
        recording = record(steady_state(self.load(COUPLED).circuit))
        self.assertIn("P.x.i", recording.names)
        self.assertAlmostEqual(recording.measures("S1.gate").average, 0.35, places=9)
        self.assertAlmostEqual(recording.measures("feed.i").average, 2.0)
        current = recording.measures("P.x.i").average
        self.assertAlmostEqual(recording.measures("damp.i").average, 2.0 - current, places=9)

    def test_a_forward_body_diode_stands_in_for_a_diode(self) -> None:
        recording = record(steady_state(self.load(COUPLED).circuit))
        self.assertGreater(recording.fraction("S1.body"), 0.5)
        self.assertGreater(recording.measures("S1.i").minimum, -1e-9)

    def test_more_messages(self) -> None:
        for old, new, message in (
            ("coupling = 0.8", "coupling = 1.2", "less than 1"),
            ('nodes = ["b", "gnd"], resistance = 5', 'nodes = ["b"], resistance = 5', "element.load.nodes"),
            ("resistance = 5", "resistanse = 5", "element.load.resistanse: unknown key"),
            ('"2 A"', '"2 V"', "2 V where a current was expected"),
            ("[0.5, 0.6]", "[0.5]", "gate"),
            ('frequency = "50 kHz"', 'frequency = "50 km"', "frequency: 50 km where a frequency"),
        ):
            with self.subTest(message), self.assertRaisesRegex(InputError, message):
                self.load(COUPLED.replace(old, new))
