"""Every topology with parts of the sample catalogue: found, entered, cooled, rated, and closed."""

import unittest
from functools import cache

from jump_lane.catalogue.kinds import ROLES, Diode, Inductor, Mosfet
from jump_lane.catalogue.load import samples
from jump_lane.design.asked import bias_of
from jump_lane.design.components import components
from jump_lane.design.derive import Design, derive
from jump_lane.design.named import value_of
from jump_lane.dissipation.budget import Budget, budget
from jump_lane.judge.derived import needs, overloads
from jump_lane.judge.rating import Rating
from jump_lane.spec import Spec
from jump_lane.spec.surroundings import Sink, Thermal
from jump_lane.topologies import NAMES
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from tests.common import example_design


def fitting(design: Design, role: Role) -> dict[str, object] | None:
    """The first sample that bears what is derived, as many pieces as the value needs."""
    wanted: tuple[type, ...] = ROLES.get(role.kind, ())
    if role.kind == "rectifier":
        wanted = (Mosfet,) if design.synchronous else (Diode,)
    if role.kind == "switch":
        wanted = (Mosfet,)
    for part in (p for p in samples() if isinstance(p, wanted)):
        pieces = 1
        if isinstance(part, Inductor) and not 1.0 <= part.value / design.sheet[role.name].worst < 1.6:
            continue
        if role.kind == "capacitor":
            value = value_of(part, 1, bias_of(role.name, design.sheet)) or 1.0
            pieces = (
                max(1, int(design.sheet[role.name].worst / value + 0.999)) if role.name in design.sheet else 1
            )
        every = list(needs(design, role, part, pieces))
        if pieces <= 60 and all(isinstance(one, Rating) and one.holds for one in every):
            return {"part": part.name} | ({"count": pieces} if pieces > 1 else {})
    return None


@cache
def with_parts(name: str) -> tuple[Design, set[str]]:
    """A topology's example with sample parts, its values chosen as derived, and the roles that have one."""
    plain = example_design(name)
    values = {k: v for k, v in plain.components().items() if not k.startswith("n")}
    parts: dict[str, dict[str, object]] = {}
    for role in plain.page.roles:
        if role.kind in ("switch", "rectifier", "inductor", "capacitor"):
            found = fitting(plain, role)
            if found is not None:
                parts[role.name] = found
    kept = {k: plain.spec.parts[k] for k in plain.spec.parts if k not in parts}
    cooled = [r.name for r in plain.page.roles if r.kind in ("switch", "rectifier") and r.name in parts]
    sink = Sink(resistance=0.4, interface=0.2, parts=tuple(cooled))
    spec: Spec = plain.spec.model_copy(
        update={
            "parts": kept | parts,
            "chosen": plain.spec.chosen | values,
            "damping": {},
            "thermal": Thermal(ambient=40.0, sink={"plate": sink}),
        }
    )
    return derive(spec), set(parts)


@cache
def lost(name: str) -> Budget:
    """Its losses at nominal input and full load."""
    return budget(with_parts(name)[0].at())


def point_of(name: str) -> Point:
    """Its operating point."""
    return with_parts(name)[0].at().point(0, 0)


class EveryTopologyWithParts(unittest.TestCase):
    def test_most_roles_find_a_sample(self) -> None:
        for name in NAMES:
            design, found = with_parts(name)
            wanted = {r.name for r in design.page.roles if r.kind in ("switch", "rectifier")}
            with self.subTest(name):
                self.assertLessEqual(len(wanted - found), 2, wanted - found)

    def test_powers_close_and_add_up(self) -> None:
        for name in NAMES:
            with self.subTest(name):
                found = lost(name)
                self.assertLess(found.residual, 1e-8)
                total = sum(x.power for x in found.losses)
                self.assertAlmostEqual(total, found.simulated + found.added, places=9)
                self.assertTrue(0.6 < found.efficiency < 0.999, found.efficiency)
                self.assertGreater(found.added, 0.0)

    def test_every_switch_has_gate_drive_and_overlap_or_a_reason(self) -> None:
        for name in NAMES:
            design, roles = with_parts(name)
            at = design.at()
            found = lost(name)
            for one in components(at, at.point(0, 0)):
                if one.kind != "switch" or one.role not in roles:
                    continue
                mechanisms = {x.mechanism for x in found.losses if x.component == one.name}
                with self.subTest(name=name, switch=one.name):
                    idle = at.point(0, 0)["I_o"] == 0.0 or "gate drive" not in mechanisms
                    self.assertTrue(idle or {"turn-on overlap", "turn-off overlap"} <= mechanisms)

    def test_temperatures_lie_above_ambient_and_are_limited(self) -> None:
        for name in NAMES:
            found = lost(name)
            ambient = with_parts(name)[0].spec.thermal.ambient
            with self.subTest(name):
                self.assertTrue(found.temperatures)
                self.assertTrue(all(t >= ambient - 1e-9 for t in found.temperatures.values()))
                by_name = {c.name: c.part for c in components(with_parts(name)[0].at(), point_of(name))}
                for rating in (r for r in found.ratings if r.what == "temperature"):
                    at, part = found.temperatures[rating.component], by_name[rating.component]
                    self.assertEqual(rating.holds, at + 15.0 <= part.max_temperature)

    def test_parts_that_bear_what_is_derived_bear_what_is_simulated(self) -> None:
        """Ratings of voltage and current judged by both ways agree, but for what drops and ripple of parts change."""
        for name in NAMES:
            design, _ = with_parts(name)
            broken = [r for r in lost(name).ratings if not r.holds and r.unit in ("V", "A")]
            with self.subTest(name):
                for rating in broken:
                    self.assertLess(rating.needed / rating.limit, 1.35, rating.text())
                if not broken:
                    self.assertLessEqual(len(overloads(design)), 2)

    def test_no_device_figure_is_missing(self) -> None:
        for name in NAMES:
            _, roles = with_parts(name)
            gaps = [
                g for g in lost(name).gaps
                if g.component in roles and g.component[0] in "SD" and "_" not in g.component
            ]  # fmt: skip
            with self.subTest(name):
                self.assertEqual([g.text() for g in gaps], [])
