import math
import unittest
from collections.abc import Callable

from jump_lane.equations.root import root

CASES: tuple[tuple[Callable[[float], float], float, float, float], ...] = (
    (lambda x: x**3 - 2.0, 0.0, 5.0, 2.0 ** (1 / 3)),
    (lambda x: 3.0 - math.exp(x), -3.0, 4.0, math.log(3.0)),
    (lambda x: math.tanh(50.0 * (x - 0.3)), 0.0, 1.0, 0.3),
    (lambda x: 1.0 / (x + 0.01) - 3.0, 0.0, 7.0, 1.0 / 3.0 - 0.01),
    (lambda x: 5.0 - x, 0.0, 5.0, 5.0),
    (lambda x: x, 0.0, 5.0, 0.0),
    (lambda x: -1.0 if x < 0.777 else 1.0, 0.0, 1.0, 0.777),
)


class Roots(unittest.TestCase):
    def test_roots_smooth_steep_at_the_ends_and_at_a_jump(self) -> None:
        for number, (function, low, high, wanted) in enumerate(CASES):
            calls = 0

            def counted(x: float, function: Callable[[float], float] = function) -> float:
                nonlocal calls
                calls += 1
                return function(x)

            with self.subTest(number):
                self.assertAlmostEqual(root(counted, low, high, 1e-9), wanted, delta=1e-8)
                self.assertLess(calls, 70)

    def test_no_change_of_sign_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "no change of sign between 1 and 2"):
            root(math.exp, 1.0, 2.0, 1e-9)


if __name__ == "__main__":
    unittest.main()
