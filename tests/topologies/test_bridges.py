import math
from dataclasses import replace

from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.design.caveats import caveats
from jump_lane.design.derive import Design, derive
from jump_lane.errors import InputError, NoResultError
from jump_lane.operating.point import solve_point
from jump_lane.spec import parse_spec
from jump_lane.topologies.point import Point
from tests.topologies.pagecase import PageCase


class Driven(PageCase):
    """Transformers driven both ways."""

    def driven(self, topology: str, v_in: float, v_o: float, i_o: float, secondary: str, **more) -> Design:
        return derive(
            parse_spec(
                {
                    "topology": topology,
                    "input": {"voltage": v_in},
                    "output": [{"voltage": v_o, "current": i_o, "voltage_ripple": "1 %"}],
                    "switching": {"frequency": "100 kHz", "current_ripple": "40 %", "mode": "either"}
                    | more.pop("switching", {}),
                    "transformer": {"secondary": secondary, "magnetising_ripple": "1 %"}
                    | more.pop("transformer", {}),
                    **more,
                },
                "test",
            )
        )

    def test_push_pull_by_hand(self) -> None:
        """24 V, n = 1 to 16 V: D = 1/3 each, ΔI = 8·(2/3)/(20e-6·2e5) = 1.333 A; 48 V on switches and rectifiers."""
        found = self.driven(
            "push-pull", 24, 16, 6, "centre-tap", chosen={"n": 1, "L": "20 µH", "C_o": "100 µF"}
        )
        self.assert_values(found, {"D": 1 / 3, "dI_L": 4 / 3, "V_S1": 48.0, "V_D1": 48.0, "I_D1": 3.0})
        self.assert_proven(found, "continuous", 0.02)

    def test_half_bridge_puts_half_of_the_input_to_the_primary(self) -> None:
        chosen = {"n": 5, "L": "20 µH", "C_o": "100 µF", "C_d": "10 µF"}
        found = self.driven("half-bridge", 400, 28, 8, "centre-tap", chosen=chosen)
        self.assert_values(found, {"D": 28 * 5 / 400, "V_S1": 400.0, "V_D1": 80.0}, 0.01)
        self.assert_proven(found, "continuous", 0.02)

    def test_a_bridge_behind_it_halves_what_rectifiers_block(self) -> None:
        chosen = {"n": 5, "L": "20 µH", "C_o": "100 µF"}
        tapped = self.driven("full-bridge", 400, 54, 8, "centre-tap", chosen=chosen)
        bridge = self.driven("full-bridge", 400, 54, 8, "bridge", chosen=chosen)
        self.assertAlmostEqual(self.value(tapped, "V_D1") / self.value(bridge, "V_D1"), 2.0, delta=0.01)
        self.assert_proven(bridge, "continuous", 0.02)

    def test_a_current_doubler_shares_the_load_between_two_inductors(self) -> None:
        """V_o = D·V_in/n, each inductor carries half, and their ripples cancel in part."""
        chosen = {"n": 4, "L": "40 µH", "C_o": "100 µF"}
        found = self.driven("full-bridge", 400, 30, 12, "current-doubler", chosen=chosen)
        self.assert_values(found, {"D": 0.3, "I_L": 6.0, "dI_L": 70 * 0.3 / (40e-6 * 1e5), "V_D1": 100.0})
        self.assertAlmostEqual(self.value(found, "dI_s") / self.value(found, "dI_L"), 0.4 / 0.7, delta=1e-6)
        self.assert_proven(found, "continuous", 0.02)

    def test_reversed_current_has_a_path_in_dead_time_of_a_phase_shifted_bridge(self) -> None:
        for secondary in ("centre-tap", "bridge", "current-doubler"):
            for dead in ("0 s", "20 ns", "150 ns"):
                with self.subTest(secondary, dead=dead):
                    found = self.from_400_v(
                        "phase-shifted-full-bridge",
                        0.5,
                        secondary,
                        switching={"rectifier": "synchronous", "dead_time": dead},
                        transformer={"magnetising_ripple": "10 %"},
                    )
                    self.assert_proven(found, "reversed", 0.05)

    def test_an_inductor_current_without_a_path_is_refused(self) -> None:
        """Rectifiers that both open before either closes again cut the inductor current off."""
        found = self.from_400_v(
            "phase-shifted-full-bridge",
            0.5,
            "centre-tap",
            switching={"rectifier": "synchronous"},
        )

        def gap(shift: Instant, p: Point) -> Gates:
            apart = {"D1": on(0.01, 0.49), "D2": on(0.51, 0.99)}
            return {**dict(found.page.gates(shift, p)), **apart}

        with self.assertRaisesRegex(NoResultError, "L: its current is cut off at .* no switch or rectifier"):
            solve_point(replace(found.page, gates=gap), found.point(0, 0))

    def test_the_bias_of_a_core_is_found_where_only_the_switching_centres_it(self) -> None:
        """Valley of the inductor below what the core carries: one dead time starts a pulse early, ideal parts."""
        for secondary in ("centre-tap", "current-doubler"):
            with self.subTest(secondary):
                found = self.from_400_v(
                    "full-bridge",
                    2,
                    secondary,
                    switching={"rectifier": "synchronous", "dead_time": "60 ns"},
                    transformer={"magnetising_ripple": "10 %"},
                )
                recording = self.simulated(found)
                self.assertAlmostEqual(recording.measures("load.v").average, 24.0, delta=1e-4)
                core = recording.measures("L_m.i")
                self.assertLess(abs(core.maximum + core.minimum), 0.2 * core.maximum)

    def test_ideal_legs_come_to_rest_after_leakage(self) -> None:
        """Two body diodes of no resistance in one loop, with no current: neither conducting nor blocking."""
        for secondary in ("centre-tap", "current-doubler", "half-wave"):
            with self.subTest(secondary):
                found = self.from_400_v(
                    "full-bridge",
                    3,
                    secondary,
                    switching={"rectifier": "synchronous"},
                    parts={"T": {"leakage": "2 µH"}},
                )
                self.assert_proven(found, "continuous", 0.15)

    def from_400_v(self, topology: str, load: float, secondary: str, **more) -> Design:
        """To 24 V, from the smallest load to 10 A."""
        return self.driven(topology, 400, 24, {"min": load, "max": 10}, secondary, **more)

    def light(self, load: float, topology: str = "full-bridge", secondary: str = "centre-tap") -> Design:
        """400 V, n = 14, 24 V, L = 20 µH, L_m = 39.2 mH: L_s = 200 µH, ΔI_L = 0.96 A, n·ΔI_Lm/2 = 0.3 A."""
        chosen = {"n": 14, "L": "20 µH", "L_m": "39.2 mH", "C_o": "100 µF"}
        return self.from_400_v(topology, load, secondary, chosen=chosen)

    def test_the_core_holds_the_inductor_current_up(self) -> None:
        """The textbook's boundary is 0.48 A; the simulation shows current all the time down to a quarter of it."""
        for topology in ("full-bridge", "push-pull"):
            for secondary in ("centre-tap", "bridge"):
                with self.subTest(topology, secondary=secondary):
                    held, stopped = (self.light(load, topology, secondary) for load in (0.22, 0.16))
                    self.assertAlmostEqual(self.value(held, "I_B"), 0.48, delta=1e-3)
                    self.assertEqual((self.mode(held), self.mode(stopped)), ("continuous", "discontinuous"))
                    self.assertTrue(any("holds the inductor's current up" in c for c in caveats(held)))
        core = self.simulated(self.light(0.5)).measures("L_m.i")
        self.assertAlmostEqual(14 * core.maximum, 0.3, delta=2e-3)

    def test_a_core_with_more_current_than_the_inductor_is_refused(self) -> None:
        chosen = {"n": 14, "L": "200 µH", "L_m": "10 mH", "C_o": "100 µF"}
        with self.assertRaisesRegex(
            InputError, "more current than the inductor takes over.*magnetising_ripple"
        ):
            self.from_400_v("full-bridge", 0.1, "centre-tap", chosen=chosen)

    def test_duty_loss_of_the_phase_shifted_bridge(self) -> None:
        """Turning ±I/n round takes 2·f·L_r·I_v/(n·V_in) of the period from each pulse."""
        chosen = {"n": 5, "L": "20 µH", "C_o": "100 µF", "L_r": "15 µH"}
        found = self.driven("phase-shifted-full-bridge", 400, 54, 20, "centre-tap", chosen=chosen)
        taken = 2 * 1e5 * 15e-6 * self.value(found, "I_Lv") / (5 * 400)
        self.assert_values(found, {"D_q": taken})
        self.assertGreater(self.value(found, "D"), 54 * 5 / 800)
        self.assert_proven(found, "continuous", 0.03)

    def test_inductance_for_soft_switching_is_enough_in_simulation(self) -> None:
        """Above the stated load the lagging leg's switches turn on without voltage; far below it they do not."""
        parts = {"S1": {"resistance": 0.1, "output_capacitance": "400 pF"}}
        found = self.driven(
            "phase-shifted-full-bridge",
            400,
            54,
            {"min": 2, "max": 30},
            "centre-tap",
            parts=parts,
            chosen={"n": 5, "L": "60 µH"},
            switching={"rectifier": "synchronous", "dead_time": "220 ns", "current_ripple": "20 %"},
            transformer={"soft_load": 0.5},
        )
        self.assertLess(self.value(found, "t_lag"), 220e-9)
        self.assertGreater(self.value(found, "L_z"), 0.0)
        soft, hard = (found.at(400.0, load) for load in (18.0, 2.0))
        self.assertLess(self.simulated(soft).measures("S1.i").peak, 10.0)
        self.assertGreater(self.simulated(hard).measures("S1.i").peak, 100.0)
        wanted = math.pi / 2 * math.sqrt(2 * 400e-12 * self.value(found, "L_r"))
        self.assert_values(found, {"t_lag": wanted})


