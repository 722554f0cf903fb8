"""The losses of one operating point, temperatures and all: simulated, entered, and checked to close."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from jump_lane.design.components import Component, components
from jump_lane.design.derive import Design
from jump_lane.design.named import figures
from jump_lane.dissipation import (
    bipolar,
    capacitor,
    charge,
    conduction,
    core,
    overlap,
    ratings,
    recovery,
    winding,
)
from jump_lane.dissipation.bundle import heated
from jump_lane.dissipation.commutation import commutations
from jump_lane.dissipation.cooling import network, unknown
from jump_lane.dissipation.damping import derive_damping
from jump_lane.dissipation.ledger import Entry, Gap, Loss
from jump_lane.dissipation.missing import missing
from jump_lane.dissipation.stage import Stage
from jump_lane.dissipation.thermal import Network, feedback, solve
from jump_lane.errors import BalanceError, ConvergenceError, RunawayError
from jump_lane.judge.rating import Rating
from jump_lane.operating.point import solve_point
from jump_lane.switching.balance import balance
from jump_lane.switching.waveforms import Array
from jump_lane.topologies.point import Point

BALANCE = 1e-6
"""What simulated input, output and losses may differ by, part of the input power."""

SWINGING = 1e-9
"""The same as a part of the power turned over, of which rounding leaves some 1e-10: without load the input power is little
beside what swings to and fro."""

SETTLED = 0.05
"""Temperatures that change by less from one simulation to the next count as found [K]: copper changes by 2e-4."""

ROUNDS = 12

FREELY, DAMPED = 3, 0.6
"""Rounds in which temperatures are taken as found; what part of a step is taken afterwards."""

SURVIVED = 350.0
"""Temperature that no part survives and no data reach; no budget is given beyond it [°C]."""

GUESS = 30.0
"""Rise above ambient from which a single simulation starts [K]."""


@dataclass(frozen=True)
class Budget:
    """Where the power goes at one operating point.

    Attributes
    ----------
    v_in, i_o
        Input voltage [V] and load current [A].
    control
        Simulated control variable (duty ratio).
    p_in, p_out
        Simulated input and output power [W].
    components
        What can lose power, in the order of the circuit.
    losses, gaps
        What is lost, one entry for each component and mechanism; what could not be entered.
    temperatures
        Of every component whose thermal resistance is known [°C].
    feedback
        What part of a kelvin every further kelvin brings back through the losses; thermal runaway is at 1.
    residual
        |p_in − p_out − simulated losses| over p_in.
    """

    v_in: float
    i_o: float
    control: float
    p_in: float
    p_out: float
    components: tuple[Component, ...]
    losses: tuple[Loss, ...]
    gaps: tuple[Gap, ...]
    temperatures: dict[str, float]
    ratings: tuple[Rating, ...]
    feedback: float
    residual: float

    @property
    def simulated(self) -> float:
        """Losses that the simulated circuit contains [W]."""
        return sum(loss.power for loss in self.losses if loss.simulated)

    @property
    def added(self) -> float:
        """Losses that are added to those of the simulated circuit [W]."""
        return sum(loss.power for loss in self.losses if not loss.simulated)

    @property
    def loss(self) -> float:
        """Input power and added losses less output power [W]."""
        return self.p_in + self.added - self.p_out

    @property
    def efficiency(self) -> float:
        """Power passed on over power taken, the added losses taken from the input as well; not a number without a part.

        Where power flows back, it is the output that it is taken from.
        """
        if all(c.part is None for c in self.components):
            return float("nan")
        return self.passed_on(self.added)

    def passed_on(self, added: float = 0.0) -> float:
        """Return the part of the power taken that is passed on, at whichever side it enters, with further losses [W]."""
        if self.p_out < 0.0:
            return (self.p_in + added) / self.p_out
        return self.p_out / (self.p_in + added)

    @property
    def broken(self) -> tuple[str, ...]:
        """Ratings that are not kept, in words."""
        return tuple(r.text() for r in self.ratings if not r.holds)

    @property
    def hottest(self) -> float:
        """Highest temperature of any component [°C]; not a number where none is known."""
        return max(self.temperatures.values(), default=float("nan"))

    @property
    def hottest_part(self) -> str:
        """Component of that temperature; empty where none is known."""
        return max(self.temperatures, key=lambda name: self.temperatures[name], default="")


def budget(design: Design, i: int = 0, j: int = 0, start: dict[str, float] | None = None) -> Budget:
    """Return the losses at input corner i and load corner j, the output held.

    Parameters
    ----------
    start
        Temperatures to begin with [°C], such as those of a neighbouring point.

    Raises
    ------
    NoResultError
        If the operating point does not exist, there is no stable temperature, or the powers do not close.

    Notes
    -----
    Simulated with the resistances at some temperatures; with the currents found, temperatures and losses are solved
    together; simulated again with those, until nothing changes.
    """
    base = design.point(i, j)
    every = components(design, base)
    temperatures = dict(start or {})
    cooled = network(design, every)
    for turn in range(ROUNDS):
        stage, control, entries = _simulated(
            design, tempered(design, base, every, temperatures), temperatures
        )
        found, _, back = _temperatures(stage, cooled, entries, temperatures)
        moved = max((abs(found[n] - temperatures.get(n, -273.0)) for n in found), default=0.0)
        if moved < SETTLED:
            return _closed(stage, control, entries, found, back)
        share = 1.0 if turn < FREELY else DAMPED
        temperatures = {n: t + (1.0 - share) * (temperatures.get(n, t) - t) for n, t in found.items()}
    raise ConvergenceError("losses and temperatures do not settle from one simulation to the next")


@dataclass(frozen=True)
class Estimate:
    """Total loss [W], highest temperature [°C] and gaps from one simulation, the currents taken as they are there."""

    loss: float
    hottest: float
    gaps: tuple[Gap, ...] = ()


def estimate(design: Design, point: Point) -> Estimate:
    """Return loss and temperature at an operating point from a single simulation, for comparing many parts.

    The figures of all parts that are cooled are those at 30 K above ambient there; conduction losses are then
    corrected to the temperatures found.

    Raises
    ------
    NoResultError
        As `budget` does.
    """
    every = components(design, point)
    cooled = network(design, every)
    start = dict.fromkeys(cooled.names, cooled.ambient + GUESS)
    stage, _, entries = _simulated(design, tempered(design, point, every, start), start)
    found, more, _ = _temperatures(stage, cooled, entries, start)
    loss = sum(e.power for e in entries if isinstance(e, Loss)) + more
    gaps = [e for e in entries if isinstance(e, Gap)]
    gaps += unknown(design.spec, stage.components, heating(entries))
    return Estimate(loss, max(found.values(), default=float("nan")), tuple(gaps))


def _simulated(
    design: Design, point: Point, temperatures: dict[str, float]
) -> tuple[Stage, float, list[Entry]]:
    """Simulate an operating point; return the stage, the control variable, and every loss and gap."""
    state, recording = solve_point(design.page, point)
    stage = Stage(design, point, recording, components(design, point))
    return stage, state.control, list(_entries(stage, temperatures))


def tempered(
    design: Design, point: Point, every: Iterable[Component], temperatures: dict[str, float]
) -> Point:
    """Return an operating point with the figures of its parts at their temperatures; alike parts at the hottest."""
    hottest: dict[str, tuple[float, Component]] = {}
    for component in (c for c in every if c.part is not None):
        temperature = temperatures.get(component.name, design.spec.thermal.unknown)
        known = hottest.get(component.role)
        if known is None or temperature > known[0]:
            hottest[component.role] = temperature, component
    values = dict(point.values)
    for role in design.page.roles:
        if role.name not in hottest:
            continue
        temperature, component = hottest[role.name]
        assert component.part is not None
        found = figures(component.part, temperature, design.spec.switching.frequency, component.pieces)
        values |= {d.symbol: found[d.key] for d in role.data if d.key in found}
    return replace(point, values=values)


def _entries(stage: Stage, temperatures: dict[str, float]) -> Iterator[Entry]:
    """Yield every loss and every gap."""
    events = commutations(stage)
    yield from conduction.conduction(stage)
    yield from missing(stage)
    for mechanism in (
        overlap.overlap,
        charge.output_charge,
        overlap.gate_drive,
    ):
        yield from mechanism(stage, events)
    yield from bipolar.energies(stage, events, temperatures)
    yield from recovery.recovery(stage, events, temperatures)
    yield from winding.eddy(stage, temperatures)
    yield from core.core(stage, temperatures)
    yield from capacitor.series_resistance(stage, temperatures)
    yield from _controller(stage)
    yield from _damping(stage)


def _controller(stage: Stage) -> Iterator[Loss]:
    controller = stage.spec.controller
    power = controller.power + controller.input_current * stage.point["V_in"]
    if power > 0.0:
        yield Loss("controller", "supply", power)


def _damping(stage: Stage) -> Iterator[Loss]:
    for device in stage.spec.damping:
        power = derive_damping(stage.design, device)["P_d"]
        yield Loss(device, "damping resistor", power)


def _temperatures(
    stage: Stage, cooled: Network, entries: list[Entry], simulated_at: dict[str, float]
) -> tuple[dict[str, float], float, float]:
    """Return the temperatures at which losses and cooling balance, the currents as simulated.

    The second value is how much more is lost there than at the temperatures of the simulation [W], the third what part of
    a kelvin every further kelvin brings back.
    """
    at = {n: simulated_at.get(n, stage.spec.thermal.unknown) for n in cooled.names}
    by_name = {c.name: c for c in stage.components}
    heats = [conduction.heat(stage, by_name[n], at[n]) for n in cooled.names]
    totals = heating(entries)
    fixed = np.array([totals.get(n, 0.0) for n in cooled.names]) - [h.whole for h in heats]

    def heat(temperatures: Array) -> Array:
        conducted = [h.at(float(t)) for h, t in zip(heats, temperatures, strict=True)]
        return np.asarray(fixed + np.array(conducted))

    solved = solve(cooled, heat)
    if len(solved) and float(solved.max()) > SURVIVED:
        hottest = int(np.argmax(solved))
        raise RunawayError(
            f"{cooled.names[hottest]} would reach {solved[hottest]:.0f} °C: a lower thermal resistance or less loss "
            "is needed"
        )
    found = dict(zip(cooled.names, (float(t) for t in solved), strict=True))
    cores = {c.name: heated(stage, c) for c in stage.components}
    found |= {n: found[core] for n, core in cores.items() if core != n and core in found}
    more = float(np.sum(heat(solved) - heat(np.array([at[n] for n in cooled.names]))))
    return found, more, feedback(cooled, heat, solved)


def heating(entries: Iterable[Entry]) -> dict[str, float]:
    """Return what heats every component [W]."""
    found: dict[str, float] = {}
    for entry in entries:
        if isinstance(entry, Loss) and entry.heats:
            found[entry.heats] = found.get(entry.heats, 0.0) + entry.power
    return found


def _closed(
    stage: Stage, control: float, entries: list[Entry], temperatures: dict[str, float], back: float
) -> Budget:
    """Put the entries together; refuse powers that do not close."""
    recording = stage.recording
    loads = [e.name for e in recording.engine.circuit.elements if e.name.startswith("load")]
    p_in, p_out = -recording.power("source"), sum(recording.power(name) for name in loads)
    checked = list(ratings.ratings(stage, temperatures))
    gaps = [e for e in (*entries, *checked) if isinstance(e, Gap)]
    gaps += unknown(stage.spec, stage.components, heating(entries))
    found = Budget(
        v_in=stage.point["V_in"],
        i_o=stage.point["I_o"],
        control=control,
        p_in=p_in,
        p_out=p_out,
        components=stage.components,
        losses=merged(e for e in entries if isinstance(e, Loss)),
        gaps=tuple(gaps),
        temperatures=temperatures,
        ratings=tuple(r for r in checked if isinstance(r, Rating)),
        feedback=back,
        residual=0.0,
    )
    supplied = max(abs(p_in), 1e-12)
    residual = abs(p_in - p_out - found.simulated) / supplied
    allowed = max(BALANCE, SWINGING * balance(recording).turnover / supplied)
    if not residual <= allowed:
        raise BalanceError(
            f"the powers do not close: {residual:.1e} of the input power is left, {allowed:.0e} is allowed"
        )
    return replace(found, residual=residual)


def merged(losses: Iterable[Loss]) -> tuple[Loss, ...]:
    """Return losses with one entry for each component and mechanism, in the order of their first appearance."""
    found: dict[tuple[str, str, bool], Loss] = {}
    for loss in losses:
        key = loss.component, loss.mechanism, loss.simulated
        known = found.get(key)
        found[key] = loss if known is None else replace(known, power=known.power + loss.power)
    return tuple(found.values())
