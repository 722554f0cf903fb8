"""Every resistance and every forward voltage moves the duty ratio by what the simulation moves it by; what windings carry."""

import unittest
from collections.abc import Iterator

from jump_lane.design.derive import Design
from jump_lane.operating.point import solve
from jump_lane.study.check import check
from jump_lane.topologies import page
from tests import test_topologies
from tests.common import PULSED, design

LEFT_OUT = {"capacitor": ("resistance",), "transformer": ("leakage",)}
"""What moves the duty ratio by the ripple alone, or by what a page takes from a clamp."""

WITHIN = 0.12
"""How much of a shift of the duty ratio may be missed: the products of two drops."""

HOLDING = 0.35
"""The same where the primary carries the current on between the pulses, which moves what turning it round takes."""

SWINGING = (
    "active-clamp-flyback",
    *(("phase-shifted-full-bridge", kind) for kind in ("current-doubler", "half-wave")),
)
"""Circuits of which the simulation alone tells how the currents share the interval that they swing in."""

DELAYED = ("push-pull", "half-bridge", "full-bridge", "phase-shifted-full-bridge", "active-clamp-flyback")
"""Circuits, beside forward converters, whose pulse begins for the inductor once the leakage has let the current over."""

SMALL = 1.5e-4
"""A shift that is none."""


def duties(found: Design) -> tuple[float, float]:
    """Return the duty ratio that is derived, and the one that is simulated."""
    return found.sheet["D"].corner(0, 0), solve(found, 0, 0)[0].control


def parts(found: Design) -> Iterator[tuple[str, str, float]]:
    """Yield the figures of parts that take voltage: part, key and a value that costs a percent or so."""
    ohms = 24.0 / 4.0
    for role in found.page.roles:
        known = {data.key for data in role.data}
        for key, value in test_topologies.LOSSES.get(role.kind, {}).items():
            if key in known and key not in LEFT_OUT.get(role.kind, ()):
                yield role.name, key, 2.0 * value * (24.0 if key == "forward_voltage" else ohms)


class TurnsRatios(unittest.TestCase):
    def test_drops_that_differ_bring_the_duty_ratio_to_its_limit(self) -> None:
        """At the lowest input, resistances aside; where room is made for lost duty, not beyond it."""
        for topology in filter(lambda name: page(name).isolated, PULSED):
            for secondary in page(topology).secondaries or ("",):
                tables = test_topologies.EveryModeEveryLoss().tables(
                    topology, "continuous", "diode", False, secondary
                )
                rectifiers = [role.name for role in page(topology).roles if role.kind == "rectifier"]
                drops = zip(rectifiers, ("0.9 V", "0.3 V", "0.5 V"), strict=False)
                tables["parts"] = {name: {"forward_voltage": drop} for name, drop in drops}
                sheet = design(tables).sheet
                with self.subTest(topology=topology, secondary=secondary):
                    reached = float(sheet["D"].values.max()) / sheet["D_lim"].worst
                    if "k_n" in sheet and sheet["k_n"].worst < 1.0:
                        self.assertTrue(0.95 < reached < 1.0, reached)
                    else:
                        self.assertAlmostEqual(reached, 1.0, delta=1e-9)


class Blocked(unittest.TestCase):
    def blocked(
        self, topology: str, secondary: str, lossy: bool = False, mode: str = "continuous"
    ) -> dict[str, float]:
        """Return how much more each device blocks than is derived, where the output ripples by a seventh."""
        tables = test_topologies.EveryModeEveryLoss().tables(topology, mode, "diode", lossy, secondary)
        tables["output"][0] |= {"voltage_ripple": "15 %", "current": {"min": 2, "max": 4}}
        corners = check(design(tables).at()).corners
        found = (finding for corner in corners for finding in corner.findings)
        return {f.symbol: f.deviation for f in found if f.symbol[:3] in ("V_S", "V_D")}

    def test_the_ripple_of_the_output_is_blocked_too(self) -> None:
        for topology in PULSED:
            for secondary in page(topology).secondaries or ("",):
                for symbol, deviation in self.blocked(topology, secondary).items():
                    with self.subTest(topology=topology, secondary=secondary, symbol=symbol):
                        self.assertTrue(-0.05 < deviation < 0.004, deviation)

    def test_idle_inductors_leave_their_ends_at_the_output(self) -> None:
        """No device blocks more than is derived where the reset of a core goes on."""
        for topology in ("forward", "two-switch-forward", "active-clamp-forward"):
            for secondary in page(topology).secondaries:
                for symbol, deviation in self.blocked(topology, secondary, mode="discontinuous").items():
                    with self.subTest(topology=topology, secondary=secondary, symbol=symbol):
                        self.assertLess(deviation, 0.004)

    def test_leakage_leaves_its_current_to_the_reset_winding(self) -> None:
        """So that the switch sees what it sees without a second path, which would else hold it lower."""
        for secondary in page("forward").secondaries:
            with self.subTest(secondary):
                self.assertLess(abs(self.blocked("forward", secondary, lossy=True)["V_S1"]), 0.01)


