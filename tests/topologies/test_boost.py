from jump_lane.errors import InputError
from tests.topologies.pagecase import PageCase


class Boost(PageCase):
    topology = "boost"

    def test_continuous_by_hand(self) -> None:
        """12 V to 48 V, 1 A: D = 0.75, I_L = 4 A; 100 µH at 100 kHz give 12·0.75/10 = 0.9 A."""
        found = self.design(12, 48, 1, chosen={"L": "100 µH", "C_o": "100 µF"})
        self.assert_values(
            found,
            {
                "D": 0.75, "I_L": 4.0, "dI_L": 0.9, "I_Lpk": 4.45, "I_S1": 3.0, "I_D1": 1.0, "dV_o": 0.075,
                "I_B": 9.0 * 0.25 / (2 * 10), "f_z": 48 / 16 / (6.283185 * 1e-4), "K_crit": 0.75 / 16,
                "I_Corms": 1.7361, "I_Cirms": 0.9 / 12**0.5,
            },
        )  # fmt: skip
        self.assert_proven(found, "continuous")

    def test_discontinuous_by_hand(self) -> None:
        """12 V to 24 V, 0.1 A in 20 µH: D = √(2·20e-6·1e5·0.1·12)/12 = 0.1826, peak 1.0954 A."""
        found = self.design(12, 24, 0.1, chosen={"L": "20 µH", "C_o": "47 µF"})
        self.assert_values(found, {"D": 0.18257, "I_Lpk": 1.09545, "D_2": 0.18257, "I_L": 0.2})
        self.assert_proven(found, "discontinuous")

    def test_losses_near_the_peak(self) -> None:
        """At D near 0.85 with 1 % of resistance the ratio stays visibly below 1/(1 − D)."""
        parts = {"L": {"resistance": 0.4}, "S1": {"resistance": 0.1}}
        found = self.design(10, 55, 0.5, chosen={"L": "220 µH", "C_o": "100 µF"}, parts=parts)
        self.assertGreater(self.value(found, "D"), 0.84)
        self.assertLess(self.value(found, "k_M"), 0.9)
        self.assert_values(found, {"D_pk": 1 - (0.5 / 110) ** 0.5, "M_pk": (110 / 0.5) ** 0.5 / 2})
        self.assert_proven(found, "continuous")

    def test_beyond_the_peak_is_refused_with_its_reason(self) -> None:
        with self.assertRaisesRegex(InputError, "the conversion ratio does not exceed"):
            self.design(10, 80, 2, parts={"L": {"resistance": 0.8}})

    def test_not_below_the_input(self) -> None:
        with self.assertRaises(InputError):
            self.design(24, 12, 1, chosen={"L": "10 µH"})
