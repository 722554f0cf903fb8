"""Ratings by kind of part, the margins they take, and what derive says of a part that is too small."""

import unittest

from jump_lane.catalogue.kinds import Capacitor, Diode, Gan, Igbt, Inductor, Mosfet, Transformer
from jump_lane.judge.derived import needs, overloads, unkept
from jump_lane.judge.rating import AVERAGE, BLOCKED, EFFECTIVE, PEAK, Rated, Rating, ratings_of
from jump_lane.spec import Margin
from tests.common import buck_tables, design, example_design

MARGIN = Margin(voltage=0.3, current=0.2)


class Kinds(unittest.TestCase):
    def quantities(self, part: object, pieces: int = 1) -> dict[str, tuple[float | None, float]]:
        return {r.quantity: (r.limit, r.margin) for r in ratings_of(part, pieces, MARGIN)}

    def test_switches_by_rms_and_diodes_by_average(self) -> None:
        for kind in (Mosfet, Gan, Igbt):
            found = self.quantities(kind(part="a", voltage=100, current=20))
            self.assertEqual(found, {BLOCKED: (100.0, 0.3), EFFECTIVE: (20.0, 0.2)})
        found = self.quantities(Diode(part="a", voltage=100, current=20, peak_current=90))
        self.assertEqual(found, {BLOCKED: (100.0, 0.3), AVERAGE: (20.0, 0.2), PEAK: (90.0, 0.2)})

    def test_capacitors_share_their_ripple_current(self) -> None:
        found = self.quantities(Capacitor(part="a", value=1e-6, voltage=50, rms_current=2), 3)
        self.assertEqual(found, {BLOCKED: (50.0, 0.3), EFFECTIVE: (6.0, 0.0)})

    def test_inductors_keep_a_margin_to_saturation(self) -> None:
        found = self.quantities(Inductor(part="a", value=1e-6, saturation_current=8))
        self.assertEqual(found, {PEAK: (8.0, 0.2), EFFECTIVE: (None, 0.0)})
        self.assertEqual(self.quantities(Transformer(part="t")), {})

    def test_a_rating_met_to_a_thousandth_holds(self) -> None:
        def holds(load: float) -> bool:
            return Rating("S1", "voltage", load, 0.25, 100.0, "V").holds

        self.assertEqual([holds(80.0), holds(80.04), holds(80.16)], [True, True, False])

    def test_a_margin_in_kelvins_is_added(self) -> None:
        warm = Rating("S1", "temperature", 120.0, 15.0, 150.0, "°C")
        self.assertEqual((warm.needed, warm.holds), (135.0, True))
        hot = Rating("S1", "temperature", 140.0, 15.0, 150.0, "°C")
        self.assertFalse(hot.holds)
        self.assertIn("temperature of 140.0 °C with a margin of 15 K needs 155.0 °C", hot.text())


class Derived(unittest.TestCase):
    def needed(self, name: str, part: object, **changes: object) -> dict[str, float]:
        found = design(buck_tables(), **changes)
        role = next(r for r in found.page.roles if r.name == name)
        return {r.what: r.needed for r in needs(found, role, part) if isinstance(r, Rating)}

    def test_worst_corner_and_margins(self) -> None:
        found = design(buck_tables())
        part = Mosfet(part="a", voltage=100, current=50, peak_current=90)
        needed = self.needed("S1", part)
        worst = {s: float(found.sheet[s].values.max()) for s in ("V_S1", "I_S1rms", "I_S1pk")}
        self.assertAlmostEqual(needed["voltage"], 1.3 * worst["V_S1"])
        self.assertAlmostEqual(needed["current"], 1.3 * worst["I_S1rms"])
        self.assertAlmostEqual(needed["peak current"], 1.3 * worst["I_S1pk"])

    def test_an_unknown_limit_is_handed_on(self) -> None:
        found = design(buck_tables())
        role = next(r for r in found.page.roles if r.name == "L")
        every = list(needs(found, role, Inductor(part="a", value=1e-6)))
        self.assertTrue(all(isinstance(one, Rated) for one in every))
        self.assertEqual(len(every), 2)

    def test_the_allowance_for_spikes_counts(self) -> None:
        """Rectifiers of a flyback have one; those of a buck have not."""
        self.assertEqual(design(buck_tables()).spike("D1"), 1.0)
        self.assertAlmostEqual(example_design("flyback").spike("D1"), 1.2)

    def test_every_part_too_small_is_named(self) -> None:
        parts = {
            "S1": {"voltage": "30 V"},
            "D1": {"current": "1 A"},
            "L": {"saturation_current": "4 A"},
            "C_o": {"voltage": "5 V"},
            "C_i": {"rms_current": "50 mA"},
        }
        found = overloads(design(buck_tables(), parts=parts))
        self.assertEqual([text.split(":")[0] for text in found], ["S1", "D1", "L", "C_o", "C_i"])
        self.assertEqual(overloads(design(buck_tables(), parts={"S1": {"voltage": "60 V"}})), ())

    def test_what_is_asked_and_not_kept(self) -> None:
        good = design(buck_tables())
        self.assertEqual([t for i in range(3) for j in range(2) for t in unkept(good, i, j)], [])
        ripple = good.sheet["dI_L"].values.max()
        for part, said in ((0.9995, 0), (0.998, 1)):
            tight = design(
                buck_tables(),
                switching__current_ripple=f"{part * ripple} A",
                chosen={"L": good.sheet["L"].worst},
            )
            self.assertEqual(len([t for i in range(3) for t in unkept(tight, i, 1)]), said)
        small = design(buck_tables(), chosen={"L": "5 µH"}, switching__mode="either")
        texts = list(unkept(small, 2, 1))
        self.assertTrue(any(t.startswith("ΔI_L of ") and t.endswith("is asked") for t in texts), texts)
