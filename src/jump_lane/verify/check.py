"""Every corner simulated with the output held, and compared with what was derived and what was asked."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from jump_lane.derivation import BOUNDARY, CONTINUOUS, DISCONTINUOUS, FAINT, NEAR, REVERSED
from jump_lane.errors import NoResultError
from jump_lane.quantities import show, show_percent
from jump_lane.switching.record import Recording
from jump_lane.topologies.design import Design
from jump_lane.topologies.page import Ask, Page, Proof
from jump_lane.verify.operating import solve
from jump_lane.verify.overload import SLACK, overloads
from jump_lane.waveforms import NOISE

HELD = "V_o"
"""The symbol of what the control variable holds."""

ACCURACY = 1e-3
"""How closely the average output has to be met; a string of LEDs is held by its current."""


@dataclass(frozen=True)
class Finding:
    """One quantity at one corner.

    Attributes
    ----------
    deviation
        (simulated − derived) over the derived value, or over the proof's scale.
    agrees
        Whether the deviation is within the proof's tolerance.
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

    @property
    def holds(self) -> bool:
        """Whether all that was asked holds here."""
        return not self.failure and self.mode_holds and all(f.holds for f in self.findings)


@dataclass(frozen=True)
class Check:
    """All corners of a design."""

    design: Design
    corners: tuple[Corner, ...]

    @cached_property
    def overloads(self) -> tuple[str, ...]:
        """What the named parts cannot bear, in words."""
        return overloads(self.design)

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
            line = self.design.sheet[symbol].line
            sign = -1.0 if line is not None and line.worst == "min" else 1.0
            finding, corner = max(entries, key=lambda e: (not e[0].holds, sign * e[0].simulated))
            yield finding, corner, max((e[0].deviation for e in entries), key=abs)


def check_corner(design: Design, i: int, j: int) -> Corner:
    """Simulate one corner and judge it."""
    v_in, i_o = design.inputs[i], design.loads[j]
    derived = design.mode(i, j)
    try:
        state, recording = solve(design, i, j)
    except NoResultError as error:
        return Corner((i, j), v_in, i_o, derived, failure=str(error))
    mode = simulated_mode(design.page, recording)
    holds, advice = _judge_mode(design, mode)
    proofs = (p for p in design.proofs if not p.modes or {mode, derived} <= set(p.modes))
    findings = tuple(_finding(design, recording, proof, i, j) for proof in proofs)
    control = (design.sheet[design.page.control].corner(i, j), state.control)
    return Corner((i, j), v_in, i_o, derived, mode, holds, advice, findings, control=control)


def check(design: Design) -> Check:
    """Simulate every corner of a design and judge it."""
    rows, columns = design.shape
    return Check(design, tuple(check_corner(design, i, j) for i in range(rows) for j in range(columns)))


def simulated_mode(page: Page, recording: Recording) -> str:
    """Return the conduction mode that a recording shows."""
    if page.quiet:
        idle = 1.0 - recording.flowing(f"{page.quiet}.i", FAINT)
    else:
        idle = 1.0 - recording.carrying(*(v for name in page.idle for v in (name, f"{name}.body")))
    rectifier = page.idle[-1]
    current = recording.measures(f"{rectifier}.i")
    if idle > NEAR:
        return DISCONTINUOUS
    whole = page.reversible or page.quiet
    last = current.minimum if whole else recording.last_current(rectifier)
    if abs(last) < NEAR * current.peak:
        return BOUNDARY
    together = last if whole else recording.lowest(*(f"{name}.i" for name in page.idle))
    return REVERSED if min(last, together) < -NEAR * current.peak else CONTINUOUS


def _judge_mode(design: Design, mode: str) -> tuple[bool, str]:
    wanted = design.spec.switching.mode
    if wanted in ("either", "boundary") or mode in (wanted, BOUNDARY):
        return True, ""
    if wanted == "continuous":
        if design.synchronous:
            return True, ""
        return False, f"raise L to at least {show(design.sheet['L_crit'].worst, 'H')}"
    smallest = float(design.sheet["L_full"].values.min())
    return False, f"lower L below {show(smallest, 'H')}"


def _finding(design: Design, recording: Recording, proof: Proof, i: int, j: int) -> Finding:
    value = design.sheet[proof.symbol]
    derived = value.corner(i, j)
    simulated = float(getattr(recording.measures(proof.signal), proof.measure))
    scale = abs(design.sheet[proof.scale].corner(i, j)) if proof.scale else abs(derived)
    simulated = 0.0 if abs(simulated) < NOISE * scale else simulated
    deviation = (simulated - derived) / max(scale, 1e-12)
    ask = next((a for a in design.asks if a.symbol == proof.symbol), None)
    asked, holds, advice = _judge(design, ask, simulated, i, j)
    if ask is None and proof.symbol in design.saturation_currents:
        asked, holds, advice = _judge_saturation(design, proof, simulated)
    if proof.symbol == HELD:
        asked, holds = derived, abs(deviation) <= ACCURACY
        advice = "" if holds else "the output is not held"
    return Finding(
        proof.symbol, value.unit, value.meaning, derived, simulated, deviation, design.tolerance(proof),
        asked, holds, advice, proof.symbol == HELD,
    )  # fmt: skip


def _judge(
    design: Design, ask: Ask | None, simulated: float, i: int, j: int
) -> tuple[float | None, bool, str]:
    if ask is None:
        return None, True, ""
    limit = design.sheet[ask.limit].corner(i, j)
    if simulated <= limit * (1.0 + SLACK):
        return limit, True, ""
    return (
        limit,
        False,
        f"over by {show_percent(simulated / limit - 1.0)}: {_advice(design, ask, simulated, i, j)}",
    )


def _judge_saturation(design: Design, proof: Proof, peak: float) -> tuple[float, bool, str]:
    """Tell whether an inductor stays below its saturation current, and what is left of it if it does not."""
    limit = design.saturation_currents[proof.symbol]
    if peak <= limit * (1.0 + SLACK):
        return limit, True, ""
    name = next(r.name for r in design.page.roles if f"I_{r.tag}pk" == proof.symbol)
    curve = design.saturation.get(name)
    left = "" if curve is None else f", {show_percent(curve.at(peak))} of its inductance is left"
    return limit, False, f"{name} saturates at {show(peak, 'A')}{left}: take one for more current"


def _advice(design: Design, ask: Ask, simulated: float, i: int, j: int) -> str:
    limit = design.sheet[ask.limit].corner(i, j)
    fixed = design.sheet[ask.share].corner(i, j) if ask.share else 0.0
    if fixed >= limit:
        return f"{ask.otherwise} ({show(design.sheet['ESR_max'].worst, 'Ω')})"
    component = design.sheet[ask.remedy]
    needed = component.worst * (simulated - fixed) / (limit - fixed)
    return (
        f"raise {ask.remedy} from {show(component.worst, component.unit)} "
        f"to at least {show(needed, component.unit)}"
    )
