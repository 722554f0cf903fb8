"""From what is asked to every value of a converter: the page's lines evaluated over all corners."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Diode, Switch
from jump_lane.derivation import BOUNDARY, CONTINUOUS, DISCONTINUOUS, REVERSED, Line, Sheet
from jump_lane.errors import InputError, nearest
from jump_lane.formula import formula
from jump_lane.quantities import DIMENSIONS, Dimension, parse, show
from jump_lane.spec import Output, Spec
from jump_lane.topologies import page as find_page
from jump_lane.topologies.blocks import ASKED, DEFINITION
from jump_lane.topologies.blocks.line_input import line_side
from jump_lane.topologies.page import Ask, ByTarget, Cases, Entry, Page, Point, Proof, Role

NEAR_BOUNDARY = 0.01
"""A load within this part of the boundary load counts as being at the boundary."""


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

    @cached_property
    def synchronous(self) -> bool:
        """Whether rectifiers are switches."""
        return self.spec.switching.rectifier == "synchronous"

    @property
    def inductors(self) -> tuple[str, ...]:
        """Names of the inductors."""
        return tuple(role.element or role.name for role in self.page.roles if role.kind in COILS)

    @property
    def asks(self) -> tuple[Ask, ...]:
        """What is asked, less the ripple currents that follow from a conduction mode asked for."""
        found = (a for a in self.page.asks if a.symbol in self.sheet)
        free = self.spec.switching.mode in ("continuous", "either")
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
        secondary = self.spec.transformer.secondary
        return Point(self.sheet.at(i, j), self.synchronous, load_kind(self.spec.output[0]), secondary)

    def circuit(self, i: int, j: int) -> Circuit:
        """Return the circuit at a corner, gated as derived."""
        return self.page.at(self.point(i, j))

    def mode(self, i: int, j: int) -> str:
        """Return the conduction mode derived for a corner, the boundary told apart."""
        ratio = self.sheet["I_o"].corner(i, j) / self.sheet["I_B"].corner(i, j)
        if abs(ratio - 1.0) <= NEAR_BOUNDARY:
            return BOUNDARY
        return str(self.sheet.modes[i, j])

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
        return _derive(spec, self.page, inputs, loads, self.components() | _chosen(spec, self.page))

    @cached_property
    def valves(self) -> tuple[Switch | Diode, ...]:
        """Switches and rectifiers of the circuit."""
        elements = self.circuit(0, 0).elements
        return tuple(e for e in elements if isinstance(e, Switch | Diode) and e.name != "load")

    def stands_for(self, device: str) -> str:
        """Return the device whose symbols a device shares: itself, or the one that stands for all made alike."""
        if f"V_{device}" in self.sheet:
            return device
        return "S1" if device.startswith("S") else "D1"

    def caveats(self) -> tuple[str, ...]:
        """Return what the derivation leaves out."""
        return tuple(text for symbol, text in self.page.caveats.items() if self.sheet[symbol].worst != 0.0)

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
    spec, line = line_side(spec)
    if len(spec.output) > page.outputs:
        most = "one" if page.outputs == 1 else f"at most {page.outputs}"
        raise InputError(f"output: read {len(spec.output)} outputs, but the {page.name} has {most}")
    given = spec.output[0].voltage
    if given is not None and (given < 0.0) != page.inverting:
        sign = "negative" if page.inverting else "positive"
        raise InputError(f"output.voltage: {show(given, 'V')}, but the output of the {page.name} is {sign}")
    inputs, loads = spec.voltage.corners(), spec.output[0].current.corners()
    design = _derive(spec, page, inputs, loads, _chosen(spec, page))
    _require_possible(design)
    _require_bounds(design)
    return replace(design, line=line)


def _derive(
    spec: Spec, page: Page, inputs: tuple[float, ...], loads: tuple[float, ...], chosen: dict[str, float]
) -> Design:
    sheet = Sheet((len(inputs), len(loads)))
    _give_asked(sheet, spec, spec.output[0], inputs, loads)
    _give_transformer(sheet, spec, page)
    _give_parts(sheet, spec, page)
    for entry in page.sizing:
        _give_ripples(sheet, spec, page)
        _enter(sheet, entry, spec, chosen)
    below = sheet["I_o"].values < sheet["I_B"].values
    reversible = spec.switching.rectifier == "synchronous" or page.reversible
    light = REVERSED if reversible else DISCONTINUOUS
    sheet.modes = np.broadcast_to(np.where(below, light, CONTINUOUS), sheet.shape).copy()
    for entry in page.operation:
        _enter(sheet, entry, spec, chosen)
    return Design(spec, page, sheet, inputs, loads)


def _give_asked(
    sheet: Sheet, spec: Spec, output: Output, inputs: tuple[float, ...], loads: tuple[float, ...]
) -> None:
    s, m = spec.switching, spec.margin
    sheet.give("V_in", np.array(inputs)[:, None], "V", "input voltage")
    voltages = output.voltages_at(loads)
    sheet.give("V_o", np.abs(np.array(voltages))[None, :], "V", "output voltage")
    sheet.give("I_o", np.array(loads)[None, :], "A", "load current")
    sheet.give("I_max", output.current.max, "A", "load current at full load")
    sheet.give("f_s", s.frequency, "Hz", "switching frequency")
    dead_time = s.dead_time if s.rectifier == "synchronous" else 0.0
    sheet.give("t_d", dead_time, "s", "dead time", "file" if dead_time else "default")
    sheet.give(
        "dV_ask", output.voltage_ripple.of(min(np.abs(voltages))), "V", "output ripple asked, peak to peak"
    )
    given = "file" if "voltage_ripple" in spec.input.model_fields_set else "default"
    lowest = spec.voltage.min
    sheet.give(
        "dV_iask", spec.input.voltage_ripple.of(lowest), "V", "input ripple asked, peak to peak", given
    )
    for symbol, value, name, meaning in (
        ("m_L", m.inductance, "inductance", "margin on inductance"),
        ("m_C", m.capacitance, "capacitance", "margin on capacitance"),
        ("m_V", m.voltage, "voltage", "margin on voltage ratings"),
        ("m_I", m.current, "current", "margin on current ratings"),
        ("a_ESR", m.esr_share, "esr_share", "part of the ripple left to ESR"),
    ):
        sheet.give(symbol, value, "", meaning, "file" if name in m.model_fields_set else "default")
    given = "file" if "phases" in s.model_fields_set else "default"
    sheet.give("N", s.phases, "", "number of phases, where there are several", given)
    given = "file" if "coupling_ripple" in s.model_fields_set else "default"
    sheet.give("r_C", s.coupling_ripple, "", "ripple of a coupling capacitor, part of its voltage", given)
    sheet.derive(Line("T_s", "1/f_s", "s", "switching period", DEFINITION))
    sheet.derive(Line("R_o", "V_o/I_o", "Ω", "load resistance", DEFINITION, "min"))
    sheet.derive(_load_conductance(sheet, output))
    sheet.derive(Line("P_o", "V_o*I_o", "W", "output power", DEFINITION))


def _give_transformer(sheet: Sheet, spec: Spec, page: Page) -> None:
    if not page.isolated:
        return
    t, limit = spec.transformer, spec.switching.duty_limit
    for k, output in enumerate(spec.output[1:], start=2):
        voltage, load = abs(output.voltages_at((output.current.max,))[0]), output.current.max
        sheet.give(f"V_o{k}", voltage, "V", f"voltage wanted of output {k}")
        sheet.give(f"I_o{k}", load, "A", f"load current of output {k}")
        sheet.give(
            f"dV_ask{k}", output.voltage_ripple.of(voltage), "V", f"ripple asked of output {k}, peak to peak"
        )
    given = "default" if limit is None else "file"
    sheet.give("D_lim", limit or page.duty_limit, "", "largest duty ratio wanted", given)
    for symbol, value, name, meaning in (
        ("N_p", float(t.primary_turns or 0), "primary_turns", "primary turns; 0 for any"),
        ("r_m", t.magnetising_ripple, "magnetising_ripple", "magnetising ripple, part of the load current"),
        ("k_z", t.soft_load, "soft_load", "load for soft switching, part of full load"),
        ("k_cl", t.clamp_voltage, "clamp_voltage", "clamp voltage over reflected output voltage"),
    ):
        sheet.give(symbol, value, "", meaning, "file" if name in t.model_fields_set else "default")
    given = "file" if "spike" in spec.margin.model_fields_set else "default"
    sheet.give("m_sp", spec.margin.spike, "", "allowance for leakage spikes", given)


def load_kind(output: Output) -> str:
    """Return what the load is: resistance, current, power or leds."""
    return "leds" if output.leds is not None else output.load


def _load_conductance(sheet: Sheet, output: Output) -> Line:
    """Return the line for the conductance that a ripple of the output voltage sees in the load."""
    if output.leds is not None:
        resistance = output.leds.count * output.leds.resistance
        sheet.give("R_led", resistance, "Ω", "dynamic resistance of the string of LEDs")
    text = {"leds": "1/R_led", "current": "0*I_o/V_o", "power": "-I_o/V_o", "resistance": "I_o/V_o"}
    return Line("g_o", text[load_kind(output)], "S", "conductance of the load for ripple", DEFINITION)


def _give_ripples(sheet: Sheet, spec: Spec, page: Page) -> None:
    """Enter the asked ripples whose reference is known by now."""
    ripple = spec.switching.current_ripple
    if ripple.relative and "r_I" not in sheet:
        sheet.give("r_I", ripple.value, "", "current ripple asked, part of the average at full load")
    for symbol, base in page.ripples:
        meaning = "inductor ripple asked, peak to peak"
        if symbol in sheet or not all(name in sheet for name in formula(base).names):
            continue
        if ripple.relative:
            sheet.derive(Line(symbol, f"r_I*({base})", "A", meaning, ASKED, "min"))
        else:
            sheet.give(symbol, ripple.value, "A", meaning)


def _give_parts(sheet: Sheet, spec: Spec, page: Page) -> None:
    roles = {role.name: role for role in page.roles}
    for name in spec.parts:
        if name not in roles:
            raise InputError(f"parts.{name}: no such component in the {page.name}; {nearest(name, roles)}")
    for role in page.roles:
        data = spec.parts.get(role.name, {})
        known = {d.key: d for d in role.data}
        for key in data:
            if key not in known:
                raise InputError(f"parts.{role.name}.{key}: unknown key; {nearest(key, known)}")
        for key, datum in known.items():
            value, origin = datum.default, "default"
            if key in data:
                value, origin = _read(data[key], datum.unit, f"parts.{role.name}.{key}"), "file"
            sheet.give(datum.symbol, _as_used(value, key, role, spec), datum.unit, datum.meaning, origin)


def _as_used(value: float, key: str, role: Role, spec: Spec) -> float:
    """Drop the data that do not act: a forward voltage of a switch, body diodes where rectifiers are diodes."""
    synchronous = spec.switching.rectifier == "synchronous"
    if role.kind == "rectifier" and key == "forward_voltage" and synchronous:
        return 0.0
    return 0.0 if key.startswith("body") and not synchronous else value


def _chosen(spec: Spec, page: Page) -> dict[str, float]:
    units = {line.symbol: line.unit for line in page.lines() if line.component}
    out = {}
    for symbol, text in spec.chosen.items():
        if symbol not in units:
            raise InputError(f"chosen.{symbol}: not a component of the {page.name}; {nearest(symbol, units)}")
        out[symbol] = _read(text, units[symbol], f"chosen.{symbol}")
        if out[symbol] <= 0.0:
            raise InputError(f"chosen.{symbol}: {text} where a positive value was expected")
    return out


def _read(text: str | float, unit: str, key: str) -> float:
    try:
        return parse(text, _dimension(unit))
    except InputError as error:
        raise InputError(f"{key}: {error}") from None


def _dimension(unit: str) -> Dimension:
    return next(d for d in DIMENSIONS if d.unit == unit)


def _enter(sheet: Sheet, entry: Entry, spec: Spec, chosen: dict[str, float]) -> None:
    if isinstance(entry, Cases):
        for line in entry.lines[entry.of(spec, sheet)]:
            _enter(sheet, line, spec, chosen)
        return
    if isinstance(entry, ByTarget):
        target = spec.switching.mode
        if target == "continuous" and spec.switching.rectifier == "synchronous":
            target = "either"
        entry = entry.lines[target]
    value = sheet.derive(entry)
    if not entry.component:
        return
    if entry.symbol in chosen:
        sheet.choose(entry.symbol, chosen[entry.symbol])
    elif not (np.isfinite(value.worst) and value.worst > 0.0):
        reason = (
            _beyond_peak(sheet)
            or _out_of_range(sheet, spec)
            or f"{entry.symbol}: no value fulfils what is asked ({_why(sheet, entry)})"
        )
        raise InputError(reason)


def _beyond_peak(sheet: Sheet) -> str:
    """Return why losses keep the output out of reach at some corner, or nothing if they do not."""
    if "M_pk" not in sheet or "D_c" not in sheet:
        return ""
    lost = np.isnan(np.broadcast_to(sheet["D_c"].values, sheet.shape))
    if not lost.any():
        return ""
    i, j = (int(k) for k in np.argwhere(lost)[0])
    return (
        f"{show(sheet['V_o'].corner(i, j), 'V')} cannot be reached from {show(sheet['V_in'].corner(i, j), 'V')} at "
        f"{show(sheet['I_o'].corner(i, j), 'A')}: with these resistances the conversion ratio does not exceed "
        f"{show(sheet['M_pk'].corner(i, j))}, and {show(sheet['M'].corner(i, j))} is asked"
    )


def _out_of_range(sheet: Sheet, spec: Spec) -> str:
    """Return where the duty ratio in continuous conduction lies outside its range, or nothing if it does not."""
    if "D_c" not in sheet:
        return ""
    page, duty = find_page(spec.topology), np.broadcast_to(sheet["D_c"].values, sheet.shape)
    bad = np.argwhere(~((duty >= 0.0) & (duty <= max(page.highest, 1.0))))
    if not len(bad):
        return ""
    i, j = (int(k) for k in bad[0])
    return (
        f"{page.name}: {show(sheet['V_o'].corner(i, j), 'V')} cannot be reached from "
        f"{show(sheet['V_in'].corner(i, j), 'V')}: the duty ratio would be {show(float(duty[i, j]))}; "
        f"this topology reaches {page.conversion}"
    )


def _why(sheet: Sheet, line: Line) -> str:
    parts = []
    for name in line.formula(CONTINUOUS).names:
        value = sheet[name]
        extreme = value.values.flat[np.argmin(value.values)] if np.any(value.values <= 0.0) else value.worst
        parts.append(f"{name} = {show(float(extreme), value.unit)}")
    return f"{line.text}: " + ", ".join(parts) if isinstance(line.text, str) else ", ".join(parts)


def _require_bounds(design: Design) -> None:
    """Refuse a design that breaks a condition of its circuit at some corner."""
    for bound in design.page.bounds:
        if bound.symbol not in design.sheet:
            continue
        value, limit = design.sheet[bound.symbol], design.sheet[bound.limit]
        broken = np.broadcast_to(value.values > limit.values * (1.0 + 1e-9), design.shape)
        if broken.any():
            i, j = (int(k) for k in np.argwhere(broken)[0])
            raise InputError(
                f"{design.page.name}: {value.meaning} would be {show(value.corner(i, j), value.unit)} at "
                f"{design.corner_name((i, j))}, at most {show(limit.corner(i, j), limit.unit)} is possible: "
                f"{bound.otherwise}"
            )


def _require_possible(design: Design) -> None:
    """Refuse a design whose control variable lies outside its range at some corner."""
    duty = design.sheet[design.page.control].values
    bad = ~((duty >= 0.0) & (duty <= design.page.highest))
    if np.any(bad):
        i, j = (int(k) for k in np.argwhere(np.broadcast_to(bad, design.shape))[0])
        value = design.sheet[design.page.control].corner(i, j)
        lost = _beyond_peak(design.sheet)
        if lost:
            raise InputError(lost)
        raise InputError(
            f"{design.page.name}: {show(design.sheet['V_o'].worst, 'V')} cannot be reached from "
            f"{design.corner_name((i, j))}: the duty ratio would be {show(value)}; "
            f"this topology reaches {design.page.conversion}"
        )