class VoltSeconds(unittest.TestCase):
    def test_what_an_inductor_gains_it_loses(self) -> None:
        """With every drop of lossy parts, in continuous conduction, where no leakage takes part of the pulse."""
        tested = 0
        for topology in PULSED:
            if "forward" in topology or topology in DELAYED:
                continue
            tables = test_topologies.EveryModeEveryLoss().tables(topology, "continuous", "diode", True)
            tables["output"][0]["current"] = {"min": 2, "max": 4}
            values = design(tables).at().sheet.at(0, 0)
            if "V_on" not in values:
                continue
            gained, lost = values["V_on"] * values["D"], values["V_off"] * (1.0 - values["D"])
            with self.subTest(topology):
                self.assertAlmostEqual(
                    gained / lost, 1.0, delta=6e-3 if topology.startswith("isolated") else 1e-3
                )
                tested += 1
        self.assertGreater(tested, 12)


class Drops(unittest.TestCase):
    def test_each_by_itself(self) -> None:
        """Continuous conduction at one point, ideal but for one figure."""
        tested = 0
        for topology in PULSED:
            for secondary in page(topology).secondaries or ("",):
                if topology in SWINGING or (topology, secondary) in SWINGING:
                    continue
                tables = test_topologies.EveryModeEveryLoss().tables(
                    topology, "continuous", "diode", False, secondary
                )
                tables["output"][0]["current"] = {"min": 2, "max": 4}
                ideal = design(tables).at()
                derived, simulated = duties(ideal)
                for part, key, value in parts(ideal):
                    with self.subTest(topology, secondary=secondary, part=part, key=key):
                        chosen = dict(ideal.components())
                        other = design(tables | {"parts": {part: {key: value}}, "chosen": chosen}).at()
                        by_formula, by_circuit = duties(other)
                        shift = by_circuit - simulated
                        missed = abs(by_formula - derived - shift)
                        within = HOLDING if topology.startswith("phase") else WITHIN
                        self.assertLess(missed, within * abs(shift) + SMALL, (by_formula - derived, shift))
                        tested += 1
        self.assertGreater(tested, 150)


class Windings(unittest.TestCase):
    def test_a_secondary_carries_what_is_derived(self) -> None:
        """Ideal parts in continuous conduction, the half that carries more."""
        for topology in PULSED:
            for secondary in page(topology).secondaries or ("",):
                tables = test_topologies.EveryModeEveryLoss().tables(
                    topology, "continuous", "diode", False, secondary
                )
                tables["output"][0]["current"] = {"min": 2, "max": 4}
                found = design(tables).at()
                if "I_Nsrms" not in found.sheet:
                    continue
                with self.subTest(topology, secondary=secondary):
                    recording = solve(found, 0, 0)[1]
                    halves = [name for name in recording.network.branches if name.startswith("Ns")]
                    rms = max(recording.measures(f"{name}.i").rms for name in halves)
                    average = max(abs(recording.measures(f"{name}.i").average) for name in halves)
                    self.assertAlmostEqual(found.sheet["I_Nsrms"].worst / rms, 1.0, delta=0.04)
                    self.assertAlmostEqual(found.sheet["I_Ns"].worst, average, delta=0.04 * rms)
