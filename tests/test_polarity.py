import unittest

from jump_lane.circuit.file import load
from jump_lane.operating.point import solve
from jump_lane.operating.polarity import forward_rectifiers, warnings
from jump_lane.switching.record import record
from jump_lane.switching.steady import steady_state
from tests.common import REFERENCE, CommandCase, example_design

SWAPPED = ('s = { nodes = ["s", "gnd"]', 's = { nodes = ["gnd", "s"]')


class Polarity(unittest.TestCase):
    def found(self, name: str) -> list[str]:
        loaded = load(REFERENCE / f"{name}.toml")
        return list(warnings(record(steady_state(loaded.circuit))))

    def test_right_ends_bring_no_warning(self) -> None:
        for name in ("forward_reset", "flyback_dcm", "flyback_rcd", "full_bridge_hard", "buck_ccm"):
            with self.subTest(name):
                self.assertEqual(self.found(name), [])

    def test_pages_bring_no_warning(self) -> None:
        for name in ("forward", "two-switch-forward", "active-clamp-forward", "push-pull", "isolated-cuk"):
            with self.subTest(name):
                self.assertEqual(list(warnings(solve(example_design(name).at())[1])), [])

    def test_a_forward_rectifier_is_recognised(self) -> None:
        circuit = load(REFERENCE / "forward_reset.toml").circuit
        self.assertEqual(list(forward_rectifiers(circuit)), [("D1", "T1.s")])


class Command(CommandCase):
    def test_swapped_ends_are_warned_of(self) -> None:
        text = (REFERENCE / "forward_reset.toml").read_text(encoding="utf-8")
        self.assertIn(SWAPPED[0], text)
        self.write("swapped.toml", text.replace(*SWAPPED))
        out = self.run_command("circuit", "swapped.toml").stdout
        self.assertIn("warning: D1 feeds an inductor from winding T1.s", out)
        self.write("right.toml", text)
        self.assertNotIn("warning", self.run_command("circuit", "right.toml").stdout)
