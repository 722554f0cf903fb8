"""Every corner simulated with the output held, and compared with what was derived and what was asked."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from jump_lane.design.components import components
from jump_lane.design.derive import Design
from jump_lane.dissipation.budget import budget
from jump_lane.dissipation.cooling import network
from jump_lane.dissipation.ratings import ratings
from jump_lane.dissipation.stage import Stage
from jump_lane.equations.formula import pretty
from jump_lane.equations.sheet import Proof
from jump_lane.errors import InputError, NoResultError, RunawayError
from jump_lane.judge.advice import judged
from jump_lane.judge.asked import limits, refused
from jump_lane.judge.derived import derived_ratings
from jump_lane.judge.limit import ROUNDING, Limit, Scene
from jump_lane.judge.loads import combinations, loaded, set_to, voltages
from jump_lane.judge.mode import judge_mode
from jump_lane.judge.rating import Rating, merged
from jump_lane.judge.stress import Stress, stresses_of, worst_of
from jump_lane.operating.mode import simulated_mode
from jump_lane.operating.point import solve
from jump_lane.quantities import show, show_percent
from jump_lane.switching.record import Recording
from jump_lane.switching.waveforms import NOISE

FEW = 1e-2
"""A derived value below this part of the signal's peak is no scale for a deviation; the peak is."""


@dataclass(frozen=True)
class Finding:
    """One quantity at one corner.

    Attributes
    ----------
    deviation
        (simulated − derived) over the derived value, or over the proof's scale.
    agrees
        Whether the deviation is within the accuracy of the derivation.
    asked, holds, advice
        The limit (None: nothing asked), whether the simulated value keeps it, and what to change if not.
    target
        Whether ``asked`` is to be met rather than not exceeded.
    """

    symbol: str
    unit: str
    meaning: str
    derived: float
    simulated: float
    deviation: float
    tolerance: float
    asked: float | None = None
    holds: bool = True
    advice: str = ""
    target: bool = False

    @property
    def agrees(self) -> bool:
        """Whether derived and simulated value lie within the tolerance."""
        return abs(self.deviation) <= self.tolerance

    @property
    def compared(self) -> bool:
        """Whether there is a derived value to compare with."""
        return math.isfinite(self.tolerance)


@dataclass(frozen=True)
class Corner:
    """One corner of input and load.

    ``failure`` says why there is no trustworthy result; all else is empty then.  ``control`` is the control
    variable (duty ratio), derived and simulated.
    """

    index: tuple[int, int]
    v_in: float
    i_o: float
    mode_derived: str
    mode_simulated: str = ""
    mode_holds: bool = True
    mode_advice: str = ""
    findings: tuple[Finding, ...] = ()
    failure: str = ""
    control: tuple[float, float] = (float("nan"), float("nan"))
    ratings: tuple[Rating, ...] = ()
    temperatures: Mapping[str, float] = field(default_factory=dict)
    stresses: tuple[Stress, ...] = ()
    runaway: str = ""
    others: tuple[float, ...] = ()
    """Load currents of the outputs that follow [A]."""
    v_o: float | None = None
    """Voltage that the first output is set to [V]; None for the usual one."""

    @property
    def loads(self) -> str:
        """The loads of all outputs in words."""
        loads = " + ".join(show(current, "A") for current in (self.i_o, *self.others))
        return loads if self.v_o is None else f"{loads} at {show(self.v_o, 'V')}"

    @property
    def holds(self) -> bool:
        """Whether all that was asked holds here."""
        asked = self.mode_holds and all(f.holds for f in self.findings)
        return not self.failure and not self.runaway and asked and all(r.holds for r in self.ratings)

    @property
    def verdict(self) -> str:
        """What is not met here, in words, or that all holds."""
        said = [] if self.mode_holds else [f"mode: {self.mode_advice}"]
        said += [f"{pretty(f.symbol)} {f.advice.partition(':')[0]}" for f in self.findings if not f.holds]
        said += [f"{r.component}: {r.what}" for r in self.ratings if not r.holds]
        return "; ".join([*said, *filter(None, (self.runaway, self.failure))]) or "holds"


