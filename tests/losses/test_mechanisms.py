"""Every loss mechanism against its closed form, fed by simulated waveforms; soft switching; missing figures."""

import unittest
from functools import cache

from jump_lane.catalogue.kinds import Diode, Mosfet
from jump_lane.design.derive import Design
from jump_lane.dissipation.budget import Budget, budget
from jump_lane.dissipation.charge import stored
from jump_lane.dissipation.ledger import Gap, Loss
from jump_lane.dissipation.overlap import plateau_of, transition
from jump_lane.errors import InputError
from jump_lane.operating.point import solve
from jump_lane.quantities import show
from jump_lane.spec.surroundings import Driver
from tests.common import buck_tables, design, example_design

FET = {
    "resistance": "1 mΩ",
    "gate_charge": "30 nC",
    "gate_drain_charge": "6 nC",
    "gate_source_charge": "8 nC",
    "threshold_voltage": "2 V",
    "plateau_voltage": "4 V",
    "gate_resistance": "1 Ω",
    "output_capacitance": "300 pF",
    "recovery_charge": "40 nC",
    "recovery_current": "10 A",
}
DIODE = {
    "forward_voltage": "0.5 V",
    "resistance": "0.1 mΩ",
    "recovery_charge": "20 nC",
    "recovery_current": "5 A",
}
CHARGED = {"capacitive_charge": "20 nC", "charge_voltage": "40 V"}
FREQUENCY = 200e3


def plain(**changes) -> Design:
    parts = {"S1": FET, "D1": DIODE, "C_o": {"resistance": "1 mΩ"}}
    changes = {"parts": parts, "switching__mode": "continuous", "chosen": {"C_o": "5 mF"}} | changes
    return design(buck_tables(), **changes).at()


def synchronous(dead_time: str = "40 ns", load: float = 4.0, **changes) -> Design:
    parts = {"S1": FET, "D1": FET | {"body_voltage": "0.8 V"}}
    return plain(
        parts=parts, switching__rectifier="synchronous", switching__dead_time=dead_time, **changes
    ).at(24.0, load)


def power(found: Budget, component: str, mechanism: str) -> float:
    return sum(x.power for x in found.losses if (x.component, x.mechanism) == (component, mechanism))


def gap(found: Budget, component: str, figure: str) -> Gap:
    return next(g for g in found.gaps if g.component == component and figure in g.figure)


@cache
def plain_budget() -> tuple[Budget, dict[str, float]]:
    """Losses of the plain converter, and what its waveforms show."""
    at = plain()
    _, recording = solve(at)
    current = recording.measures("L.i")
    return budget(at), {"valley": current.minimum, "peak": current.maximum, "mean": current.average}


BIPOLAR = {
    "kind": "igbt",
    "on_voltage": "0.9 V",
    "resistance": "10 mΩ",
    "turn_on_energy": "40 µJ",
    "turn_off_energy": "60 µJ",
    "test_voltage": "12 V",
    "test_current": "2 A",
    "current_exponent": 1.1,
    "voltage_exponent": 1.3,
}


class Conduction(unittest.TestCase):
    def test_closed_forms(self) -> None:
        """I_rms² = D·(I² + ΔI²/12) of a trapezium, V_F·I_avg of a diode."""
        found, seen = plain_budget()
        middle = (seen["peak"] + seen["valley"]) / 2.0
        square = middle**2 + (seen["peak"] - seen["valley"]) ** 2 / 12.0
        duty = found.control
        expected = 1e-3 * duty * square
        self.assertAlmostEqual(power(found, "S1", "conduction") / expected, 1.0, delta=1e-5)
        expected = 0.5 * (1.0 - duty) * middle + 1e-4 * (1.0 - duty) * square
        self.assertAlmostEqual(power(found, "D1", "conduction") / expected, 1.0, delta=1e-5)
        share = 1.25 / (1.25 + 1e-3)
        expected = 1e-3 * (square - middle**2) * share**2
        self.assertAlmostEqual(power(found, "C_o", "series resistance") / expected, 1.0, delta=1e-4)

    def test_power_balance(self) -> None:
        found, _ = plain_budget()
        self.assertLess(found.residual, 1e-9)
        self.assertAlmostEqual(found.p_in - found.p_out - found.simulated, 0.0, delta=1e-9 * found.p_in)
        total = found.p_out + found.simulated + found.added
        self.assertAlmostEqual(found.efficiency, found.p_out / total, places=9)


