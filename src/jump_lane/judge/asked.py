"""Every limit that a converter file sets: outputs, ripples, duty ratio.  No page has a say in what is judged.

Ratings and temperatures of parts are judged by `rating`, the conduction mode by the test of its page.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from jump_lane.design.derive import Design
from jump_lane.judge.limit import Limit, Mend, Scene
from jump_lane.judge.ripple import Charging, drawn
from jump_lane.judge.soft import is_soft, left_limits, soft_limits
from jump_lane.judge.stress import settled_swing
from jump_lane.quantities import show_percent

HELD = 1e-3
"""How closely the output that is regulated has to be met."""

JUDGED = {
    "output.voltage": "every output: the regulated one held, the others within their band",
    "output.voltage_band": "outputs that are not regulated",
    "output.voltage_ripple": "every output",
    "input.voltage_ripple": "from the simulated input current, C_i with its ESR",
    "switching.current_ripple": "inductors, where no conduction mode decides it",
    "switching.mode": "conduction mode",
    "switching.coupling_ripple": "coupling and blocking capacitors",
    "switching.duty_limit": "simulated duty ratio",
    "transformer.magnetising_ripple": "cores that store nothing for the output",
    "transformer.soft_load": "swings of nodes in the dead time, from that load on",
}
"""Keys of the file that set a limit, and on what it is judged."""

NOT_JUDGED = {
    "transformer.magnetising_ripple": "this core stores what it passes on, and its ripple is that of current_ripple",
    "transformer.soft_load": "no inductance of this circuit charges output capacitances in a dead time; they need "
    "parts.S1.output_capacitance, parts.S1.resistance and switching.dead_time",
    "input.filter": "what stands around the power stage is judged by `jumplane around`",
    "output.filter": "what stands around the power stage is judged by `jumplane around`",
    "input.ac.hold_up": "the hold-up time sets the bulk capacitor; it is derived, not judged",
}
"""Keys that ask for something no verdict speaks of, and why."""


SPIKED = 0.98
"""A ripple that is less than this part of itself without the discharge of capacitances at turn-on is spiked by it."""

OF_INDUCTORS = "not judged, as this converter has no inductor whose ripple or conduction it sets"


def limits(design: Design, i: int, j: int, whole: Design | None = None) -> Iterator[Limit]:
    """Yield everything asked at input corner i and load corner j.

    Parameters
    ----------
    whole
        The design at the loads that the file gives, if `design` has some of them lighter: a ripple current is asked as a
        part of the average at full load.
    """
    for k in range(len(design.spec.output)):
        yield _voltage(design, k, i, j)
        yield _output_ripple(design, k, i, j)
    yield _input_ripple(design)
    yield from _inductor_ripples(design, design if whole is None else whole, i, j)
    yield from _coupling_ripples(design)
    yield from _duty(design)
    if "magnetising_ripple" in design.spec.transformer.model_fields_set:
        yield from magnetising(design)
    if design.page.soft:
        yield from left_limits(design)
    elif "soft_load" in design.spec.transformer.model_fields_set:
        yield from soft_limits(design, j)


def magnetising(design: Design) -> Iterator[Limit]:
    """Yield the ripple asked of a magnetising current that stores nothing for the output."""
    if "r_m" not in design.sheet or "L_m" not in design.components():
        return
    if any(ask.remedy == "L_m" for ask in design.page.asks):
        return
    asked = design.sheet["r_m"].worst * design.sheet["I_max"].worst / design.sheet["n"].worst
    yield Limit(
        symbol="dI_Lm",
        meaning="ripple of the magnetising current, peak to peak",
        unit="A",
        measure=partial(swing, "L_m.i"),
        asked=asked,
        highest=asked,
        key="transformer.magnetising_ripple",
        mend=proportional("L_m", "L_m.i"),
    )


def refused(design: Design) -> Iterator[str]:
    """Yield what the file asks for and no verdict speaks of, each by its key and why."""
    spec = design.spec
    if "magnetising_ripple" in spec.transformer.model_fields_set and not any(magnetising(design)):
        yield f"transformer.magnetising_ripple: {NOT_JUDGED['transformer.magnetising_ripple']}"
    if "soft_load" in spec.transformer.model_fields_set and (design.page.soft or not is_soft(design)):
        yield f"transformer.soft_load: {NOT_JUDGED['transformer.soft_load']}"
    if spec.input.ac is not None and spec.input.ac.hold_up > 0.0:
        yield f"input.ac.hold_up: {NOT_JUDGED['input.ac.hold_up']}"
    for key, there in (("input", spec.input.filter), ("output", spec.output[0].filter)):
        if there is not None:
            yield f"{key}.filter: {NOT_JUDGED[f'{key}.filter']}"
    if design.page.naming is not None:
        yield from (
            f"switching.{key}: {OF_INDUCTORS}"
            for key in ("mode", "current_ripple")
            if key in spec.switching.model_fields_set
        )
    elif not _ripple_counts(design) and spec.switching.current_ripple is not None:
        yield f"switching.current_ripple: not judged, as mode = {spec.switching.mode!r} decides the ripple"


def _load(k: int) -> str:
    return "load" if k == 0 else f"load{k + 1}"


def _suffix(k: int) -> str:
    return "" if k == 0 else str(k + 1)


def _average(signal: str, scene: Scene) -> float:
    return scene.recording.measures(signal).average


def swing(signal: str, scene: Scene) -> float:
    """Return the peak-to-peak value of a signal."""
    return scene.recording.measures(signal).peak_to_peak


def _voltage(design: Design, k: int, i: int, j: int) -> Limit:
    output = design.spec.output[k]
    if k == 0:
        wanted = design.sheet["V_o"].corner(i, j)
        band, otherwise = HELD, "the output is not held"
    else:
        wanted = abs(output.voltages_at((output.current.max,))[0])
        band = output.voltage_band
        otherwise = f"{show_percent(band)} asked; couple its winding tighter, load it within a narrower range, or regulate it"

    return Limit(
        symbol=f"V_o{_suffix(k)}",
        meaning=f"average voltage of output {k + 1}",
        unit="V",
        measure=partial(_average, f"{_load(k)}.v"),
        asked=wanted,
        lowest=wanted * (1.0 - band),
        highest=wanted * (1.0 + band),
        key=f"output.{k + 1}.voltage" + ("_band" if k else ""),
        otherwise=otherwise,
    )


def _output_ripple(design: Design, k: int, i: int, j: int) -> Limit:
    output = design.spec.output[k]
    capacitor = f"C_o{_suffix(k)}"
    if k == 0:
        limit = design.sheet["dV_ask"].corner(i, j)
    else:
        limit = output.voltage_ripple.of(abs(output.voltages_at((output.current.max,))[0]))

    return Limit(
        symbol=f"dV_o{_suffix(k)}",
        meaning=f"ripple of output {k + 1}, peak to peak",
        unit="V",
        measure=lambda scene: settled_swing(design, scene.recording, f"{_load(k)}.v"),
        asked=limit,
        highest=limit,
        key=f"output.{k + 1}.voltage_ripple",
        mend=_charging(design, capacitor, f"{capacitor}.i", f"{_load(k)}.v"),
    )


def _input_ripple(design: Design) -> Limit:
    limit = design.sheet["dV_iask"].worst
    capacitance, resistance = design.sheet["C_i"].worst, design.sheet["R_Ci"].worst
    source = design.spec.input.source_resistance, design.spec.input.source_inductance

    def measure(scene: Scene) -> float:
        return drawn(scene.recording, source).ripple(capacitance, resistance)

    def factor(scene: Scene, allowed: float) -> float:
        needed = drawn(scene.recording, source).capacitance_for(allowed, capacitance, resistance)
        return math.nan if needed is None else needed / capacitance

    return Limit(
        symbol="dV_i",
        meaning="input ripple, peak to peak",
        unit="V",
        measure=measure,
        asked=limit,
        highest=limit,
        key="input.voltage_ripple",
        mend=Mend(("C_i",), factor),
    )


def _ripple_counts(design: Design) -> bool:
    """Whether ripple currents are asked for, and do not follow from a conduction mode."""
    switching = design.spec.switching
    free = switching.mode in ("continuous", "either") and design.page.naming is None
    return switching.current_ripple is not None and free


def _inductor_ripples(design: Design, whole: Design, i: int, j: int) -> Iterator[Limit]:
    if not _ripple_counts(design):
        return
    for ask in design.page.asks:
        if not ask.symbol.startswith("dI_") or ask.symbol not in design.sheet:
            continue
        limit = whole.sheet[ask.limit].corner(i, j)
        yield Limit(
            symbol=ask.symbol,
            meaning=design.sheet[ask.symbol].meaning,
            unit="A",
            measure=partial(swing, design.proofs[ask.symbol].signal),
            asked=limit,
            highest=limit,
            key="switching.current_ripple",
            mend=proportional(ask.remedy, design.proofs[ask.symbol].signal),
        )


def _coupling_ripples(design: Design) -> Iterator[Limit]:
    """Capacitors within the power stage: sized for a ripple that is a part of their voltage."""
    share = design.spec.switching.coupling_ripple
    for role in design.page.roles:
        if role.kind != "capacitor" or role.tank or role.name.startswith(("C_o", "C_i")):
            continue

        def measure(scene: Scene, name: str = role.name) -> float:
            found = scene.recording.measures(f"{name}.v")
            return found.peak_to_peak / max(abs(found.average), 1e-12)

        yield Limit(
            symbol=f"r_{role.tag}",
            meaning=f"ripple of {role.name}, part of its average voltage",
            unit="",
            measure=measure,
            asked=share,
            highest=share,
            key="switching.coupling_ripple",
            mend=_charging(design, role.name, f"{role.name}.i", f"{role.name}.v", relative=True),
        )


def _duty(design: Design) -> Iterator[Limit]:
    if design.spec.switching.duty_limit is not None:
        yield duty_limit(design, design.spec.switching.duty_limit)


def duty_limit(design: Design, limit: float) -> Limit:
    """Return the limit of the control variable, which the turns ratio sets where there is one."""
    wound = "n" in design.sheet

    return Limit(
        symbol=design.page.control.symbol,
        meaning=design.page.control.words,
        unit="",
        measure=lambda scene: scene.control,
        asked=limit,
        highest=limit,
        key="switching.duty_limit",
        otherwise="this topology needs that at these voltages",
        mend=Mend(("n",), _room, least=False) if wound else None,
    )


def _room(scene: Scene, allowed: float) -> float:
    """Return by how much a turns ratio may rise; nothing limits it where no pulse is needed."""
    return allowed / scene.control if scene.control > 0.0 else math.inf


def proportional(component: str, signal: str) -> Mend:
    """Return that a ripple current falls as the inductance rises."""
    return Mend((component,), lambda scene, allowed: swing(signal, scene) / allowed)


def _charging(design: Design, name: str, current: str, voltage: str, relative: bool = False) -> Mend | None:
    """Return the capacitance that its recorded current asks for; what the recording shows beyond that counts in proportion.

    ``relative``: what is allowed is a part of the average voltage.
    """
    if name not in design.sheet:
        return None
    value, resistance = design.sheet[name].worst, design.sheet[f"R_{name.replace('_', '')}"].worst

    def factor(scene: Scene, allowed: float) -> float:
        charging = Charging.of(scene.recording, current)
        measures = scene.recording.measures(voltage)
        limit = allowed * abs(measures.average) if relative else allowed
        settled = settled_swing(design, scene.recording, voltage)
        if settled < SPIKED * measures.peak_to_peak:  # the charge alone counts, which goes with 1/C
            return settled / limit
        alone = charging.ripple(value, resistance)
        if alone == 0.0:
            return 0.0  # nothing flows: any value keeps it
        beyond = measures.peak_to_peak / alone
        needed = charging.capacitance_for(limit / beyond, value, resistance)
        return math.nan if needed is None else needed / value

    return Mend((name,), factor)
