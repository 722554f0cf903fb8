"""From what is asked to every value of a converter: the page's lines evaluated over all corners."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from jump_lane.catalogue.curve import Curve
from jump_lane.catalogue.kinds import Inductor, Transformer
from jump_lane.catalogue.mutual import Pairs
from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Diode, Switch
from jump_lane.design.asked import (
    chosen_values,
    inductors,
    require_outputs,
)
from jump_lane.design.derivation import Derivation
from jump_lane.design.line_input import line_side
from jump_lane.design.named import part_of
from jump_lane.design.refusals import beyond_bounds, beyond_peak, require_load, require_mode
from jump_lane.equations.sheet import BOUNDARY, Proof, Sheet
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import show
from jump_lane.spec import Spec
from jump_lane.topologies import page as find_page
from jump_lane.topologies.page import Ask, Page
from jump_lane.topologies.point import Point
from jump_lane.topologies.variant import load_kind

NEAR_BOUNDARY = 0.01
"""A load within this part of the boundary load counts as being at the boundary."""


HELD = Proof("load.v", "average")
"""What shows that the output is held."""

ATTEMPTS = 24
"""How often a turns ratio is lowered until the duty ratio stays below its limit."""

NEAR_LIMIT, LEAST_STEP = 1e-3, 0.93
"""A duty ratio within this part of its limit keeps it; the largest step in which a turns ratio is lowered."""

COILS = ("inductor", "magnetising")
"""Kinds of components whose current rises and falls."""


@dataclass(frozen=True)
class Design:
    """A derived converter: every symbol over the grid of input voltages × load currents."""

    spec: Spec
    page: Page
    sheet: Sheet
    inputs: tuple[float, ...]
    loads: tuple[float, ...]
    line: Sheet | None = None
    """How the input range follows from an alternating line, where there is one."""

    @property
    def shape(self) -> tuple[int, int]:
        """Number of input voltages and of loads."""
        return len(self.inputs), len(self.loads)

    @property
    def title(self) -> str:
        """What it is called: as its file says, or by its topology."""
        return self.spec.title or self.page.title

    @cached_property
    def control(self) -> Control:
        """What holds the output, within the range that this design leaves it."""
        return self.page.control.at({v.symbol: v.worst for v in self.sheet})

    @cached_property
    def synchronous(self) -> bool:
        """Whether rectifiers are switches."""
        return self.spec.switching.rectifier == "synchronous" or self.page.returns

    @property
    def inductors(self) -> tuple[str, ...]:
        """Names of the inductors, those of which a ripple is asked first: they carry the load."""
        asked = {ripple.component for ripple in self.page.ripples}
        coils = sorted((r for r in self.page.roles if r.kind in COILS), key=lambda r: r.name not in asked)
        return tuple(role.element or role.name for role in coils)

    @property
    def asks(self) -> tuple[Ask, ...]:
        """What is asked, less the ripple currents that follow from a conduction mode asked for."""
        found = (a for a in self.page.asks if a.symbol in self.sheet)
        switching = self.spec.switching
        free = switching.mode in ("continuous", "either") and switching.current_ripple is not None
        return tuple(a for a in found if free or self.sheet[a.symbol].unit != "A")

    @cached_property
    def proofs(self) -> Mapping[str, Proof]:
        """What every symbol that shows in a simulated period is compared with."""
        found = {v.symbol: v.line.proof for v in self.sheet if v.line is not None}
        return {"V_o": HELD} | {symbol: proof for symbol, proof in found.items() if proof is not None}

    def point(self, i: int, j: int) -> Point:
        """Return the operating point at input corner i and load corner j."""
        spec = self.spec
        kinds, secondary = tuple(load_kind(o) for o in spec.output), spec.transformer.secondary
        values, bodies = self.sheet.at(i, j), self.synchronous or self.page.bodies
        return Point(
            values,
            self.synchronous,
            kinds,
            secondary or "",
            self.page.owners,
            self.saturation,
            self.mutuals,
            bodies,
        )

    @cached_property
    def coils(self) -> dict[str, Inductor]:
        """For each inductor that the file tells of, its part."""
        return inductors(self.spec, self.page)

    @cached_property
    def saturation(self) -> dict[str, Curve]:
        """For each inductor whose part says so, the part of its inductance left over current [A]."""
        if self.on_one_core:
            return {}
        found = {n: part.saturation for n, part in self.coils.items() if part.saturation is not None}
        return found | self._magnetising

    @cached_property
    def mutuals(self) -> Pairs:
        """What the leakage of several secondaries shares, by their numbers [H].

        Raises
        ------
        InputError
            If the page has no leakage of those secondaries.
        """
        part = self._transformer
        found: Pairs = {} if part is None or part.mutual_leakage is None else part.mutual_leakage
        for number in sorted({number for pair in found for number in pair}):
            if not self.chooses(f"L_s{number}"):
                raise InputError(
                    f"mutual_leakage of the transformer: the {self.page.name} has no leakage of a secondary {number} here, "
                    "which another could share"
                )
        return found

    def chooses(self, symbol: str) -> bool:
        """Tell whether a symbol is the value of a component."""
        line = self.sheet[symbol].line if symbol in self.sheet else None
        return line is not None and line.component

    @property
    def _transformer(self) -> Transformer | None:
        """The part that its transformer is, if it has one."""
        role = next((r.name for r in self.page.roles if r.kind == "transformer"), "")
        part = part_of(self.spec, role, "transformer") if role else None
        return part if isinstance(part, Transformer) else None

    @property
    def _magnetising(self) -> dict[str, Curve]:
        """For the magnetising inductance of a transformer whose part says so, the part of it left over current [A]."""
        part = self._transformer
        if part is None or part.saturation is None:
            return {}
        return {self.page.magnetising: part.saturation}

    @property
    def on_one_core(self) -> bool:
        """Whether inductors are coupled, whose saturation is not simulated."""
        return any(r.kind == "coupling" and self.sheet[f"k_{r.tag}"].worst != 0.0 for r in self.page.roles)

    @cached_property
    def saturation_currents(self) -> dict[str, float]:
        """For each inductor whose part says so, its saturation current [A], by the symbol of its peak current."""
        tags = {role.name: role.tag for role in self.page.roles}
        known = {tags[name]: part.saturation_current for name, part in self.coils.items()}
        return {f"I_{tag}pk": limit for tag, limit in known.items() if limit is not None}

    def circuit(self, i: int, j: int) -> Circuit:
        """Return the circuit at a corner, gated as derived."""
        return self.page.at(self.point(i, j))

    def mode(self, i: int, j: int) -> str:
        """Return the conduction mode derived for a corner, the boundary told apart."""
        if self.page.naming is None:
            load, boundary = self.sheet["I_o"].corner(i, j), self.sheet["I_B"].corner(i, j)
            if abs(load - boundary) <= NEAR_BOUNDARY * boundary:
                return BOUNDARY
        return str(self.sheet.modes[i, j])

    @property
    def conductions(self) -> list[str]:
        """Return the conduction modes of all corners."""
        return [str(mode) for mode in self.sheet.modes.flat]

    def components(self) -> dict[str, float]:
        """Return the component values in use, derived or chosen."""
        return {v.symbol: v.worst for v in self.sheet if v.line is not None and v.line.component}

    def at(self, v_in: float | None = None, i_o: float | None = None) -> Design:
        """Return the same converter at one operating point (default: nominal input, full load)."""
        voltage = self.spec.voltage
        nominal = voltage.max if voltage.nominal is None else voltage.nominal
        point = (nominal if v_in is None else v_in, max(self.loads) if i_o is None else i_o)
        return self.grid((point[0],), (point[1],))

    def grid(self, inputs: tuple[float, ...], loads: tuple[float, ...], spec: Spec | None = None) -> Design:
        """Return the same components over other input voltages and loads, or under another `spec`.

        Components that the other spec chooses are taken from there.
        """
        spec = spec or self.spec
        return _derive(
            spec, self.page, inputs, loads, self.components() | chosen_values(spec, self.page, self.sheet)
        )

    def sized(
        self,
        values: Mapping[str, float],
        inputs: tuple[float, ...],
        loads: tuple[float, ...],
        spec: Spec | None = None,
    ) -> Design:
        """Return the converter with these component values, over some input voltages and loads.

        What is neither among the values nor given by the file is derived anew.
        """
        spec = spec or self.spec
        given = chosen_values(spec, self.page, self.sheet)
        return _derive(spec, self.page, inputs, loads, given | dict(values))

    @cached_property
    def valves(self) -> tuple[Switch | Diode, ...]:
        """Switches and rectifiers of the circuit."""
        elements = self.circuit(0, 0).elements
        return tuple(e for e in elements if isinstance(e, Switch | Diode) and e.name != "load")

    def stands_for(self, device: str) -> str:
        """Return the device whose symbols a device shares: itself, or the one that stands for all made alike."""
        found = self.page.owners.get(device, device)
        if f"V_{found}" not in self.sheet:
            raise InputError(f"{device}: nothing is derived for it, so that it has no figures to go by")
        return found

    def spike(self, tag: str) -> float:
        """Return the factor by which leakage may raise what a device blocks, where the page allows for it."""
        return 1.0 + self.spec.margin.spike if f"V_{tag}s" in self.sheet else 1.0

    def corner_name(self, at: tuple[int, int]) -> str:
        """Return a corner as text."""
        i, j = min(at[0], len(self.inputs) - 1), min(at[1], len(self.loads) - 1)
        return f"{show(self.inputs[i], 'V')}, {show(self.loads[j], 'A')}"


def derive(spec: Spec) -> Design:
    """Derive a converter from what is asked.

    Raises
    ------
    InputError
        If the topology, a chosen value or a part is not known to the page, or no value fulfils what is asked.
    """
    page = find_page(spec.topology)
    page = page if page.varied is None else page.varied(spec)
    require_mode(spec)
    require_load(spec, page)
    spec, line = line_side(spec)
    require_outputs(spec, page)
    inputs, loads = spec.voltage.corners(), spec.output[0].current.corners()
    chosen = chosen_values(spec, page)
    design = _within_limit(spec, page, inputs, loads, chosen)
    biased = chosen_values(spec, page, design.sheet)
    if biased != chosen:
        design = _within_limit(spec, page, inputs, loads, biased)
    _require_possible(design)
    _require_bounds(design)
    names = [e.name for e in design.valves] if spec.damping else []
    for device in spec.damping:
        if device not in names:
            raise InputError(f"damping.{device}: no such switch or rectifier; {nearest(device, names)}")
    return replace(design, line=line)


def _within_limit(
    spec: Spec, page: Page, inputs: tuple[float, ...], loads: tuple[float, ...], chosen: dict[str, float]
) -> Design:
    """Derive with the turns ratio lowered until the duty ratio stays below its limit with all drops and losses of duty.

    What no turns ratio mends is returned, or raised, as it is without.
    """
    if not page.turns or not page.duty_limit or "n" in chosen:
        return _derive(spec, page, inputs, loads, chosen)
    first: Derivation | InputError | None = None
    kept, ratio = 1.0, math.nan
    for _ in range(ATTEMPTS):
        found: Derivation | InputError
        try:
            found = Derivation(spec, page, inputs, loads, chosen, kept)
            sheet = found.up_to(page.control.symbol)
            highest = float(sheet[page.control.symbol].values.max())
            leaking = "L_kT" in sheet and sheet["L_kT"].worst > 0.0
            reserve = page.duty_reserve if leaking or first is not None else 0.0
            limit = sheet["D_lim"].worst * (1.0 - reserve)
            if highest <= limit * (1.0 + NEAR_LIMIT):
                return Design(found.spec, page, found.up_to(), inputs, loads)
            same = sheet["n"].worst == ratio  # turns are whole: the next ratio is further away
            step = math.nan if same or highest <= 0.0 else limit / highest
            ratio = sheet["n"].worst
        except InputError as error:
            found, step = error, math.nan
        first = found if first is None else first
        kept *= min(max(step, LEAST_STEP), 1.0 - NEAR_LIMIT) if math.isfinite(step) else LEAST_STEP
    assert first is not None
    if isinstance(first, InputError):
        raise first
    return Design(first.spec, page, first.up_to(), inputs, loads)


def _derive(
    spec: Spec, page: Page, inputs: tuple[float, ...], loads: tuple[float, ...], chosen: dict[str, float]
) -> Design:
    found = Derivation(spec, page, inputs, loads, chosen)
    return Design(found.spec, page, found.up_to(), inputs, loads)


def _require_bounds(design: Design) -> None:
    """Refuse a design that breaks a condition of its circuit at some corner."""
    broken = beyond_bounds(design.sheet, design.page)
    if broken:
        raise InputError(broken)


def _require_possible(design: Design) -> None:
    """Refuse a design whose control variable lies outside its range at some corner."""
    if not design.page.control.sure:
        return
    duty = np.broadcast_to(design.sheet[design.page.control.symbol].values, design.shape)
    idle = np.isnan(duty) & (np.array(design.loads)[None, :] == 0.0) & design.synchronous
    bad = ~((duty >= design.page.control.lowest) & (duty <= design.page.control.highest)) & ~idle
    if np.any(bad):
        i, j = (int(k) for k in np.argwhere(np.broadcast_to(bad, design.shape))[0])
        lost = beyond_peak(design.sheet)
        if lost:
            raise InputError(lost)
        raise InputError(
            f"{design.page.name}: {show(design.sheet['V_o'].worst, 'V')} cannot be reached from "
            f"{design.corner_name((i, j))}: this topology reaches {design.page.conversion}{_room(design)}"
        )


def _room(design: Design) -> str:
    """Return what moves the range that a transformer sets."""
    if "D_lim" not in design.sheet:
        return ""
    limit = show(design.sheet["D_lim"].worst)
    return f"; another turns ratio, which switching.duty_limit sets ({limit} here), moves that"