class HardSwitching(unittest.TestCase):
    def test_transition_times(self) -> None:
        part = Mosfet(part="a", **FET)
        driver = Driver(voltage=10.0, on_resistance=4.0, off_resistance=2.0, off_voltage=-2.0)
        charge = 8e-9 * (1.0 - 2.0 / 4.0) + 6e-9
        self.assertAlmostEqual(transition(part, driver, "on") / (charge * 5.0 / 6.0), 1.0, places=12)
        self.assertAlmostEqual(transition(part, driver, "off") / (charge * 3.0 / 6.0), 1.0, places=12)

    def test_the_plateau_rises_with_the_current(self) -> None:
        """Threshold and current over transconductance where both are known, the figure of the data sheet elsewhere."""
        part = Mosfet(part="a", **FET | {"threshold_voltage": "2 V", "transconductance": 10.0})
        self.assertAlmostEqual(plateau_of(part, 15.0), 3.5)
        self.assertAlmostEqual(plateau_of(part, 0.0), 4.0)
        self.assertAlmostEqual(plateau_of(Mosfet(part="a", **FET), 15.0), 4.0)

    def test_overlap_takes_the_current_of_its_own_edge(self) -> None:
        found, seen = plain_budget()
        part, driver = Mosfet(part="a", **FET), Driver()
        blocked = 24.0 + 0.5
        on = 0.5 * blocked * seen["valley"] * transition(part, driver, "on") * FREQUENCY
        off = 0.5 * blocked * seen["peak"] * transition(part, driver, "off") * FREQUENCY
        self.assertAlmostEqual(power(found, "S1", "turn-on overlap") / on, 1.0, delta=1e-3)
        self.assertAlmostEqual(power(found, "S1", "turn-off overlap") / off, 1.0, delta=1e-3)

    def test_inductance_of_source_and_loop(self) -> None:
        """What the source shares slows the gate; the loop takes half of L·I² at turn-on and returns it at turn-off."""
        part, driver = Mosfet(part="a", **FET | {"source_inductance": "1 nH"}), Driver()
        plain_part = Mosfet(part="a", **FET)
        slower = transition(part, driver, "on", 20.0) - transition(plain_part, driver, "on", 20.0)
        self.assertAlmostEqual(slower / (1e-9 * 20.0 / (10.0 - 4.0)), 1.0, places=9)
        found, seen = plain_budget()
        with_loop = budget(plain(driver__loop_inductance="5 nH"))
        for mechanism, current, sign in (
            ("turn-on overlap", "valley", -1.0),
            ("turn-off overlap", "peak", 1.0),
        ):
            moved = power(with_loop, "S1", mechanism) - power(found, "S1", mechanism)
            expected = sign * 0.5 * 5e-9 * seen[current] ** 2 * FREQUENCY
            self.assertAlmostEqual(moved / expected, 1.0, delta=1e-3)

    def test_output_capacitance_gate_and_recovery(self) -> None:
        found, seen = plain_budget()
        blocked = 24.0 + 0.5 + 1e-4 * seen["valley"]
        expected = 0.5 * 300e-12 * blocked**2 * FREQUENCY
        self.assertAlmostEqual(power(found, "S1", "output capacitance") / expected, 1.0, delta=1e-4)
        self.assertAlmostEqual(power(found, "S1", "gate drive") / (30e-9 * 10.0 * FREQUENCY), 1.0, places=9)
        expected = 24.0 * 20e-9 * seen["valley"] / 5.0 * FREQUENCY
        self.assertAlmostEqual(power(found, "S1", "recovery of diodes") / expected, 1.0, delta=1e-3)

    def test_the_current_a_switch_carries_while_a_diode_recovers(self) -> None:
        _, seen = plain_budget()
        slow = plain(parts={"S1": FET, "D1": DIODE | {"recovery_time": "30 ns"}})
        charge = (20e-9 / 5.0 + 30e-9) * seen["valley"]
        found = power(budget(slow), "S1", "recovery of diodes")
        self.assertAlmostEqual(found / (24.0 * charge * FREQUENCY), 1.0, delta=1e-3)

    def test_charge_of_a_junction(self) -> None:
        part = Diode(part="a", capacitive_charge="20 nC", charge_voltage="100 V")
        charge, energy = stored(part, 25.0)
        self.assertAlmostEqual(charge, 10e-9)
        self.assertAlmostEqual(energy, 10e-9 * 25.0 / 3.0)

    def test_a_charged_diode_costs_what_does_not_stay_in_it(self) -> None:
        diode = {"forward_voltage": "0.5 V", "capacitive_charge": "20 nC", "charge_voltage": "24 V"}
        found = budget(plain(parts={"S1": FET, "D1": diode}))
        expected = (2.0 / 3.0) * 20e-9 * 24.0 * FREQUENCY
        self.assertAlmostEqual(power(found, "S1", "charging of other devices") / expected, 1.0, delta=1e-2)
        self.assertEqual(power(found, "S1", "recovery of diodes"), 0.0)