@dataclass(frozen=True)
class Check:
    """All corners of a design."""

    design: Design
    corners: tuple[Corner, ...]

    @cached_property
    def ratings(self) -> tuple[Rating, ...]:
        """Every rating of every part, the load being the larger of derived and simulated over all corners."""
        return merged((*derived_ratings(self.design), *(r for c in self.corners for r in c.ratings)))

    @cached_property
    def overloads(self) -> tuple[str, ...]:
        """What the named parts cannot bear, in words."""
        return tuple(r.text() for r in self.ratings if not r.holds)

    @cached_property
    def stresses(self) -> tuple[Stress, ...]:
        """What every component bears, the largest over all corners, derived or simulated."""
        return worst_of(self.design, [c.stresses for c in self.corners])

    @property
    def mode_asked(self) -> str:
        """The conduction mode asked for; empty where none is, or the topology has modes of its own."""
        wanted = self.design.spec.switching.mode
        return "" if wanted == "either" or self.design.page.naming is not None else wanted

    @cached_property
    def refused(self) -> tuple[str, ...]:
        """What the file asks for and no verdict speaks of."""
        return tuple(refused(self.design))

    @cached_property
    def frequencies(self) -> Mapping[str, float]:
        """Return for each ripple that is too large the switching frequency [Hz] that brings it to its limit, where one does."""
        found = {}
        for finding, corner, _ in self.worst():
            if finding.asked is None or finding.holds or finding.target or finding.symbol == "mode":
                continue
            frequency = frequency_for(self.design, finding.symbol, corner)
            if frequency is not None:
                found[finding.symbol] = frequency
        return found

    @property
    def exit_status(self) -> int:
        """Return 0 if all that was asked holds, 1 if something does not, 3 if a corner has no result."""
        if any(c.failure for c in self.corners):
            return 3
        return 0 if all(c.holds for c in self.corners) and not self.overloads else 1

    def worst(self) -> Iterator[tuple[Finding, Corner, float]]:
        """Yield each quantity where it is worst (a broken limit first), and its largest deviation anywhere."""
        by_symbol: dict[str, list[tuple[Finding, Corner]]] = {}
        for corner in self.corners:
            for finding in corner.findings:
                by_symbol.setdefault(finding.symbol, []).append((finding, corner))
        for symbol, entries in by_symbol.items():
            line = self.design.sheet[symbol].line if symbol in self.design.sheet else None
            sign = -1.0 if line is not None and line.worst == "min" else 1.0
            finding, corner = max(entries, key=lambda e: (not e[0].holds, sign * e[0].simulated))
            yield finding, corner, max((e[0].deviation for e in entries), key=abs)


STEPS, NEAR = 8, 1e-3
"""How often a switching frequency is tried, and how near to its limit the ripple has to come."""


def frequency_for(design: Design, symbol: str, corner: Corner) -> float | None:
    """Return the switching frequency [Hz] at which a ripple just keeps its limit at a corner, found by simulation.

    Secants of ln(ripple) over ln(frequency), the first as if they were in inverse proportion; None where none leads there.
    """
    tried: list[tuple[float, float]] = []
    if design.page.span is not None:
        return None
    x = math.log(design.spec.switching.frequency)
    for _ in range(STEPS):
        ratio = _ripple_ratio(design, symbol, corner, math.exp(x))
        if ratio is None or ratio <= 0.0:
            return None
        if abs(ratio - 1.0) < NEAR:
            return math.exp(x)
        tried = [*tried[-1:], (x, math.log(ratio))]
        slope = -1.0
        if len(tried) == 2 and tried[1][0] != tried[0][0]:
            slope = (tried[1][1] - tried[0][1]) / (tried[1][0] - tried[0][0])
        if slope >= 0.0:
            return None
        x -= tried[-1][1] / slope
    return None


def _ripple_ratio(design: Design, symbol: str, corner: Corner, frequency: float) -> float | None:
    """Return a ripple at a corner over its limit, at another switching frequency; None where there is none."""
    changed = design.spec.switching.model_copy(update={"frequency": frequency})
    spec = design.spec.model_copy(update={"switching": changed})
    try:
        whole = design.grid((corner.v_in,), (corner.i_o,), spec)
        point = (
            design.grid(whole.inputs, whole.loads, loaded(spec, corner.others)) if corner.others else whole
        )
        state, recording = solve(point)
    except (InputError, NoResultError, OverflowError):
        return None
    limit = next((m for m in limits(point, 0, 0, whole) if m.symbol == symbol), None)
    if limit is None or limit.mend is None or limit.unit not in ("A", "V"):
        return None
    return limit.measure(Scene(recording, state.control)) / limit.highest


def check_corner(design: Design, i: int, j: int, whole: Design | None = None) -> Corner:
    """Simulate one corner and judge it: what is asked, ratings, and temperatures where cooling is known.

    Parameters
    ----------
    whole
        The design at the loads that the file gives, if `design` has some of them lighter.
    """
    v_in, i_o = design.inputs[i], design.loads[j]
    derived = design.mode(i, j)
    empty = Corner((i, j), v_in, i_o, derived)
    try:
        state, recording = solve(design, i, j)
    except NoResultError as error:
        return replace(empty, failure=str(error))
    mode = simulated_mode(design.page, design.point(i, j), recording)
    scene = Scene(recording, state.control)
    holds, advice = judge_mode(design, mode, scene, j)
    findings = tuple(_findings(design, limits(design, i, j, whole), scene, {mode, derived}, i, j))
    control = (design.sheet[design.page.control.symbol].corner(i, j), state.control)
    corner = replace(
        empty, mode_simulated=mode, mode_holds=holds, mode_advice=advice, findings=findings, control=control
    )
    return _with_ratings(design, corner, recording)


