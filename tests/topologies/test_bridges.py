import math
from dataclasses import replace

from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.errors import InputError, NoResultError
from jump_lane.operating.point import solve_point
from jump_lane.spec import parse_spec
from jump_lane.topologies.design import Design, derive
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
        light = self.driven("full-bridge", 400, 30, 0.5, "current-doubler", chosen=chosen)
        self.assertTrue(any("Below I_need the circuit idles" in text for text in light.caveats()))

    def test_rectifiers_of_a_doubler_carry_the_magnetising_current(self) -> None:
        """After its pulse L1 is at its peak, and D2 carries it and what the core had reached: I_pk + n·ΔI_Lm/2."""
        for rectifier in ("diode", "synchronous"):
            found = self.driven(
                "full-bridge",
                400,
                30,
                12,
                "current-doubler",
                chosen={"n": 4, "L": "40 µH", "C_o": "100 µF"},
                switching={"rectifier": rectifier},
                transformer={"magnetising_ripple": "30 %"},
                margin={"inductance": 0},
            )
            core = 4 * self.value(found, "dI_Lm") / 2
            self.assertAlmostEqual(core, 1.8, delta=0.01)
            at_once = self.simulated(found).value_at("D2.i", 0.3e-5 + 1e-9)
            self.assertAlmostEqual(at_once, self.value(found, "I_pk") + core, delta=0.02)
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
                self.assert_proven(found, "continuous", 0.04)

    def from_400_v(self, topology: str, load: float, secondary: str, **more) -> Design:
        """To 24 V, from the smallest load to 10 A."""
        return self.driven(topology, 400, 24, {"min": load, "max": 10}, secondary, **more)

    def light(self, load: float, topology: str = "full-bridge", secondary: str = "centre-tap") -> Design:
        """400 V, n = 14, 24 V, L = 20 µH, L_m = 39.2 mH: L_s = 200 µH, ΔI_L = 0.96 A, n·ΔI_Lm/2 = 0.3 A."""
        chosen = {"n": 14, "L": "20 µH", "L_m": "39.2 mH", "C_o": "100 µF"}
        return self.from_400_v(topology, load, secondary, chosen=chosen)

    def test_the_core_holds_the_inductor_current_up(self) -> None:
        """V_1 = 4.571 V, V_2 = 24 V, f = 200 kHz; I_o = D_1²·(28.571/48)·(1.1429 + 0.7143), boundary 0.78 A."""
        found = self.light(0.5)
        rise = math.sqrt(0.5 / (28.5714 / 48 * (4.5714 / 4 + 28.5714 / 40)))
        swing = 28.5714 / 40 * rise
        expected = {"D_1": rise, "I_H": 0.3, "I_v": swing - 0.3, "dI_L": 4.5714 / 4 * rise, "I_p1": 0.0}
        self.assertGreater(swing, 0.3)
        self.assertAlmostEqual(self.value(found, "I_B"), 0.78, delta=1e-3)
        self.assertAlmostEqual(self.value(found, "I_p1"), 0.0)
        self.assert_values(found, {k: v for k, v in expected.items() if v})
        self.assertAlmostEqual(sum(self.value(found, d) for d in ("D_1", "D_2", "D_3")), 1.0, delta=2e-3)
        self.assert_proven(found, "continuous", 0.01)
        core = self.simulated(found).measures("L_m.i")
        self.assertAlmostEqual(14 * core.maximum, 0.3, delta=2e-3)

    def test_below_a_quarter_of_the_boundary_the_current_stops(self) -> None:
        for topology in ("full-bridge", "push-pull"):
            for secondary in ("centre-tap", "bridge"):
                with self.subTest(topology, secondary=secondary):
                    self.assert_proven(self.light(0.22, topology, secondary), "continuous")
                    stopped = self.light(0.16, topology, secondary)
                    self.assertGreater(self.value(stopped, "D_f"), 0.05)
                    self.assert_proven(stopped, "discontinuous")

    def test_a_core_with_more_current_than_the_inductor_is_refused(self) -> None:
        chosen = {"n": 14, "L": "200 µH", "L_m": "10 mH", "C_o": "100 µF"}
        with self.assertRaisesRegex(
            InputError, "more current than the inductor takes over.*magnetising_ripple"
        ):
            self.from_400_v("full-bridge", 0.1, "centre-tap", chosen=chosen)

    def test_a_pulse_out_of_a_capacitor_bends(self) -> None:
        """200 V, n = 7: T = 4.2 µs, C_d = 0.35 µF; δ/V_1 = T²/(24·C_d·L·n²) and dI_L is larger by as much over 1 − D_1."""
        tables = {"chosen": {"n": 7, "L": "6 µH", "L_m": "100 mH", "C_o": "100 µF", "C_d": "0.35 µF"}}
        for secondary in ("centre-tap", "bridge"):
            found = self.driven("half-bridge", 400, 24, 5, secondary, **tables)
            flat = self.driven(
                "half-bridge", 400, 24, 5, secondary, chosen=tables["chosen"] | {"C_d": "1 mF"}
            )
            bend = (4.2e-6) ** 2 / (24 * 0.35e-6 * 6e-6 * 49)
            self.assert_values(found, {"V_1": (200 / 7 - 24) / (1 - bend)}, 2e-3)
            first, second = (self.simulated(x).measures("L1.i").peak_to_peak for x in (flat, found))
            self.assertGreater(second / first - 1.0, 0.005)
            self.assertAlmostEqual(
                second / first, self.value(found, "dI_L") / self.value(flat, "dI_L"), delta=2e-3
            )
            self.assert_proven(found, "continuous")

    def test_what_the_swing_of_the_input_capacitors_does(self) -> None:
        """Half-wave rectifiers block half of it; a current that starts below zero swings further than its average."""
        chosen = {"n": 3.5, "L": "36 µH", "C_o": "100 µF", "C_d": "0.25 µF"}
        found = self.driven("half-bridge", 400, 24, 10, "half-wave", chosen=chosen)
        self.assertGreater(self.value(found, "dV_Cd"), 10.0)
        peak = self.simulated(found).measures("D2.v")
        self.assertAlmostEqual(-peak.minimum / self.value(found, "V_D2"), 1.0, delta=0.01)
        chosen = {"n": 7, "L": "6 µH", "L_m": "2 mH", "C_o": "100 µF", "C_d": "2 µF"}
        light = self.driven(
            "half-bridge",
            400,
            24,
            {"min": 1, "max": 10},
            "centre-tap",
            chosen=chosen,
            switching={"rectifier": "synchronous"},
        )
        self.assertLess(self.value(light, "I_p1"), 0.0)
        swing = self.simulated(light).measures("C_d1.v").peak_to_peak
        self.assertAlmostEqual(swing / self.value(light, "dV_Cd"), 1.0, delta=0.03)
        average = self.value(light, "I_S1") / (100e3 * 2 * 2e-6)
        self.assertGreater(swing, 1.3 * average)

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
