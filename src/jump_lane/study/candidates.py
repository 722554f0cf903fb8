"""The parts that a component may be: within ratings and margins at all corners, the most promising first."""

from __future__ import annotations

from dataclasses import dataclass, field

from jump_lane.catalogue.kinds import ROLES, Capacitor, Diode, Igbt, Inductor, Mosfet, Part
from jump_lane.design.asked import bias_of
from jump_lane.design.derive import Design
from jump_lane.design.named import figures, value_of
from jump_lane.dissipation.bipolar import scale
from jump_lane.dissipation.budget import GUESS
from jump_lane.dissipation.charge import stored
from jump_lane.dissipation.overlap import reaches, transition
from jump_lane.judge.derived import needs
from jump_lane.judge.rating import Rated
from jump_lane.topologies.role import Role

LARGEST = 4.0
"""An inductance or capacitance of more than this many times the derived one is not looked at."""

MOST_PIECES = 6
"""Pieces of a capacitor in parallel, or of an inductor in series, that stand for one component at most."""


@dataclass(frozen=True)
class Candidates:
    """The parts that one component may be, and why the others may not.

    Attributes
    ----------
    parts
        Those within their ratings, the most promising first.
    tried
        How many were looked at.
    fallen
        Reason to how many parts it excludes (the first that applies to each).
    pieces
        Part to the pieces of it that are needed, where one does not do.
    """

    role: Role
    parts: tuple[Part, ...]
    tried: int
    fallen: dict[str, int]
    pieces: dict[str, int] = field(default_factory=dict)

    def count(self, part: Part) -> int:
        """Return how many pieces of a part stand for the component."""
        return self.pieces.get(part.name, 1)


def candidates_for(
    design: Design, role: Role, catalogue: list[Part], weights: dict[str, float]
) -> Candidates:
    """Return the parts of a catalogue that a component may be."""
    wanted = _kinds(design, role)
    parts = [p for p in catalogue if isinstance(p, wanted)]
    fitting: list[Part] = []
    fallen: dict[str, int] = {}
    pieces: dict[str, int] = {}
    for part in parts:
        reason = _unfit(design, role, part, 1, "cost" in weights)
        several = range(2, MOST_PIECES + 1) if isinstance(part, Capacitor | Inductor) and reason else ()
        enough = next((n for n in several if not _unfit(design, role, part, n, "cost" in weights)), 0)
        if enough:
            pieces[part.name] = enough
        if enough or not reason:
            fitting.append(part)
        else:
            fallen[reason] = fallen.get(reason, 0) + 1
    full = design.at()
    fitting.sort(
        key=lambda part: (_blanks(role, part), _promise(full, role, part, pieces.get(part.name, 1), weights))
    )
    by_number = dict(sorted(fallen.items(), key=lambda kv: -kv[1]))
    return Candidates(role, tuple(fitting), len(parts), by_number, pieces)


def _kinds(design: Design, role: Role) -> tuple[type, ...]:
    if role.kind == "rectifier":
        return (Mosfet,) if design.synchronous else (Diode,)
    return ROLES[role.kind]


def _unfit(design: Design, role: Role, part: Part, pieces: int, priced: bool) -> str:
    """Return why pieces of a part cannot stand in a role, over all corners and with margins, or nothing if they can."""
    if part.at_hand is not None and part.at_hand < pieces * len(role.elements):
        return "fewer at hand than needed"
    if priced and part.cost is None:
        return "without a cost figure"
    for one in needs(design, role, part, pieces):
        if isinstance(one, Rated):
            return f"rating of {one.what} not known"
        if not one.holds:
            return f"{one.what} rating too low"
    if isinstance(part, Inductor | Capacitor):
        return _unfit_value(design, role, part, pieces)
    if isinstance(part, Mosfet) and not reaches(part, design.spec.driver):
        return "gate plateau beyond the driver"
    return ""


def _unfit_value(design: Design, role: Role, part: Inductor | Capacitor, pieces: int) -> str:
    value = design.sheet[role.name]
    assert value.required is not None and value.line is not None
    actual = value_of(part, pieces, bias_of(role.name, design.sheet)) or 0.0
    if value.line.worst == "max":
        if actual < value.required:
            return "value too small"
        return "value more than four times too large" if actual > LARGEST * value.required else ""
    if actual > value.required:
        return "value too large"
    return "value less than a quarter" if actual < value.required / LARGEST else ""


WANTED: dict[type, tuple[str, ...]] = {
    Mosfet: ("resistance", "gate_charge", "gate_drain_charge", "plateau_voltage"),
    Igbt: ("on_voltage", "turn_on_energy", "turn_off_energy", "test_voltage", "test_current"),
    Diode: ("forward_voltage",),
    Inductor: ("resistance",),
    Capacitor: ("resistance",),
}
"""Figures without which the losses of a part are far too small."""


def _blanks(role: Role, part: Part) -> int:
    """Return how many figures a part lacks that its losses cannot do without."""
    kind = next(k for k in WANTED if isinstance(part, k))
    lacking = [f for f in WANTED[kind] if getattr(part, f) is None]
    if isinstance(part, Capacitor) and part.resistance_frequency is not None:
        lacking = []
    if isinstance(part, Mosfet) and part.output_capacitance is None and part.output_capacitance_curve is None:
        lacking.append("output_capacitance")
    return len(lacking)


def _promise(design: Design, role: Role, part: Part, pieces: int, weights: dict[str, float]) -> float:
    """Return a rough figure of how much pieces of a part lose (and cost), for what to simulate first."""
    heat = weights.get("loss", 0.0) + weights.get("temperature", 0.0)
    loss = _conducted(design, role, part, pieces) + _switched(design, role, part) if heat else 0.0
    return heat * loss + weights.get("cost", 0.0) * pieces * (part.cost or 0.0)


def _stress(design: Design, symbol: str) -> float:
    return float(design.sheet[symbol].worst) if symbol in design.sheet else 0.0


def _conducted(design: Design, role: Role, part: Part, pieces: int) -> float:
    """Return R·I_rms² + V·I_avg with the derived currents [W], the part 30 K above ambient."""
    found = figures(part, design.spec.thermal.ambient + GUESS, design.spec.switching.frequency, pieces)
    threshold = found.get("forward_voltage", 0.0) + found.get("on_voltage", 0.0)
    square = _stress(design, f"I_{role.tag}rms") ** 2
    return found.get("resistance", 0.0) * square + threshold * _stress(design, f"I_{role.tag}")


def _switched(design: Design, role: Role, part: Part) -> float:
    """Return what switching costs if every edge is hard, with the derived voltage and peak current [W]."""
    voltage, current = _stress(design, f"V_{role.tag}"), _stress(design, f"I_{role.tag}pk")
    energy = 0.0
    kept = stored(part, voltage)
    if kept is not None:
        energy += kept[1] if role.kind == "switch" else kept[0] * voltage - kept[1]
    if role.kind == "rectifier" and isinstance(part, Diode | Mosfet):
        energy += (part.recovery_charge or 0.0) * voltage
    if isinstance(part, Mosfet | Igbt):
        energy += (part.gate_charge or 0.0) * design.spec.driver.swing
    if role.kind == "switch" and isinstance(part, Mosfet) and part.plateau_voltage is not None:
        times = sum(transition(part, design.spec.driver, action) for action in ("on", "off"))
        energy += 0.5 * voltage * current * times
    if isinstance(part, Igbt) and part.test_voltage and part.test_current:
        both = (part.turn_on_energy or 0.0) + (part.turn_off_energy or 0.0)
        energy += both * scale(part, voltage, current)
    return energy * design.spec.switching.frequency
