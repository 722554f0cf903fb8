from tests.topologies.pagecase import PageCase


class Buck(PageCase):
    topology = "buck"

    def test_continuous_by_hand(self) -> None:
        """24 V to 12 V, 5 A: D = 0.5; 50 µH at 100 kHz give ΔI = 12·0.5/(50e-6·1e5) = 1.2 A."""
        found = self.design(24, 12, 5, chosen={"L": "50 µH", "C_o": "100 µF"})
        self.assert_values(
            found,
            {
                "D": 0.5, "phi_on": 180.0, "t_on": 5e-6, "dI_L": 1.2, "I_Lpk": 5.6, "I_Lv": 4.4, "I_B": 0.6,
                "I_Lrms": 5.01198, "dV_o": 1.2 / (8 * 100e-6 * 1e5), "I_Corms": 0.34641, "I_S1": 2.5, "I_D1": 2.5,
                "V_S1": 24.0, "V_D1": 24.0, "I_Cirms": 2.51197, "W_L": 0.5 * 50e-6 * 5.6**2, "R_o": 2.4, "K": 4.16667,
            },
        )  # fmt: skip
        self.assert_proven(found, "continuous")

    def test_inductance_for_ripple_and_for_continuous_conduction(self) -> None:
        """Ripple of 40 % of 5 A: 12·0.5/(1e5·2) = 30 µH; at 5 A the critical value is 6/(2e5·5) = 6 µH."""
        found = self.design(24, 12, 5)
        self.assert_values(found, {"L_rip": 30e-6, "L_crit": 6e-6, "L": 36e-6})

    def test_discontinuous_by_hand(self) -> None:
        """24 V to 12 V, 0.15 A in 50 µH: K = 2·50e-6·1e5/80 = 0.125, D = M·√(K/(1 − M)) = 0.25."""
        found = self.design(24, 12, 0.15, chosen={"L": "50 µH", "C_o": "100 µF"})
        self.assert_values(
            found,
            {"K": 0.125, "D": 0.25, "D_2": 0.25, "dI_L": 0.6, "M_dcm": 0.5, "I_S1": 0.075, "K_crit": 0.5},
        )
        self.assertEqual(self.value(found, "I_Lv"), 0.0)
        self.assert_proven(found, "discontinuous")

    def test_drops_lengthen_the_pulse(self) -> None:
        """With 0.1 Ω in the switch, 0.5 V and 0.1 Ω in the diode, 5 A: D = 13/(24 − 0.5 + 0.5 + 0.5) = 0.5306."""
        parts = {"S1": {"resistance": 0.1}, "D1": {"resistance": 0.1, "forward_voltage": 0.5}}
        found = self.design(24, 12, 5, chosen={"L": "50 µH"}, parts=parts)
        self.assert_values(found, {"D": (12 + 0.5 + 0.5) / (11.5 + 13.0)})
        self.assert_proven(found, "continuous")

    def test_esr_share_and_charge_share(self) -> None:
        found = self.design(
            24, 12, 5, chosen={"L": "50 µH", "C_o": "1 mF"}, parts={"C_o": {"resistance": 0.05}}
        )
        self.assert_values(found, {"dV_oESR": 0.06, "dV_o": 0.06})
        self.assertLess(self.value(found, "Q_o") / 1e-3, 0.002)
        self.assert_proven(found, "continuous", 0.025)

    def test_synchronous_keeps_its_duty_ratio_at_light_load(self) -> None:
        found = self.design(24, 12, 0.15, chosen={"L": "50 µH", "C_o": "100 µF"}, rectifier="synchronous")
        self.assert_values(found, {"D": 0.5, "I_Lv": -0.45, "I_Lpk": 0.75})
        self.assert_proven(found, "reversed")