class CurrentFed(PageCase):
    topology = "current-fed-full-bridge"

    def test_by_hand(self) -> None:
        """48 V to 384 V at n = 1/4: V_or = 96 V, D = 1/2 of each half period, I_L = 384/48·0.5 = 4 A."""
        found = self.design(48, 384, 0.5, chosen={"n": 0.25, "L": "60 µH", "C_o": "10 µF"})
        self.assert_values(found, {"D": 0.5, "I_L": 4.0, "dI_L": 48 * 0.5 / (2e5 * 60e-6), "I_S1": 2.0})
        self.assertAlmostEqual(self.value(found, "V_S1"), 96.0, delta=0.3)
        self.assert_proven(found, "continuous", 0.02)


class WithoutInductorAtTheOutput(PageCase):
    topology = "isolated-sepic"

    def test_it_is_a_sepic_seen_from_the_primary(self) -> None:
        chosen = {"n": 2, "L1": "150 µH", "L_m": "100 µH", "C_s": "20 µF", "C_o": "200 µF"}
        found = self.design(24, 12, 2, chosen=chosen)
        self.assert_values(found, {"D": 0.5, "V_Cs": 24.0, "I_L1": 1.0, "I_Lm": 1.0, "V_D1": 24.2}, 0.01)
        self.assert_proven(found, "continuous", 0.02)


class IsolatedCuk(PageCase):
    topology = "isolated-cuk"

    def test_capacitors_keep_input_and_output_voltage(self) -> None:
        chosen = {
            "n": 2,
            "L1": "150 µH",
            "L2": "60 µH",
            "L_m": "5 mH",
            "C_a": "20 µF",
            "C_b": "50 µF",
            "C_o": "20 µF",
        }
        found = self.design(24, -12, 2, chosen=chosen)
        self.assert_values(found, {"D": 0.5, "V_Ca": 24.0, "V_Cb": 12.0, "I_L1": 1.0, "I_L2": 2.0})
        self.assert_proven(found, "continuous", 0.02)
