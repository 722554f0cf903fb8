"""What windings carry and devices block, the lines that no period of a `check` proves: derived as the simulation shows it."""

import re
import unittest
from collections.abc import Iterator

import numpy as np

from jump_lane.design.derive import Design
from jump_lane.operating.point import solve
from jump_lane.operating.wound import coil_names, coil_of, courses
from jump_lane.switching.record import Recording
from jump_lane.topologies import NAMES, page
from tests import test_topologies
from tests.common import PULSED, design, example_design

CLOSE, NEAR = 0.005, 0.06
"""Share by which a line may be off; where currents swing or share an interval in which the simulation alone tells how."""

SWINGING = (
    "active-clamp-flyback",
    "active-clamp-forward",
    "multi-output-flyback",
    "phase-shifted-full-bridge",
    "dual-active-bridge",
    "half-bridge-llc",
    "full-bridge-llc",
    "half-bridge-series-resonant",
    "full-bridge-series-resonant",
)

SHARING = ("current-doubler", "half-wave")
"""Secondaries behind which the core keeps current between the pulses."""

NOTHING = 1e-3
"""A current that is none [A]; the example's are some amperes."""


def designs() -> Iterator[tuple[str, str, Design]]:
    """Yield every topology with every secondary at full load, ideal parts in continuous conduction where there are such modes."""
    for name in NAMES:
        for secondary in page(name).secondaries or ("",):
            if name in PULSED:
                tables = test_topologies.EveryModeEveryLoss().tables(
                    name, "continuous", "diode", False, secondary
                )
                tables["output"][0]["current"] = {"min": 2, "max": 4}
                yield name, secondary, design(tables).at()
            else:
                yield name, secondary, example_design(name).at()


def allowed(name: str, secondary: str) -> float:
    return NEAR if name in SWINGING or secondary in SHARING else CLOSE


class Windings(unittest.TestCase):
    """With the magnetising current in them, as a workshop's windings have it."""

    def test_average_and_rms(self) -> None:
        tested = 0
        for name, secondary, at in designs():
            if "T" not in coil_names(at):
                continue
            (course,), _ = courses(at, "T")
            average = np.trapezoid(course.currents, course.time, axis=1) / course.period
            rms = np.sqrt(np.trapezoid(course.currents**2, course.time, axis=1) / course.period)
            for k, winding in enumerate(coil_of(at, "T").windings):
                for symbol, found in ((f"I_{winding}", abs(average[k])), (f"I_{winding}rms", rms[k])):
                    if symbol not in at.sheet:
                        continue
                    with self.subTest(name, secondary=secondary, symbol=symbol):
                        derived = at.sheet[symbol].corner(0, 0)
                        self.assertAlmostEqual(
                            derived, found, delta=allowed(name, secondary) * found + NOTHING
                        )
                        tested += 1
        self.assertGreater(tested, 60)


class Devices(unittest.TestCase):
    MEASURES = (("I", "rms", "rms"), ("I", "pk", "maximum"), ("I", "", "average"), ("V", "", "peak"))
    LEAST = ("V_S1", "V_S2")
    """What a switch blocks at most: a secondary that carries the core's current on spares it some of that."""

    def test_what_is_not_proven_in_a_period(self) -> None:
        tested = set()
        for name, secondary, at in designs():
            recording = solve(at)[1]
            for symbol, derived, found in self.unproven(at, recording):
                with self.subTest(name, secondary=secondary, symbol=symbol):
                    within = allowed(name, secondary) * found + NOTHING
                    if symbol not in self.LEAST:
                        self.assertAlmostEqual(derived, found, delta=within)
                    self.assertGreater(derived, found - within)
                    tested.add((name, symbol))
        self.assertGreater(len(tested), 30)

    def unproven(self, at: Design, recording: Recording) -> Iterator[tuple[str, float, float]]:
        """Yield symbol, derived and simulated value of lines that are a current or voltage of one device."""
        kinds = ("S", "D")
        names = {
            n[:-2].replace("_", ""): n[:-2] for n in recording.names if n.endswith(".i") and n[0] in kinds
        }
        for value in at.sheet:
            if value.line is None or value.line.proof is not None:
                continue
            for quantity, ending, measure in self.MEASURES:
                found = re.fullmatch(rf"{quantity}_([SD][a-z]?\d*){ending}", value.symbol)
                if found is None or found[1] not in names:
                    continue
                signal = f"{names[found[1]]}.{'i' if quantity == 'I' else 'v'}"
                simulated = float(getattr(recording.measures(signal), measure))
                if simulated > NOTHING:
                    yield value.symbol, value.corner(0, 0), simulated
                break


RESONANT = (
    "half-bridge-llc",
    "full-bridge-llc",
    "half-bridge-series-resonant",
    "full-bridge-series-resonant",
)

OTHERS = (
    *((name, "I_Corms", "C_o.i", "rms", 0.06) for name in RESONANT),
    *((name, "dV_o", "C_o.v", "peak_to_peak", 0.06) for name in RESONANT),
    *((name, "V_half", "C_d2.v", "average", 0.001) for name in ("half-bridge",)),
    *((name, "I_m", "L_m.i", "maximum", 0.02) for name in ("half-bridge-llc", "full-bridge-llc", "dual-active-bridge")),
    *((name, "I_p2", "S1.i", "maximum", 0.005) for name in ("forward", "two-switch-forward", "active-clamp-forward", "half-bridge")),
    *((name, "I_rpk", "L_m.i", "maximum", 0.01) for name in ("forward", "two-switch-forward")),
    ("phase-shifted-full-bridge", "I_p2", "L_r.i", "maximum", 0.005),
    ("dual-active-bridge", "I_0", "L.i", "minimum", 0.03),
    ("active-clamp-forward", "dV_cl", "C_cl.v", "peak_to_peak", 0.15),
    ("quadratic-boost", "V_C1m", "C_1.v", "average", 0.002),
    ("isolated-cuk", "dI_Lm", "L_m.i", "peak_to_peak", 0.005),
)  # fmt: skip
"""Topology, symbol, signal, measure, and how far the one may be from the other: its own example, with its losses."""


class Examples(unittest.TestCase):
    def test_what_other_lines_say(self) -> None:
        known: dict[str, tuple[Design, Recording]] = {}
        for name, symbol, signal, measure, within in OTHERS:
            with self.subTest(name, symbol=symbol):
                if name not in known:
                    at = example_design(name).at()
                    known[name] = at, solve(at)[1]
                at, recording = known[name]
                self.assertIsNone(at.sheet[symbol].line.proof if at.sheet[symbol].line else "given")
                found = float(getattr(recording.measures(signal), measure))
                self.assertAlmostEqual(at.sheet[symbol].corner(0, 0) / found, 1.0, delta=within)
