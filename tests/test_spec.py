import unittest

from jump_lane.errors import InputError
from jump_lane.spec import schema
from tests.common import buck_tables, spec


class Reading(unittest.TestCase):
    def refused(self, message: str, **changes: object) -> None:
        with self.assertRaisesRegex(InputError, message):
            spec(buck_tables(), **changes)

    def test_quantities_and_defaults(self) -> None:
        s = spec(buck_tables(), input__voltage={"min": "20 V", "max": "30V"})
        self.assertEqual(s.input.voltage.corners(), (20.0, 30.0))
        self.assertEqual(s.switching.mode, "continuous")
        self.assertEqual(s.output[0].voltage_ripple.of(5.0), 0.05)

    def test_one_value_stands_for_a_range(self) -> None:
        self.assertEqual(spec(buck_tables(), input__voltage="48 V").input.voltage.corners(), (48.0,))

    def test_messages_say_key_value_and_expectation(self) -> None:
        self.refused(r"input\.voltage\.min: 44 A where a voltage was expected", input__voltage__min="44 A")
        self.refused(
            "switching.frequncy: unknown key; nearest valid name: frequency", switching__frequncy="1 k"
        )
        self.refused(
            "switching.mode: read 'continous'.*nearest valid name: continuous", switching__mode="continous"
        )
        self.refused(r"min \(40\) is above max \(30\)", input__voltage__min=40)
        self.refused("nominal", input__voltage__nominal=99)
        self.refused("-5 mV where a positive voltage", output__voltage_ripple="-5 mV")
        self.refused("expected|valid list", output={"voltage": 5})
        self.refused("frequency must be above", switching__frequency=0)
        self.refused("current must be positive", output__current=0)

    def test_a_missing_key_says_what_belongs_there(self) -> None:
        tables = buck_tables()
        del tables["switching"]["frequency"]
        with self.assertRaisesRegex(InputError, "switching.frequency: missing; expected switching frequency"):
            spec(tables)

    def test_schema_names_every_table(self) -> None:
        self.assertEqual(
            set(schema()["properties"]),
            {
                "title",
                "topology",
                "input",
                "output",
                "switching",
                "transformer",
                "tank",
                "control",
                "event",
                "angles",
                "margin",
                "tolerance",
                "damping",
                "chosen",
                "parts",
                "divider",
                "adjust",
                "bank",
                "gate",
                "protection",
                "wound",
                "catalogue",
                "driver",
                "controller",
                "thermal",
                "efficiency",
            },
        )