def _with_ratings(design: Design, corner: Corner, recording: Recording) -> Corner:
    """Return a corner with what its parts bear, temperatures settled with the losses where cooling is known."""
    point = design.point(*corner.index)
    every = components(design, point)
    stage = Stage(design, point, recording, every)
    stresses = tuple(stresses_of(design, recording, every))
    if not network(design, every).names:
        rated = tuple(r for r in ratings(stage, {}) if isinstance(r, Rating))
        return replace(corner, ratings=rated, stresses=stresses)
    try:
        found = budget(design, *corner.index)
    except RunawayError as error:
        return replace(corner, runaway=str(error), stresses=stresses)
    except NoResultError as error:
        return replace(corner, failure=f"temperatures: {error}", stresses=stresses)
    return replace(corner, ratings=found.ratings, temperatures=found.temperatures, stresses=stresses)


def check(design: Design) -> Check:
    """Simulate every corner of a design and judge it."""
    return Check(design, tuple(_corners(design)))


def _corners(design: Design) -> Iterator[Corner]:
    """Yield every corner, at every end of the range that the output may be set to; where there are several outputs, for every
    combination of the other ones' extreme loads."""
    usual = design.spec.output[0].voltage
    settings: list[float | None] = [*voltages(design.spec)] or [usual]
    for voltage in settings:
        spec, whole, other = design.spec, design, None
        if voltage is not None and voltage != usual:
            spec, other = set_to(design.spec, voltage), voltage
            whole = design.grid(design.inputs, design.loads, spec)
        for others in combinations(spec):
            full = others == tuple(o.current.max for o in spec.output[1:])
            varied = whole if full else design.grid(design.inputs, design.loads, loaded(spec, others))
            for i, j in np.ndindex(design.shape):
                corner = check_corner(varied, i, j, whole)
                yield replace(corner, others=others, v_o=other)


def _findings(
    design: Design, every: Iterator[Limit], scene: Scene, modes: set[str], i: int, j: int
) -> Iterator[Finding]:
    """Yield every derived quantity that a measure proves, with its limit if there is one, then the other limits."""
    asked = {limit.symbol: limit for limit in every}
    for symbol, proof in design.proofs.items():
        if not proof.modes or modes <= set(proof.modes):
            yield _proven(design, scene, symbol, proof, asked.pop(symbol, None), i, j)
    for limit in asked.values():
        yield _judged(design, scene, limit, i, j)


def _proven(
    design: Design, scene: Scene, symbol: str, proof: Proof, limit: Limit | None, i: int, j: int
) -> Finding:
    value = design.sheet[symbol]
    derived = value.corner(i, j)
    measures = scene.recording.measures(proof.signal)
    simulated = float(getattr(measures, proof.measure)) if limit is None else limit.measure(scene)
    scale = abs(design.sheet[proof.scale].corner(i, j)) if proof.scale else abs(derived)
    scale = max(scale, measures.peak if scale < FEW * measures.peak else 0.0)
    simulated = 0.0 if abs(simulated) < NOISE * scale else simulated
    deviation = (simulated - derived) / scale if scale > 0.0 else 0.0
    deviation = 0.0 if abs(deviation) < NOISE else deviation
    asked, holds, advice = _judge_saturation(design, symbol, simulated)
    if limit is not None:
        asked, (holds, advice) = limit.asked, judged(design, limit, scene, simulated)
    return Finding(
        symbol, value.unit, value.meaning, derived, simulated, deviation, proof.accuracy,
        asked, holds, advice, limit is not None and limit.target,
    )  # fmt: skip


def _judged(design: Design, scene: Scene, limit: Limit, i: int, j: int) -> Finding:
    """Return a finding of something asked that no proof speaks of."""
    simulated = limit.measure(scene)
    known = design.sheet[limit.symbol].corner(i, j) if limit.symbol in design.sheet else float("nan")
    holds, advice = judged(design, limit, scene, simulated)
    return Finding(
        limit.symbol, limit.unit, limit.meaning, known, simulated, 0.0, float("inf"),
        limit.asked, holds, advice, limit.target,
    )  # fmt: skip


def _judge_saturation(design: Design, symbol: str, peak: float) -> tuple[float | None, bool, str]:
    """Tell whether an inductor stays below its saturation current, and what is left of it if it does not."""
    limit = design.saturation_currents.get(symbol)
    if limit is None or peak <= limit * (1.0 + ROUNDING):
        return limit, True, ""
    name = next(r.name for r in design.page.roles if f"I_{r.tag}pk" == symbol)
    curve = design.saturation.get(name)
    left = "" if curve is None else f", {show_percent(curve.at(peak))} of its inductance is left"
    return limit, False, f"{name} saturates at {show(peak, 'A')}{left}: take one for more current"
