"""From what is asked to every value of a converter: the page's lines evaluated over all corners."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jump_lane.catalogue.curve import Curve
from jump_lane.catalogue.kinds import Inductor, Transformer
from jump_lane.catalogue.mutual import Pairs
from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Diode, Switch
from jump_lane.equations.sheet import BOUNDARY, CONTINUOUS, DISCONTINUOUS, NEAR, REVERSED, Sheet
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import show
from jump_lane.spec import Spec
from jump_lane.topologies import page as find_page
from jump_lane.topologies.asked import (
    chosen_values,
    give_asked,
    give_parts,
    give_ripples,
    give_transformer,
    inductors,
    load_kind,
    require_outputs,
    with_secondary,
)
from jump_lane.topologies.blocks.line_input import line_side
from jump_lane.topologies.controlled import give_angles, give_tank
from jump_lane.topologies.named import part_of
from jump_lane.topologies.page import Ask, ByTarget, Cases, Entry, Page, Proof
from jump_lane.topologies.point import Point
from jump_lane.topologies.refusals import (
    beyond_control,
    beyond_peak,
    out_of_range,
    require_bounds,
    require_load,
    require_mode,
    require_possible,
    too_much_esr,
    written_out,
)

NEAR_BOUNDARY = 0.01
"""A load within this part of the boundary load counts as being at the boundary."""


ATTEMPTS = 24
"""How often a turns ratio is lowered until the duty ratio stays below its limit."""

NEAR_LIMIT, LEAST_STEP = 1e-3, 0.93
"""A duty ratio within this part of its limit keeps it; the largest step in which a turns ratio is lowered."""

SATURATING = "inductances are derived as at no current; the simulation follows their saturation curves"
ONE_CORE = "the saturation curves of windings on one core are not simulated"
BIPOLAR = "the on-state voltage of bipolar switches is simulated, not derived"

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
        """Names of the inductors."""
        return tuple(role.element or role.name for role in self.page.roles if role.kind in COILS)

    @property
    def asks(self) -> tuple[Ask, ...]:
        """What is asked, less the ripple currents that follow from a conduction mode asked for."""
        found = (a for a in self.page.asks if a.symbol in self.sheet)
        switching = self.spec.switching
        free = switching.mode in ("continuous", "either") and switching.current_ripple is not None
        return tuple(a for a in found if free or self.sheet[a.symbol].unit != "A")

    @property
    def proofs(self) -> tuple[Proof, ...]:
        """Return the proofs of what is derived in this case."""
        known = (p for p in self.page.proofs if p.symbol in self.sheet)
        return tuple(p for p in known if not p.needs or self.sheet[p.needs].worst != 0.0)

    def tolerance(self, proof: Proof) -> float:
        """Return how far a simulated value may lie from the derived one [1]."""
        page = self.page
        return max(proof.tolerance, *(t for s, t in page.looser.items() if self.sheet[s].worst), 0.0)

    def point(self, i: int, j: int) -> Point:
        """Return the operating point at input corner i and load corner j."""
        spec = self.spec
        kinds, secondary = tuple(load_kind(o) for o in spec.output), spec.transformer.secondary
        values, bodies = self.sheet.at(i, j), self.synchronous or self.page.bodies
        return Point(values, self.synchronous, kinds, secondary or "", self.page.owners, self.saturation, self.mutuals, bodies)

    @cached_property
    def _inductors(self) -> dict[str, Inductor]:
        return inductors(self.spec, self.page)

    @cached_property
    def saturation(self) -> dict[str, Curve]:
        """For each inductor whose part says so, the part of its inductance left over current [A]."""
        if self._one_core:
            return {}
        found = {n: part.saturation for n, part in self._inductors.items() if part.saturation is not None}
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
    def _one_core(self) -> bool:
        """Whether inductors are coupled, whose saturation is not simulated."""
        return any(r.kind == "coupling" and self.sheet[f"k_{r.tag}"].worst != 0.0 for r in self.page.roles)

    @cached_property
    def saturation_currents(self) -> dict[str, float]:
        """For each inductor whose part says so, its saturation current [A], by the symbol of its peak current."""
        tags = {role.name: role.tag for role in self.page.roles}
        known = {tags[name]: part.saturation_current for name, part in self._inductors.items()}
        return {f"I_{tag}pk": limit for tag, limit in known.items() if limit is not None}

    def circuit(self, i: int, j: int) -> Circuit:
        """Return the circuit at a corner, gated as derived."""
        return self.page.at(self.point(i, j))

    def mode(self, i: int, j: int) -> str:
        """Return the conduction mode derived for a corner, the boundary told apart."""
        if self.page.naming is not None:
            return str(self.sheet.modes[i, j])
        load, boundary = self.sheet["I_o"].corner(i, j), self.sheet["I_B"].corner(i, j)
        if self.page.floor in self.sheet:
            least, most = (self.sheet[s].corner(i, j) for s in (self.page.floor, "I_pk"))
            return BOUNDARY if abs(least) <= NEAR * most else self.conduction(i, j)
        if abs(load - boundary) <= NEAR_BOUNDARY * boundary:
            return BOUNDARY
        return self.conduction(i, j)

    def conduction(self, i: int, j: int) -> str:
        """Return the conduction mode of a corner as the inductor shows it.

        What tells the formulas apart is whether the load is below the boundary; a core may hold the inductor current up
        even then.
        """
        found = str(self.sheet.modes[i, j])
        floor = self.page.floor
        if floor not in self.sheet or self.sheet[floor].corner(i, j) <= 0.0:
            return found
        return CONTINUOUS

    @property
    def conductions(self) -> list[str]:
        """Return the conduction modes of all corners."""
        return [self.conduction(i, j) for i, j in np.ndindex(self.shape)]

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
        return _derive(spec, self.page, inputs, loads, self.components() | chosen_values(spec, self.page, self.sheet))

    def sized(self, values: Mapping[str, float], inputs: tuple[float, ...], loads: tuple[float, ...], spec: Spec | None = None) -> Design:
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

    def caveats(self) -> tuple[str, ...]:
        """Return what the derivation leaves out."""
        said = self.page.caveats.items()
        known = tuple(text for s, text in said if s in self.sheet and self.sheet[s].worst != 0.0)
        if any(f"V_T{role.tag}" in self.sheet and self.sheet[f"V_T{role.tag}"].worst for role in self.page.roles):
            known = (*known, BIPOLAR)
        if self._one_core and any(p.saturation for p in self._inductors.values()):
            known = (*known, ONE_CORE)
        return (*known, SATURATING) if self.saturation else known

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
    require_possible(design)
    require_bounds(design)
    names = [e.name for e in design.valves] if spec.damping else []
    for device in spec.damping:
        if device not in names:
            raise InputError(f"damping.{device}: no such switch or rectifier; {nearest(device, names)}")
    return replace(design, line=line)


def _within_limit(spec: Spec, page: Page, inputs: tuple[float, ...], loads: tuple[float, ...], chosen: dict[str, float]) -> Design:
    """Derive with the turns ratio lowered until the duty ratio stays below its limit with all drops and losses of duty.

    What no turns ratio mends is returned, or raised, as it is without.
    """
    if not page.turns or not page.duty_limit or "n" in chosen:
        return _derive(spec, page, inputs, loads, chosen)
    first: Design | InputError | None = None
    kept, ratio = 1.0, math.nan
    for _ in range(ATTEMPTS):
        found: Design | InputError
        try:
            found = _derive(spec, page, inputs, loads, chosen, kept)
            highest = float(found.sheet[page.control.symbol].values.max())
            limit = found.sheet["D_lim"].worst * (1.0 - page.duty_reserve)
            if highest <= limit * (1.0 + NEAR_LIMIT):
                return found
            same = found.sheet["n"].worst == ratio  # turns are whole: the next ratio is further away
            step = math.nan if same or highest <= 0.0 else limit / highest
            ratio = found.sheet["n"].worst
        except InputError as error:
            found, step = error, math.nan
        first = found if first is None else first
        kept *= min(max(step, LEAST_STEP), 1.0 - NEAR_LIMIT) if math.isfinite(step) else LEAST_STEP
    assert first is not None
    if isinstance(first, InputError):
        raise first
    return first


def _derive(
    spec: Spec, page: Page, inputs: tuple[float, ...], loads: tuple[float, ...], chosen: dict[str, float], kept: float = 1.0
) -> Design:
    spec = with_secondary(spec, page)
    sheet = Sheet((len(inputs), len(loads)))
    give_asked(sheet, spec, page, inputs, loads)
    give_transformer(sheet, spec, page, kept)
    give_tank(sheet, spec, page)
    give_angles(sheet, spec, page)
    give_parts(sheet, spec, page)
    for entry in page.sizing:
        give_ripples(sheet, spec, page)
        _enter(sheet, entry, spec, chosen)
    sheet.modes = np.broadcast_to(_modes(sheet, spec, page), sheet.shape).copy()
    for entry in page.operation:
        _enter(sheet, entry, spec, chosen)
    return Design(spec, page, sheet, inputs, loads)


def _modes(sheet: Sheet, spec: Spec, page: Page) -> NDArray[np.str_]:
    """Return the mode of every corner from what the sizing lines gave."""
    if page.naming is not None:
        return page.naming.derived(sheet)
    below = sheet["I_o"].values < sheet["I_B"].values
    reversible = spec.switching.rectifier == "synchronous" or page.reversible
    return np.where(below, REVERSED if reversible else DISCONTINUOUS, CONTINUOUS)


def _enter(sheet: Sheet, entry: Entry, spec: Spec, chosen: dict[str, float]) -> None:
    if isinstance(entry, Cases):
        for line in entry.lines[entry.of(spec, sheet)]:
            _enter(sheet, line, spec, chosen)
        return
    if isinstance(entry, ByTarget):
        target = spec.switching.mode
        ripple = spec.switching.current_ripple
        if target == "continuous" and spec.switching.rectifier == "synchronous" and ripple is not None:
            target = "either"
        entry = entry.lines[target]
    value = sheet.derive(entry)
    if not entry.component:
        return
    if entry.symbol in chosen:
        named = spec.data(entry.symbol).get("part") if entry.symbol not in spec.chosen else None
        sheet.choose(entry.symbol, chosen[entry.symbol], str(named or "chosen"))
    elif not (np.isfinite(value.worst) and value.worst > 0.0):
        reason = (
            beyond_peak(sheet)
            or out_of_range(sheet, spec)
            or beyond_control(sheet, spec)
            or too_much_esr(sheet)
            or f"{entry.symbol}: no value fulfils what is asked ({written_out(sheet, entry)})"
        )
        raise InputError(reason)