class SoftSwitching(unittest.TestCase):
    def test_a_rectifier_turns_on_without_voltage(self) -> None:
        found = budget(synchronous())
        self.assertEqual(power(found, "D1", "turn-on overlap"), 0.0)
        self.assertEqual(power(found, "D1", "output capacitance"), 0.0)
        self.assertGreater(power(found, "S1", "turn-on overlap"), 0.0)

    def test_dead_time_conducts_through_the_body_diode(self) -> None:
        at = synchronous()
        _, recording = solve(at)
        current = recording.measures("L.i")
        expected = 0.8 * 40e-9 * FREQUENCY * (current.maximum + current.minimum)
        self.assertAlmostEqual(power(budget(at), "D1", "body diode") / expected, 1.0, delta=1e-2)

    def test_a_reversed_current_makes_the_turn_on_of_the_switch_soft(self) -> None:
        """At light load the current reverses: no overlap and no recovery any more."""
        found = budget(synchronous(load=0.1))
        self.assertEqual(power(found, "S1", "turn-on overlap"), 0.0)
        self.assertEqual(power(found, "S1", "recovery of diodes"), 0.0)

    def test_too_little_charge_leaves_a_voltage(self) -> None:
        """|I|·t of the dead time against the charge that both capacitances need."""
        at = synchronous(dead_time="4 ns", load=0.1)
        _, recording = solve(at)
        brought = -recording.measures("L.i").minimum * 4e-9
        left = 24.0 * (1.0 - brought / (2 * 300e-12 * 24.0))
        self.assertGreater(left, 1.0)
        found = budget(at)
        expected = 0.5 * 300e-12 * left**2 * FREQUENCY
        self.assertAlmostEqual(power(found, "S1", "output capacitance") / expected, 1.0, delta=0.15)

    def test_a_phase_shifted_bridge_turns_on_without_overlap(self) -> None:
        at = example_design("phase-shifted-full-bridge")
        spec = at.spec.with_figures({"S1": FET})
        found = budget(at.grid(at.at().inputs, at.at().loads, spec))
        for name in ("S1", "S2", "S3", "S4"):
            self.assertEqual(power(found, name, "turn-on overlap"), 0.0, name)

    def test_turn_off_beside_the_capacitance_of_one_leg(self) -> None:
        """E = I²·t²/(24·C) with the two capacitances at the node that is let go, not those that share a rail with it."""
        at = example_design("phase-shifted-full-bridge")
        spec = at.spec.with_figures({"S1": FET})
        design = at.grid(at.at().inputs, at.at().loads, spec)
        _, recording = solve(design)
        gate, current = recording.index("S1.gate"), recording.index("S1.i")
        opened = next(e for e in recording.edges if e.before[gate] > 0.5 > e.after[gate])
        charge = opened.before[current] * transition(Mosfet(part="a", **FET), spec.driver, "off")
        expected = charge**2 / (24.0 * 2 * 300e-12) / at.sheet["T_s"].worst
        self.assertAlmostEqual(power(budget(design), "S1", "turn-off overlap") / expected, 1.0, delta=2e-2)

    def test_no_dead_time_hides_what_body_diodes_do(self) -> None:
        self.assertIn("recovery", gap(budget(synchronous("0 ns")), "switching", "dead_time").effect)

    def test_a_transistor_without_body_diode_has_no_recovery(self) -> None:
        at = synchronous()
        spec = at.spec.with_figures({"D1": {"kind": "gan", "body_voltage": "1.8 V"}})
        found = budget(at.grid((24.0,), (4.0,), spec))
        self.assertEqual(power(found, "S1", "recovery of diodes"), 0.0)
        self.assertGreater(power(found, "D1", "body diode"), power(budget(at), "D1", "body diode"))


