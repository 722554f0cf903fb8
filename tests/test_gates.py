import unittest

from jump_lane.circuit.gates import Instant, complement, on, shifted


class Instants(unittest.TestCase):
    def test_arithmetic_carries_the_slope(self) -> None:
        duty = Instant(0.3, 1.0)
        self.assertEqual(0.5 + duty / 2, Instant(0.65, 0.5))
        self.assertEqual(1.0 - duty, Instant(0.7, -1.0))
        self.assertEqual(duty - 0.1, Instant(0.3 - 0.1, 1.0))
        self.assertEqual(2 * duty, Instant(0.6, 2.0))


class Patterns(unittest.TestCase):
    def spans(self, intervals) -> list[tuple[float, float]]:
        return [(round(a.fraction, 6), round(b.fraction, 6)) for a, b in intervals]

    def test_the_complement_keeps_the_dead_time(self) -> None:
        self.assertEqual(self.spans(complement(on(0.0, 0.4), 0.02)), [(0.42, 0.98)])
        self.assertEqual(self.spans(complement(on(0.75, 1.25))), [(1.25, 1.75)])

    def test_the_complement_of_several(self) -> None:
        two = (*on(0.1, 0.2), *on(0.5, 0.7))
        self.assertEqual(self.spans(complement(two, 0.01)), [(0.21, 0.49), (0.71, 1.09)])

    def test_extremes(self) -> None:
        self.assertEqual(self.spans(complement(())), [(0.0, 1.0)])
        self.assertEqual(complement(on(0.0, 1.0)), ())
        self.assertEqual(complement(on(0.0, 0.99), 0.01), ())

    def test_edges_of_the_complement_move_along(self) -> None:
        ((start, end),) = complement(on(0.0, Instant(0.4, 1.0)), 0.02)
        self.assertEqual((start.slope, end.slope), (1.0, 0.0))

    def test_shifting(self) -> None:
        self.assertEqual(self.spans(shifted(on(0.0, 0.4), 0.5)), [(0.5, 0.9)])
