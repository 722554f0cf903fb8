"""What the file asks and gives, put into the sheet before anything is derived."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from jump_lane.catalogue.kinds import Inductor
from jump_lane.design.named import KEYS, count, figures, keys_of, part_of, value_of
from jump_lane.equations.formula import formula
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError, nearest
from jump_lane.quantities import dimension_with, parse, show
from jump_lane.quantities.fields import Limit
from jump_lane.spec import Output, Spec
from jump_lane.topologies import page as find_page
from jump_lane.topologies.blocks.sources import ASKED, DEFINITION
from jump_lane.topologies.page import Page
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import load_kind

AT_BOUNDARY = Limit(value=2.0, relative=True)
"""The ripple at the boundary of continuous conduction, where the file asks for none: twice the average."""


def give_asked(
    sheet: Sheet, spec: Spec, page: Page, inputs: tuple[float, ...], loads: tuple[float, ...]
) -> None:
    """Enter what is asked: voltages, currents, ripples, margins, and what follows from them at once."""
    s, m, output = spec.switching, spec.margin, spec.output[0]
    sheet.give("V_in", np.array(inputs)[:, None], "V", "input voltage", key="input.voltage")
    voltages = output.voltages_at(loads)
    sheet.give("V_o", np.abs(np.array(voltages))[None, :], "V", "output voltage", key="output.voltage")
    sheet.give("I_o", np.array(loads)[None, :], "A", "load current", key="output.current")
    full = max(abs(output.current.min), abs(output.current.max))
    sheet.give("I_max", full, "A", "load current at full load", key="output.current.max")
    what = "switching frequency" if page.span is None else "series resonance asked"
    sheet.give(page.clock, s.frequency, "Hz", what, key="switching.frequency")
    dead_time = s.dead_time if s.rectifier == "synchronous" or page.bodies else 0.0
    sheet.give("t_d", dead_time, "s", "dead time", "file" if dead_time else "default", "switching.dead_time")
    sheet.give(
        "dV_ask",
        output.voltage_ripple.of(min(np.abs(voltages))),
        "V",
        "output ripple asked, peak to peak",
        key="output.voltage_ripple",
    )
    given = "file" if "voltage_ripple" in spec.input.model_fields_set else "default"
    lowest = spec.voltage.min
    sheet.give(
        "dV_iask",
        spec.input.voltage_ripple.of(lowest),
        "V",
        "input ripple asked, peak to peak",
        given,
        "input.voltage_ripple",
    )
    for symbol, value, name, meaning in (
        ("m_L", m.inductance, "inductance", "margin on inductance"),
        ("m_C", m.capacitance, "capacitance", "margin on capacitance"),
        ("m_V", m.voltage, "voltage", "margin on voltage ratings"),
        ("m_I", m.current, "current", "margin on current ratings"),
        ("a_ESR", m.esr_share, "esr_share", "part of the ripple left to ESR"),
    ):
        sheet.give(
            symbol, value, "", meaning, "file" if name in m.model_fields_set else "default", f"margin.{name}"
        )
    given = "file" if "phases" in s.model_fields_set else "default"
    sheet.give("N", s.phases, "", "number of phases, where there are several", given, "switching.phases")
    given = "file" if "coupling_ripple" in s.model_fields_set else "default"
    sheet.give(
        "r_C",
        s.coupling_ripple,
        "",
        "ripple of a coupling capacitor, part of its voltage",
        given,
        "switching.coupling_ripple",
    )
    if page.span is None:
        sheet.derive(Line("T_s", f"1/{page.clock}", "s", "switching period", DEFINITION))
    sheet.derive(Line("R_o", "V_o/I_o", "Ω", "load resistance", DEFINITION, "min"))
    sheet.derive(_load_conductance(sheet, output))
    for k, following in enumerate(spec.output[1:], start=2):
        _give_following(sheet, following, k)
    power = " + ".join(["V_o*I_o", *(f"V_o{k}*I_o{k}" for k in range(2, len(spec.output) + 1))])
    sheet.derive(Line("P_o", power, "W", "output power, of all outputs", DEFINITION))


def _give_following(sheet: Sheet, output: Output, k: int) -> None:
    """Enter what is asked of an output that is not regulated."""
    voltage, load = abs(output.voltages_at((output.current.max,))[0]), output.current.max
    sheet.give(f"V_o{k}", voltage, "V", f"voltage wanted of output {k}", key=f"output.{k}.voltage")
    sheet.give(
        f"I_o{k}", load, "A", f"load current of output {k}, at that voltage", key=f"output.{k}.current"
    )
    ripple = output.voltage_ripple.of(voltage)
    sheet.give(
        f"dV_ask{k}",
        ripple,
        "V",
        f"ripple asked of output {k}, peak to peak",
        key=f"output.{k}.voltage_ripple",
    )


def give_transformer(sheet: Sheet, spec: Spec, page: Page, kept: float = 1.0) -> None:
    """Enter what the file says of a transformer, where there is one.

    Parameters
    ----------
    kept
        Part of the turns ratio that resistive drops, leakage and lost duty leave.
    """
    if not page.turns:
        return
    sheet.give("k_n", kept, "", "part of the turns ratio that drops, leakage and lost duty leave", "default")
    t, limit = spec.transformer, spec.switching.duty_limit
    if page.duty_limit:
        given = "default" if limit is None else "file"
        usual = page.duty_limits.get(t.secondary or "", page.duty_limit)
        sheet.give("D_lim", limit or usual, "", "largest duty ratio wanted", given, "switching.duty_limit")
    for symbol, value, name, meaning in (
        ("N_p", float(t.primary_turns or 0), "primary_turns", "primary turns; 0 for any"),
        ("r_m", t.magnetising_ripple, "magnetising_ripple", "magnetising ripple, part of the load current"),
        ("k_z", t.soft_load, "soft_load", "load for soft switching, part of full load"),
        ("k_cl", t.clamp_voltage, "clamp_voltage", "clamp voltage over reflected output voltage"),
    ):
        if page.duty_limit or symbol in page.used:
            sheet.give(
                symbol,
                value,
                "",
                meaning,
                "file" if name in t.model_fields_set else "default",
                f"transformer.{name}",
            )
    given = "file" if "spike" in spec.margin.model_fields_set else "default"
    sheet.give("m_sp", spec.margin.spike, "", "allowance for leakage spikes", given, "margin.spike")


def require_outputs(spec: Spec, page: Page) -> None:
    """Refuse more outputs than there are, a string of LEDs beside the first, and a voltage of the wrong sign."""
    if len(spec.output) > page.outputs:
        most = "one" if page.outputs == 1 else f"at most {page.outputs}"
        raise InputError(f"output: read {len(spec.output)} outputs, but the {page.name} has {most}")
    for k, output in enumerate(spec.output[1:], start=2):
        if output.leds is not None:
            raise InputError(
                f"output {k}: leds, but the current of a string follows its voltage steeply and only the first output is "
                "held; expected the string as the first output, or a load of its own kind"
            )
    given = spec.output[0].voltage
    if given is not None and (given < 0.0) != page.inverting:
        sign = "negative" if page.inverting else "positive"
        raise InputError(
            f"output.voltage: read {show(given, 'V')}, but the output of the {page.name} is {sign}; expected "
            f"{show(-given, 'V')}, or another topology"
        )


def with_secondary(spec: Spec, page: Page) -> Spec:
    """Return what is asked with the usual secondary side of the page where the file names none.

    Raises
    ------
    InputError
        If the page cannot take the one that the file names.
    """
    given = spec.transformer.secondary
    if given is None and page.secondaries:
        transformer = spec.transformer.model_copy(update={"secondary": page.secondaries[0]})
        return spec.model_copy(update={"transformer": transformer})
    if given is not None and given not in page.secondaries:
        possible = "; ".join(page.secondaries) or "none, as its circuit leaves no choice"
        raise InputError(f"transformer.secondary: read {given}; the {page.name} can take: {possible}")
    return spec


def _load_conductance(sheet: Sheet, output: Output) -> Line:
    """Return the line for the conductance that a ripple of the output voltage sees in the load."""
    if output.leds is not None:
        resistance = output.leds.count * output.leds.resistance
        sheet.give(
            "R_led", resistance, "Ω", "dynamic resistance of the string of LEDs", key="output.leds.resistance"
        )
    text = {"leds": "1/R_led", "current": "0", "power": "-I_o/V_o", "resistance": "I_o/V_o"}
    return Line("g_o", text[load_kind(output)], "S", "conductance of the load for ripple", DEFINITION)


def give_ripples(sheet: Sheet, spec: Spec, page: Page) -> bool:
    """Enter the asked ripples whose reference is known by now; tell whether these are all of them."""
    ripple = spec.switching.current_ripple or AT_BOUNDARY
    if ripple.relative and "r_I" not in sheet:
        origin = "file" if spec.switching.current_ripple is not None else "default"
        sheet.give(
            "r_I",
            ripple.value,
            "",
            "current ripple asked, part of the average at full load",
            origin,
            "switching.current_ripple",
        )
    for one in page.ripples:
        asked = spec.switching.current_ripple is not None
        meaning = (
            "inductor ripple asked, peak to peak" if asked else "inductor ripple at the boundary at full load"
        )
        if one.asked in sheet or not all(name in sheet for name in formula(one.average).names):
            continue
        if ripple.relative:
            sheet.derive(Line(one.asked, f"r_I*({one.average})", "A", meaning, ASKED, "min"))
        else:
            sheet.give(one.asked, ripple.value, "A", meaning, key="switching.current_ripple")
    return all(one.asked in sheet for one in page.ripples)


def give_parts(sheet: Sheet, spec: Spec, page: Page) -> None:
    """Enter the figures of the parts in every role: from the file, from a catalogue, or by default."""
    roles = {role.name: role for role in page.roles}
    for name in spec.parts:
        if name not in roles:
            raise InputError(f"parts.{name}: no such component in the {page.name}; {nearest(name, roles)}")
    for role in page.roles:
        given = spec.data(role.name)
        known = {d.key for d in role.data}
        valid = known | keys_of(spec, role.name, role.kind)
        for key in given:
            if key not in valid:
                raise InputError(f"parts.{role.name}.{key}: unknown key; {nearest(key, valid)}")
        part = part_of(spec, role.name, role.kind)
        pieces, at = count(spec, role.name), spec.thermal.junction
        found = figures(part, at, spec.switching.frequency, pieces) if part is not None else {}
        for datum in role.data:
            value, origin = datum.default, "default"
            if datum.key in given and datum.key not in found:
                value, origin = read(given[datum.key], datum.unit, f"parts.{role.name}.{datum.key}"), "file"
            elif datum.key in found:
                value, origin = found[datum.key], "file" if part is None or datum.key in given else part.name
            key = f"parts.{role.name}.{datum.key}"
            if not _acts(datum.key, role, spec, page):
                value, origin, key = 0.0, "default", ""
            sheet.give(datum.symbol, value, datum.unit, datum.meaning, origin, key)


def inductors(spec: Spec, page: Page) -> dict[str, Inductor]:
    """Return what is known of the part of every inductor."""
    parts = {r.name: part_of(spec, r.name, r.kind) for r in page.roles if r.kind == "inductor"}
    return {name: part for name, part in parts.items() if isinstance(part, Inductor)}


def _acts(key: str, role: Role, spec: Spec, page: Page) -> bool:
    """Tell whether a figure acts: not the forward voltage of a switch, nor body diodes where rectifiers are diodes."""
    synchronous = spec.switching.rectifier == "synchronous"
    if role.kind == "rectifier" and key == "forward_voltage" and synchronous:
        return False
    return synchronous or (page.bodies and role.kind == "switch") or not key.startswith("body")


def chosen_values(spec: Spec, page: Page, known: Sheet | None = None) -> dict[str, float]:
    """Return the values of components that the file chooses, or that the parts it names bring along.

    Parameters
    ----------
    known
        What is derived already: where the DC bias of a capacitor is taken from, if there is one.
    """
    units = page.units
    out: dict[str, float] = given_turns(spec, units)
    for role in page.roles:
        part = part_of(spec, role.name, role.kind) if "part" in spec.data(role.name) else None
        if part is None or role.name not in units:
            continue
        value = value_of(part, count(spec, role.name), bias_of(role.name, known))
        out |= {} if value is None else {role.name: value}
    for symbol, text in spec.chosen.items():
        if symbol not in units:
            raise InputError(f"chosen.{symbol}: not a component of the {page.name}; {nearest(symbol, units)}")
        out[symbol] = read(text, units[symbol], f"chosen.{symbol}")
        if out[symbol] <= 0.0:
            raise InputError(f"chosen.{symbol}: {text} where a positive value was expected")
    return out


def unnamed(spec: Spec) -> Spec:
    """Return the spec without the names of inductors and capacitors, whose values are looked for."""
    kinds = {r.name: r.kind for r in find_page(spec.topology).roles}
    parts = {
        name: {k: v for k, v in spec.data(name).items() if k not in KEYS}
        if kinds.get(name) in ("inductor", "capacitor")
        else given
        for name, given in spec.parts.items()
    }
    return spec.model_copy(update={"parts": parts})


def given_turns(spec: Spec, units: Mapping[str, str]) -> dict[str, float]:
    """Return the turns ratios that the file gives, primary over each secondary.

    Raises
    ------
    InputError
        If there is no transformer, another number of secondaries, or something else that sets the ratio.
    """
    turns = spec.transformer.turns_ratio
    if turns is None:
        return {}
    names = ["n", *(f"n_{k}" for k in range(2, len(spec.output) + 1))]
    names = [symbol for symbol in names if symbol in units]
    if not names:
        raise InputError(f"transformer.turns_ratio: the {spec.topology} has no transformer")
    if len(turns) != 1 + len(spec.output):
        raise InputError(
            f"transformer.turns_ratio: read {len(turns)} numbers of turns; expected one for the primary and one for each "
            f"of {len(spec.output)} outputs"
        )
    for key, said in (
        ("transformer.primary_turns", spec.transformer.primary_turns),
        ("chosen.n", spec.chosen.get("n")),
    ):
        if said is not None:
            raise InputError(
                f"transformer.turns_ratio and {key} exclude each other: both set the turns ratio"
            )
    return {symbol: turns[0] / t for symbol, t in zip(names, turns[1:], strict=False)}


def bias_of(capacitor: str, known: Sheet | None) -> float:
    """Return the largest DC voltage of a capacitor [V], the peak where it resonates, or 0 where it is not known."""
    symbol = "V_in" if capacitor == "C_i" else f"V_{capacitor.replace('_', '')}"
    peak = f"{symbol}pk"
    symbol = peak if known is not None and peak in known else symbol
    if capacitor.startswith("C_o"):
        symbol = f"V_o{capacitor.removeprefix('C_o')}"
    return float(known[symbol].values.max()) if known is not None and symbol in known else 0.0


def read(text: str | float, unit: str, key: str) -> float:
    """Return a quantity of a unit, naming its key in any complaint.

    Raises
    ------
    InputError
        If it is none.
    """
    try:
        return parse(text, dimension_with(unit))
    except InputError as error:
        raise InputError(f"{key}: {error}") from None
