from jump_lane.errors import InputError
from tests.topologies.pagecase import PageCase


class Forward(PageCase):
    topology = "forward"

    def test_continuous_by_hand(self) -> None:
        """48 V, n = 3 to 5 V at 10 A: D = 5/16, ΔI = 11·D/(10e-6·1e5) = 3.4375 A, S1 and D1 see 96 V and 16 V."""
        found = self.design(48, 5, 10, chosen={"n": 3, "L": "10 µH", "C_o": "470 µF"})
        self.assert_values(found, {"D": 5 / 16, "dI_L": 3.4375, "V_S1": 96.0, "V_D1": 16.0, "V_D2": 16.0})
        self.assert_values(found, {"I_S1": 5 / 16 * (10 / 3 + self.value(found, "dI_Lm") / 2)})
        self.assert_proven(found, "continuous")

    def test_idle_by_hand(self) -> None:
        """Seen from the secondary a buck from 16 V: D = √(2·L·f·I_o/V_s·V_o/(V_s − V_o))."""
        found = self.design(48, 5, 0.5, chosen={"n": 3, "L": "10 µH", "C_o": "470 µF"})
        self.assert_values(found, {"D": (2 * 10e-6 * 1e5 * 0.5 * 5 / (16 * 11)) ** 0.5})
        self.assert_proven(found, "discontinuous")

    def test_a_core_that_is_not_reset_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "the core would not be reset"):
            self.design(24, 5, 10, chosen={"n": 3})
        self.design(24, 5, 10, chosen={"n": 3, "n_r": 0.5})

    def test_leakage_takes_its_part_of_the_pulse(self) -> None:
        parts = {"T": {"leakage": "2 µH"}}
        found = self.design(48, 5, 10, chosen={"n": 3, "L": "10 µH", "C_o": "470 µF"}, parts=parts)
        taken = 1e5 * 2e-6 * self.value(found, "I_Lv") / (3 * 48)
        self.assert_values(found, {"D_k": taken})
        self.assert_proven(found, "continuous", 0.03)


class TwoSwitch(PageCase):
    topology = "two-switch-forward"

    def test_switches_see_the_input(self) -> None:
        found = self.design(380, 24, 6, chosen={"n": 6, "L": "80 µH", "C_o": "470 µF"})
        self.assert_values(found, {"D": 24 * 6 / 380, "V_S1": 380.0})
        self.assert_proven(found, "continuous")


class ActiveClamp(PageCase):
    topology = "active-clamp-forward"

    def test_more_than_half_of_the_period(self) -> None:
        """36 V, n = 4 to 5 V: D = 0.5556, the clamp holds 36·D/(1 − D) = 45 V, S1 sees 81 V and a little ripple."""
        found = self.design(36, 5, 10, chosen={"n": 4, "L": "8 µH", "C_o": "470 µF"})
        self.assert_values(found, {"D": 5 / 9, "V_cl": 45.0})
        self.assertAlmostEqual(self.value(found, "V_S1"), 81.0, delta=1.5)
        self.assert_proven(found, "continuous")
        current = self.simulated(found).measures("L_m.i")
        self.assertAlmostEqual(current.minimum / current.maximum, -1.0, delta=0.01)
