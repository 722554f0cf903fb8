from jump_lane.equations.sheet import CONTINUOUS
from tests.topologies.pagecase import PageCase


class InterleavedBuck(PageCase):
    topology = "interleaved-buck"

    def test_two_phases_cancel_at_half(self) -> None:
        """24 V to 12 V in two phases: D = 0.5, the ripples cancel wholly."""
        found = self.design(24, 12, 10, chosen={"L": "50 µH", "C_o": "100 µF"})
        self.assert_values(found, {"D": 0.5, "dI_L": 1.2, "I_L": 5.0})
        self.assertAlmostEqual(self.value(found, "dI_s"), 0.0, places=9)
        recording = self.simulated(found)
        self.assertLess(recording.measures("load.v").peak_to_peak, 1e-4)
        self.assertAlmostEqual(recording.measures("L2.i").average, 5.0, places=4)

    def test_what_is_left_of_the_ripple(self) -> None:
        """At D = 0.25, N = 2: ΔI_s = ΔI·(0.5·0.5)/(2·0.25·0.75) = 2/3·ΔI."""
        found = self.design(48, 12, 10, chosen={"L": "50 µH", "C_o": "100 µF"})
        self.assert_values(found, {"D": 0.25, "dI_L": 1.8, "dI_s": 1.2})
        self.assert_proven(found, "continuous")

    def test_every_number_of_phases(self) -> None:
        for phases in range(2, 9):
            with self.subTest(phases=phases):
                found = self.design(30, 7, 4 * phases, chosen={"L": "40 µH", "C_o": "47 µF"}, phases=phases)
                self.assert_values(found, {"I_L": 4.0, "D": 7 / 30})
                self.assert_proven(found, "continuous", 0.02)

    def test_discontinuous_phases(self) -> None:
        found = self.design(24, 12, 0.3, chosen={"L": "50 µH", "C_o": "100 µF"})
        self.assert_values(found, {"D": 0.25, "dI_L": 0.6, "I_L": 0.15})
        self.assertNotEqual(self.mode(found), CONTINUOUS)
        self.assert_proven(found, "discontinuous")


class InterleavedBoost(PageCase):
    topology = "interleaved-boost"

    def test_two_phases_cancel_at_half(self) -> None:
        found = self.design(24, 48, 2, chosen={"L": "120 µH", "C_o": "47 µF"})
        self.assert_values(found, {"D": 0.5, "dI_L": 1.0, "I_L": 2.0})
        self.assertLess(self.simulated(found).measures("source.i").peak_to_peak, 2e-3)

    def test_output_ripple_of_every_number_of_phases(self) -> None:
        for phases in range(2, 9):
            for v_in in (13, 21, 31):
                with self.subTest(phases=phases, v_in=v_in):
                    chosen = {"L": "90 µH", "C_o": "22 µF"}
                    found = self.design(v_in, 40, 1.5 * phases, chosen=chosen, phases=phases)
                    self.assert_proven(found, "continuous", 0.02)

    def test_discontinuous_phases(self) -> None:
        found = self.design(12, 24, 0.3, chosen={"L": "20 µH", "C_o": "47 µF"}, phases=3)
        self.assert_values(found, {"D": 0.18257, "I_Lpk": 1.09545})
        self.assert_proven(found, "discontinuous")
