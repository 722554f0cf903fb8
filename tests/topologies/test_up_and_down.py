from itertools import pairwise

from jump_lane.errors import InputError
from tests.topologies.pagecase import PageCase


class BuckBoost(PageCase):
    topology = "buck-boost"

    def test_continuous_by_hand(self) -> None:
        """12 V to −24 V, 1 A: D = 2/3, I_L = 3 A; the switch blocks 36 V."""
        found = self.design(12, -24, 1, chosen={"L": "80 µH", "C_o": "100 µF"})
        self.assert_values(
            found, {"D": 2 / 3, "I_L": 3.0, "dI_L": 1.0, "I_S1": 2.0, "I_D1": 1.0, "dV_o": 0.0666667}
        )
        self.assertAlmostEqual(self.value(found, "V_S1"), 36.03, delta=0.02)
        self.assert_proven(found, "continuous")

    def test_discontinuous_by_hand(self) -> None:
        """D = √(2·L·f·I_o·V_o)/V_in = √(2·20e-6·1e5·0.2·12)/12 = 0.2582."""
        found = self.design(12, -12, 0.2, chosen={"L": "20 µH", "C_o": "100 µF"})
        self.assert_values(found, {"D": 0.258199, "I_Lpk": 1.549193})
        self.assert_proven(found, "discontinuous")

    def test_the_output_is_negative(self) -> None:
        with self.assertRaisesRegex(InputError, "the output of the buck-boost is negative"):
            self.design(12, 24, 1)
        found = self.design(12, -12, 1)
        self.assertLess(self.simulated(found).measures("@out").average, -11.9)


class FourSwitch(PageCase):
    topology = "four-switch"

    def test_devices_see_one_side_each(self) -> None:
        found = self.design(24, 12, 2, chosen={"L": "80 µH", "C_o": "220 µF"})
        self.assert_values(found, {"D": 1 / 3, "I_L": 3.0, "V_S1": 24.0, "V_D1": 24.0})
        self.assertAlmostEqual(self.value(found, "V_S2"), 12.0, delta=0.05)
        self.assert_proven(found, "continuous")


class FourSwitchRegions(PageCase):
    topology = "four-switch-regions"

    def test_buck_region(self) -> None:
        """24 V to 12 V as a buck: D = 0.5, ΔI = 6/(80e-6·1e5) = 0.75 A, half the ripple of gating together."""
        found = self.design(24, 12, 2, chosen={"L": "80 µH", "C_o": "220 µF"})
        self.assert_values(found, {"D": 0.5, "dI_L": 0.75, "I_L": 2.0})
        self.assert_proven(found, "continuous")

    def test_boost_region(self) -> None:
        """12 V to 24 V as a boost: u = 1.5, I_L = 4 A."""
        found = self.design(12, 24, 2, chosen={"L": "80 µH", "C_o": "220 µF"})
        self.assert_values(found, {"D": 1.5, "dI_L": 0.75, "I_L": 4.0})
        self.assert_proven(found, "continuous")

    def test_hand_over_is_smooth(self) -> None:
        """Across V_in = V_o the control variable passes through 1 without a gap."""
        parts = {"S1": {"resistance": 0.02}, "L": {"resistance": 0.03}, "D2": {"forward_voltage": 0.3}}
        controls = []
        for v_in in (11.6, 12.0, 12.2, 12.36, 12.44, 12.6, 13.0):
            found = self.design(v_in, 12, 2, chosen={"L": "80 µH", "C_o": "220 µF"}, parts=parts)
            self.assert_proven(found, "continuous", 0.02)
            controls.append(self.value(found, "D"))
        self.assertEqual(controls, sorted(controls, reverse=True))
        self.assertGreater(controls[0], 1.0)
        self.assertLess(controls[-1], 1.0)
        self.assertLess(max(a - b for a, b in pairwise(controls)), 0.05)

    def test_both_regions_idle_at_light_load(self) -> None:
        for v_in in (24, 8):
            found = self.design(v_in, 12, 0.1, chosen={"L": "20 µH", "C_o": "100 µF"})
            self.assert_proven(found, "discontinuous", 0.02)


class Pair(PageCase):
    """SEPIC, Ćuk and Zeta share their currents."""

    CHOSEN = {"L1": "150 µH", "L2": "100 µH", "C_s": "20 µF", "C_o": "100 µF"}  # noqa: RUF012

    def each(self, v_in: float, v_o: float, i_o: float, **more):
        for topology, sign, level in (("sepic", 1, v_in), ("cuk", -1, v_in + v_o), ("zeta", 1, v_o)):
            self.topology = topology
            with self.subTest(topology):
                yield self.design(v_in, sign * v_o, i_o, **({"chosen": self.CHOSEN} | more)), level

    def test_continuous_by_hand(self) -> None:
        """12 V to 18 V, 1 A: D = 0.6, I_L1 = 1.5 A, ripples 12·0.6/(L·f); both together hand over 2.5 A."""
        for found, level in self.each(12, 18, 1):
            self.assert_values(
                found,
                {"D": 0.6, "I_L1": 1.5, "I_L2": 1.0, "dI_L1": 0.48, "dI_L2": 0.72, "V_Cs": level},
            )
            self.assert_values(found, {"dV_Cs": 1.0 * 0.6 / (20e-6 * 1e5)}, 0.01)
            self.assert_proven(found, "continuous")

    def test_discontinuous_by_hand(self) -> None:
        """L1 ∥ L2 = 60 µH: D = √(2·60e-6·1e5·0.1·18)/12 = 0.1225·…; the valleys of both currents are opposite."""
        for found, _ in self.each(12, 18, 0.1):
            self.assert_values(found, {"L_e": 60e-6, "D": (2 * 60e-6 * 1e5 * 0.1 * 18) ** 0.5 / 12})
            self.assertAlmostEqual(self.value(found, "I_L1v"), -self.value(found, "I_L2v"), places=9)
            self.assert_proven(found, "discontinuous")

    def test_one_core_halves_the_ripple(self) -> None:
        """Two equal windings with k = 1 act as twice the inductance each."""
        chosen = self.CHOSEN | {"L1": "100 µH", "L2": "100 µH", "C_s": "220 µF"}
        for found, _ in self.each(12, 18, 1, chosen=chosen, parts={"T": {"factor": 0.99}}):
            self.assert_values(found, {"dI_L1": 0.72 / 1.99, "dI_L2": 0.72 / 1.99})
            self.assert_proven(found, "continuous", 0.02)

    def test_ripple_steering(self) -> None:
        """Where the mutual inductance equals L2, the ripple of L1 vanishes into L2."""
        chosen = self.CHOSEN | {"L1": "400 µH", "L2": "100 µH", "C_s": "220 µF"}
        for found, _ in self.each(12, 18, 1, chosen=chosen, parts={"T": {"factor": 0.499}}):
            self.assertLess(self.value(found, "dI_L1"), 0.01 * self.value(found, "dI_L2"))
            steered = self.simulated(found).measures("L1.i").peak_to_peak
            self.assertLess(steered, 0.05 * self.value(found, "dI_L2"))

    def test_chosen_inductances_meet_both_ripples(self) -> None:
        for found, _ in self.each(12, 18, 1, chosen={}):
            for number in ("1", "2"):
                self.assertLessEqual(self.value(found, f"dI_L{number}"), self.value(found, f"dI_{number}ask"))