class Bipolar(unittest.TestCase):
    def test_energies_scale_from_the_test_point(self) -> None:
        at = plain(parts={"S1": BIPOLAR, "D1": DIODE})
        _, recording = solve(at)
        current, voltage = recording.measures("L.i"), recording.measures("S1.v").maximum
        found = budget(at)
        scale = (voltage / 12.0) ** 1.3
        on = 40e-6 * (current.minimum / 2.0) ** 1.1 * scale * FREQUENCY
        off = 60e-6 * (current.maximum / 2.0) ** 1.1 * scale * FREQUENCY
        self.assertAlmostEqual(power(found, "S1", "turn-on energy") / on, 1.0, delta=1e-2)
        self.assertAlmostEqual(power(found, "S1", "turn-off energy") / off, 1.0, delta=1e-2)
        self.assertEqual(power(found, "S1", "recovery of diodes"), 0.0)

    def test_energies_follow_the_temperature_and_contain_all_charges(self) -> None:
        parts = {"S1": BIPOLAR | {"energy_curve": "25 °C: 100 %; 125 °C: 150 %"}, "D1": DIODE | CHARGED}
        cold = budget(plain(parts=parts))
        hot = budget(plain(parts=parts, thermal__ambient="75 °C"))
        for mechanism in ("turn-on energy", "turn-off energy"):
            self.assertAlmostEqual(
                power(hot, "S1", mechanism) / power(cold, "S1", mechanism), 1.25, delta=1e-3
            )
        self.assertEqual(power(cold, "S1", "charging of other devices"), 0.0)
        self.assertFalse([g for g in cold.gaps if "capacitance" in g.figure])

    def test_on_state(self) -> None:
        at = plain(parts={"S1": BIPOLAR, "D1": DIODE})
        _, recording = solve(at)
        current = recording.measures("S1.i")
        expected = 0.9 * current.average + 10e-3 * current.rms**2
        found = budget(at)
        self.assertAlmostEqual(power(found, "S1", "conduction") / expected, 1.0, delta=1e-6)
        self.assertLess(found.residual, 1e-9)


class Passive(unittest.TestCase):
    def test_series_resistance_by_harmonic(self) -> None:
        """A flat curve adds nothing; twice the resistance above the fundamental adds that of the harmonics."""
        for curve, least, most in (
            ("10 kHz: 8 mΩ; 100 MHz: 8 mΩ", -1e-3, 1e-3),
            ("200 kHz: 8 mΩ; 201 kHz: 16 mΩ", 0.01, 0.3),
        ):
            found = budget(plain(parts={"S1": FET, "D1": DIODE, "C_o": {"resistance_frequency": curve}}))
            base = power(found, "C_o", "series resistance")
            added = power(found, "C_o", "series resistance, harmonics") / base
            self.assertTrue(least <= added <= most, added)

    def test_input_capacitor_carries_the_ripple_of_the_source(self) -> None:
        at = plain(parts={"S1": FET, "D1": DIODE, "C_i": {"resistance": "10 mΩ", "value": "10 µF"}})
        _, recording = solve(at)
        expected = 0.01 * recording.measures("source.i").ac_rms ** 2
        self.assertAlmostEqual(
            power(budget(at), "C_i", "series resistance, input") / expected, 1.0, delta=1e-3
        )

    def test_inductor_core_and_eddy_currents(self) -> None:
        part = {
            "value": "40 µH", "resistance": "10 mΩ", "turns": 12, "core_area": "60 mm²",
            "core_volume": "3 cm³", "core_k": 2.5, "core_alpha": 1.4, "core_beta": 2.5,
            "ac_resistance": "1 kHz: 30 mΩ",
        }  # fmt: skip
        at = plain(parts={"S1": FET, "D1": DIODE, "L": part}, chosen={"L": "40 µH"})
        _, recording = solve(at)
        current, found = recording.measures("L.i"), budget(at)
        self.assertAlmostEqual(
            power(found, "L", "winding, eddy currents") / (20e-3 * current.ac_rms**2), 1.0, delta=1e-3
        )
        swing = 40e-6 * current.peak_to_peak / (12 * 60e-6)
        from jump_lane.equations.steinmetz import Steinmetz

        constant, duty = Steinmetz(2.5, 1.4, 2.5).constant, found.control
        spread = duty**-0.4 + (1 - duty) ** -0.4
        expected = 3e-6 * constant * swing**2.5 * FREQUENCY**1.4 * spread
        self.assertAlmostEqual(power(found, "L", "core") / expected, 1.0, delta=1e-3)

    def test_core_loss_from_a_test_point(self) -> None:
        """At the test point itself, but for a triangle instead of a sine, a little more than the figure."""
        at = plain()
        _, recording = solve(at)
        ripple = recording.measures("L.i").peak_to_peak
        part = {
            "core_loss": "0.3 W", "core_loss_frequency": FREQUENCY, "core_loss_ripple": ripple,
            "core_alpha": 1.4, "core_beta": 2.5,
        }  # fmt: skip
        found = power(budget(plain(parts={"S1": FET, "D1": DIODE, "L": part})), "L", "core")
        self.assertTrue(0.25 < found < 0.4, found)

    def test_core_over_temperature_and_frequency(self) -> None:
        core = {"turns": 12, "core_area": "60 mm²", "core_volume": "3 cm³"}
        single = {"core_k": 2.5, "core_alpha": 1.4, "core_beta": 2.5}
        pieces = {"core_pieces": "10 kHz: 9 1.2 2.2; 100 kHz: 2.5 1.4 2.5; 900 kHz: 0.01 2 2.4"}
        curve = {"core_curve": "25 °C: 100 %; 100 °C: 60 %"}

        def lost(part, **changes) -> float:
            parts = {"S1": FET, "D1": DIODE, "L": {"resistance": "10 mΩ"} | core | part}
            return power(budget(plain(parts=parts, **changes)), "L", "core")

        self.assertAlmostEqual(lost(pieces) / lost(single), 1.0, places=9)
        hot = lost(single | curve, thermal__ambient="100 °C") / lost(single, thermal__ambient="100 °C")
        self.assertAlmostEqual(hot, 0.6, delta=1e-3)
        with self.assertRaisesRegex(InputError, "exclude each other"):
            lost(single | pieces)
        for wrong in ("10 kHz: 2 1.2", "x: 1 2 3", "10 kHz: 1 2 3; 10 kHz: 1 2 3", "10 kHz: nan 2 3", ""):
            with self.subTest(wrong), self.assertRaisesRegex(InputError, "core_pieces.*from which frequency"):
                lost({"core_pieces": wrong})

    def test_controller(self) -> None:
        found = budget(plain(controller={"power": "50 mW", "input_current": "2 mA"}))
        self.assertAlmostEqual(power(found, "controller", "supply"), 0.05 + 0.002 * 24.0)

    def test_damping_counts(self) -> None:
        damping = {"S1": {"ring": "30 MHz", "added": "500 pF", "ring_added": "15 MHz"}}
        found = budget(plain(damping=damping))
        self.assertGreater(power(found, "S1", "damping resistor"), 0.0)


