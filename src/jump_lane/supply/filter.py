"""A filter beside a converter: values for a limit, damping, impedance, what every part carries.

        far ──┬──L──┬── … ──┬── near        the converter draws its alternating current at `near`
             C_0    C       C

Each stage is an inductor and a capacitor; a "pi" has a capacitor on the far side besides.  Behind an output the far side is the load
and the near capacitor that of the output.

References
----------
R. W. Erickson and D. Maksimović, "Fundamentals of Power Electronics", 2nd ed. 2001, section 10.4 (optimal damping of single-section
filters); R. D. Middlebrook, "Input filter considerations in design and application of switching regulators", IAS 1976.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError
from jump_lane.quantities.preferred import closest, next_higher
from jump_lane.spec.around import Filter
from jump_lane.supply.bank import peak_to_peak
from jump_lane.supply.net import GROUND, Branch, Complex, Draw, Real, Solution, solve

OPTIMUM = "Erickson/Maksimović 2001, section 10.4: least peak of the impedance"

DAMPING = {
    "parallel-rc": (
        Line("C_d", "n_d*C_f", "F", "damping capacitor", "chosen ratio"),
        Line("R_d", "R_0*sqrt((2 + n_d)*(4 + 3*n_d)/(2*n_d**2*(4 + n_d)))", "Ω", "damping resistor, in series with C_d", OPTIMUM),
        Line("Z_m", "R_0*sqrt(2*(2 + n_d))/n_d", "Ω", "largest output impedance of a stage", OPTIMUM),
    ),
    "parallel-rl": (
        Line("L_d", "n_d*L_f", "H", "damping inductor", "chosen ratio"),
        Line("R_d", "R_0*sqrt(n_d*(3 + 4*n_d)*(1 + 2*n_d)/(2*(1 + 4*n_d)))", "Ω", "damping resistor, in series with L_d", OPTIMUM),
        Line("Z_m", "R_0*sqrt(2*n_d*(1 + 2*n_d))", "Ω", "largest output impedance of a stage", OPTIMUM),
    ),
    "series-rl": (
        Line("L_d", "n_d*L_f", "H", "damping inductor, in series with L_f", "chosen ratio"),
        Line("R_d", "R_0*n_d/(1 + n_d)*sqrt((2 + n_d)*(4 + 3*n_d)/(2*(1 + n_d)*(4 + n_d)))", "Ω", "damping resistor, across L_d", OPTIMUM),
        Line("Z_m", "R_0*sqrt(2*(1 + n_d)*(2 + n_d))/n_d", "Ω", "largest output impedance of a stage", OPTIMUM),
    ),
    "none": (),
}  # fmt: skip
"""Closed forms of each way to damp, from the ratio n_d."""

USUAL_RATIO = {"parallel-rc": 4.0, "parallel-rl": 0.5, "series-rl": 4.0, "none": 1.0}

SHORT = 1e-9
"""Resistance that stands for a far side of no impedance [Ω]."""

LEAST, MOST = 1e-9, 1.0
"""Inductances that are looked among [H]."""

STILL = 1e-4
"""Frequency at which a direct current divides: inductors are wires there and capacitors are open [Hz]."""

FAR, NEAR = "far", "near"


@dataclass(frozen=True)
class Sides:
    """What the filter stands between.

    Attributes
    ----------
    near
        Capacitance and series resistance at the converter [F, Ω].
    far
        The same on the far side; zero for none.
    resistance
        Of the far side [Ω].
    """

    near: tuple[float, float]
    far: tuple[float, float]
    resistance: float


@dataclass(frozen=True)
class Built:
    """A filter with its values, which are those of every stage."""

    asked: Filter
    sides: Sides
    sheet: Sheet
    damped: bool = True

    @property
    def values(self) -> dict[str, float]:
        """Values by symbol [SI]."""
        return {v.symbol: v.worst for v in self.sheet}

    @property
    def stages(self) -> int:
        """Number of stages."""
        return 2 if self.asked.kind == "two-stage" else 1

    def undamped(self) -> Built:
        """Return the same without its damping."""
        return replace(self, damped=False)

    def branches(self, far: float | None) -> list[Branch]:
        """Return its network.

        Parameters
        ----------
        far
            Resistance of the far side [Ω]; None for that of its sides.
        """
        v, f = self.values, self.asked
        nodes = [FAR, *(f"mid{k}" for k in range(1, self.stages)), NEAR]
        out = [Branch("far side", FAR, GROUND, self.sides.resistance if far is None else far)]
        if self.sides.far[0] > 0.0:
            out.append(
                Branch("C_0", FAR, GROUND, self.sides.far[1], f.capacitor_inductance, self.sides.far[0])
            )
        for k, (a, b) in enumerate(itertools.pairwise(nodes), start=1):
            tag = str(k) if self.stages > 1 else ""
            last = b == NEAR
            size, loss = self.sides.near if last else (v["C_f"], f.capacitor_resistance)
            out.append(Branch(f"C{tag}", b, GROUND, loss, f.capacitor_inductance, size))
            out += self._stage(tag, a, b)
        return out

    def _stage(self, tag: str, a: str, b: str) -> list[Branch]:
        """Return inductor and damping of a stage between two nodes."""
        v, f = self.values, self.asked
        choke = Branch(f"L{tag}", a, b, f.inductor_resistance, v["L_f"], 0.0, f.inductor_capacitance)
        way = f.damping if self.damped else "none"
        if way == "parallel-rc":
            return [choke, Branch(f"R_d{tag}", b, GROUND, v["R_d"], 0.0, v["C_d"])]
        if way == "parallel-rl":
            return [choke, Branch(f"R_d{tag}", a, b, v["R_d"], v["L_d"])]
        if way == "series-rl":
            inner = f"damped{tag}"
            return [
                replace(choke, b=inner),
                Branch(f"L_d{tag}", inner, b, 0.0, v["L_d"]),
                Branch(f"R_d{tag}", inner, b, v["R_d"]),
            ]
        return [choke]

    def driven(self, current: Complex | Real, frequencies: Real, far: float | None = None) -> Solution:
        """Return what a current that the converter draws does, (f,)."""
        return solve(self.branches(far), {NEAR: -current}, frequencies)

    def attenuation(self, frequencies: Real) -> Real:
        """Return by how many decibels the far current is smaller than that of the converter, (f,)."""
        far = None if self.sides.far[0] > 0.0 else SHORT
        found = self.driven(np.ones(len(frequencies)), frequencies, far)
        return np.asarray(-20.0 * np.log10(np.abs(found.currents["far side"])))

    def impedance(self, frequencies: Real) -> Complex:
        """Return its output impedance at the converter [Ω], (f,), the far side a stiff source."""
        return -self.driven(np.ones(len(frequencies)), frequencies, SHORT).nodes[NEAR]


SEARCHED = np.geomspace(1e1, 1e8, 3000)
"""Frequencies among which peaks of an impedance are looked for [Hz]."""


def peaks(found: Built) -> Real:
    """Return where the output impedance of a filter has its peaks [Hz], however sharp."""
    from scipy.optimize import minimize_scalar

    size = np.abs(found.impedance(SEARCHED))
    tops = np.flatnonzero((size[1:-1] >= size[:-2]) & (size[1:-1] > size[2:])) + 1
    out = []
    for k in tops.tolist():
        ends = math.log(SEARCHED[k - 1]), math.log(SEARCHED[k + 1])
        best = minimize_scalar(
            lambda x: -math.log(abs(found.impedance(np.array([math.exp(x)]))[0])), bounds=ends, method="bounded",
            options={"xatol": 1e-9},
        )  # fmt: skip
        out.append(math.exp(best.x))
    return np.array(out)


def largest(found: Built) -> float:
    """Return the largest output impedance of a filter [Ω]."""
    at = np.concatenate((SEARCHED, peaks(found)))
    return float(np.abs(found.impedance(at)).max())


def built(asked: Filter, sides: Sides, inductance: float, fitted: bool = True) -> Built:
    """Return a filter with an inductance [H], its damping by closed form.

    Parameters
    ----------
    fitted
        Whether damping parts get values of a series: resistors E24, capacitors and inductors E12.
    """
    sheet = Sheet((1, 1))
    sheet.give("L_f", inductance, "H", "inductor of each stage", "derived")
    size = sides.near[0] if asked.kind != "two-stage" or asked.capacitance is None else asked.capacitance
    sheet.give("C_f", size, "F", "capacitor of each stage", "file", "input.filter.capacitance")
    sheet.derive(Line("R_0", "sqrt(L_f/C_f)", "Ω", "characteristic impedance", "resonance of L_f and C_f"))
    sheet.derive(Line("f_0", "1/(2*pi*sqrt(L_f*C_f))", "Hz", "resonance", "resonance of L_f and C_f"))
    ratio = USUAL_RATIO[asked.damping] if asked.damping_ratio is None else asked.damping_ratio
    if asked.damping != "none":
        sheet.give(
            "n_d", ratio, "", "damping part over that of the filter", "file", "input.filter.damping_ratio"
        )
    for line in DAMPING[asked.damping]:
        sheet.derive(line)
        if fitted and line.symbol in ("C_d", "L_d"):
            sheet.prefer(line.symbol, next_higher(sheet[line.symbol].worst, "E12"))
        elif fitted and line.symbol == "R_d":
            sheet.prefer("R_d", closest(sheet["R_d"].worst, "E24"))
    return Built(asked, sides, sheet)


Excess = Callable[[Built], float]
"""By how many decibels a filter is worse than asked; below zero it keeps what is asked."""


def level(found: Built, draw: Draw) -> Real:
    """Return the level of each harmonic across the far side, rms [dBµV], (h,)."""
    far = found.driven(draw.amplitudes, draw.frequencies).nodes[FAR]
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(far), 1e-15) / math.sqrt(2.0) / 1e-6))


def ripple(found: Built, draw: Draw) -> float:
    """Return the ripple across the far side, peak to peak [V]."""
    return peak_to_peak(found.driven(draw.amplitudes, draw.frequencies).nodes[FAR])


def limit_at(lines: tuple[Real, Real], frequencies: Real) -> Real:
    """Return a limit line [dBµV] at frequencies, straight over their logarithm; infinite beyond its ends."""
    at, levels = lines
    found = np.interp(np.log(frequencies), np.log(at), levels)
    outside = (frequencies < at[0]) | (frequencies > at[-1])
    return np.where(outside, np.inf, found)


def excess_of(asked: Filter, draws: Sequence[Draw], lines: tuple[Real, Real] | None) -> Excess:
    """Return how far a filter is from what is asked of it, at the worst corner."""
    if asked.attenuation is not None:
        at, wanted = asked.at or min(d.frequency for d in draws), asked.attenuation + asked.margin
        return lambda found: wanted - float(found.attenuation(np.array([at]))[0])
    if asked.ripple is not None:
        most = asked.ripple
        return lambda found: (
            asked.margin + max(20.0 * math.log10(max(ripple(found, d), 1e-15) / most) for d in draws)
        )
    if lines is None:  # an inductance is given, nothing is asked
        return lambda _: -math.inf
    return lambda found: (
        asked.margin + max(float((level(found, d) - limit_at(lines, d.frequencies)).max()) for d in draws)
    )


@dataclass(frozen=True)
class Designed:
    """A filter for a limit; `missing` says by how many decibels it misses that, whatever the inductance unless that is given."""

    found: Built
    missing: float


def design(asked: Filter, sides: Sides, excess: Excess) -> Designed:
    """Return the filter with the least inductance of E12 that keeps what is asked.

    Raises
    ------
    InputError
        If there is no capacitor.
    """
    if sides.near[0] <= 0.0:
        raise InputError("filter.capacitance: expected, as the converter has no capacitor there")
    if asked.inductance is not None:
        given = built(asked, sides, asked.inductance)
        return Designed(given, max(excess(given), 0.0))
    tried = np.geomspace(LEAST, MOST, 37)
    values = [excess(built(asked, sides, float(x))) for x in tried]
    good = next((k for k, v in enumerate(values) if v <= 0.0), None)
    if good is None:
        k = int(np.argmin(values))
        return Designed(built(asked, sides, float(tried[k])), values[k])
    low, high = math.log(tried[max(good - 1, 0)]), math.log(tried[good])
    for _ in range(40):
        middle = 0.5 * (low + high)
        if excess(built(asked, sides, math.exp(middle))) <= 0.0:
            high = middle
        else:
            low = middle
    least = next_higher(math.exp(high), "E12")
    for _ in range(3):  # damping parts of a series may want one more
        found = built(asked, sides, least)
        if excess(found) <= 0.0:
            break
        least = next_higher(1.01 * least, "E12")
    return Designed(found, max(excess(found), 0.0))


@dataclass(frozen=True)
class Carried:
    """What a part carries at the worst corner: rms [A] and loss [W]."""

    name: str
    current: float
    loss: float


def carried(found: Built, draws: Sequence[Draw]) -> list[Carried]:
    """Return rms current and loss of every part, each at the corner where it is largest."""
    parts: dict[str, Carried] = {}
    for draw in draws:
        part = found.driven(np.ones(len(draw.amplitudes)), draw.frequencies, SHORT)
        still = found.driven(np.array([draw.direct]), np.array([STILL]), SHORT)
        for branch in found.branches(SHORT):
            if branch.name == "far side":
                continue
            alternating = draw.effective(part.currents[branch.name])
            current = math.hypot(alternating, abs(still.currents[branch.name][0]))
            one = Carried(branch.name, current, current**2 * branch.resistance)
            known = parts.get(branch.name)
            parts[branch.name] = one if known is None or one.current > known.current else known
    return list(parts.values())


def inrush(found: Built, voltage: float, resistance: float) -> float:
    """Return the peak current when a voltage [V] is switched on, the capacitors empty, behind a resistance [A].

    A step into L and C that a resistance R damps: V/(ω_d·L)·e^(−αt)·sin(ω_d·t) at its maximum, or V/R at most where it is
    overdamped; damping branches are left out, so that it is no less than what comes.
    """
    v, stages = found.values, found.stages
    inductance = stages * v["L_f"]
    capacitance = found.sides.near[0] + (stages - 1) * v["C_f"]
    series = resistance + stages * found.asked.inductor_resistance
    alpha, square = series / (2.0 * inductance), 1.0 / (inductance * capacitance)
    if alpha**2 >= square:
        root = math.sqrt(alpha**2 - square)
        if root == 0.0:
            return voltage / (inductance * alpha) / math.e
        at = math.atanh(root / alpha) / root
        return voltage / (inductance * root) * math.exp(-alpha * at) * math.sinh(root * at)
    ringing = math.sqrt(square - alpha**2)
    at = math.atan2(ringing, alpha) / ringing
    return voltage / (inductance * ringing) * math.exp(-alpha * at) * math.sin(ringing * at)