class Missing(unittest.TestCase):
    def test_every_missing_figure_is_named_with_what_it_is_worth(self) -> None:
        _, recording = solve(plain())
        rms = recording.measures("S1.i").rms
        for component, figure, cost in (
            ("S1", "gate_drain_charge", "10 ns"),
            ("S1", "gate_charge", "every 10 nC"),
            ("S1", "output_capacitance", "every 100 pF"),
            ("D1", "recovery_charge", "every 10 nC"),
            ("L", "core_k", ""),
            ("L", "resistance", "every 1 mΩ"),
            ("C_i", "resistance", "every 1 mΩ"),
            ("S1", "junction_ambient", "10 K/W"),
            ("S1", "rating of voltage", ""),
        ):
            parts = {"S1": {"resistance": "1 mΩ"}, "D1": {"forward_voltage": "0.5 V"}}
            with self.subTest(component=component, figure=figure):
                self.assertIn(cost, gap(budget(plain(parts=parts)), component, figure).text())
        found = budget(plain(parts={"D1": DIODE}))
        self.assertEqual(gap(found, "S1", "resistance").cost, f"every 1 mΩ costs {show(1e-3 * rms**2, 'W')}")

    def test_a_recovery_charge_without_its_current_is_said(self) -> None:
        diode = {k: v for k, v in DIODE.items() if k != "recovery_current"}
        found = budget(plain(parts={"S1": FET, "D1": diode}))
        self.assertIn("whatever the current", gap(found, "D1", "recovery_current").effect)
        expected = 24.0 * 20e-9 * FREQUENCY
        self.assertAlmostEqual(power(found, "S1", "recovery of diodes") / expected, 1.0, delta=1e-3)

    def test_without_a_gap_everything_is_entered(self) -> None:
        """A complete set of figures leaves none."""
        names = {
            "S1": "sample-fet-60v-7m",
            "D1": "sample-schottky-60v-10a",
            "L": "sample-choke-m-47u",
            "C_o": "sample-electrolytic-25v-470u",
            "C_i": {"part": "sample-ceramic-50v-10u", "count": 4},
        }
        found = budget(plain(parts=names))
        self.assertEqual([g.text() for g in found.gaps], [])
        self.assertEqual(set(found.temperatures), set(names))

    def test_losses_are_never_negative_but_for_corrections(self) -> None:
        found, _ = plain_budget()
        for loss in found.losses:
            self.assertIsInstance(loss, Loss)
            if "harmonics" not in loss.mechanism:
                self.assertGreaterEqual(loss.power, 0.0, loss)
