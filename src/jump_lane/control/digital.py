"""Digital: a controller that samples once a period and latches the control variable at a clock.

        e = r − y,   I := I + K_i·e,   u = I + K_p·e   some whole periods later

Its loop gain is L(z) = (K_p + K_i·z/(z − 1))·z⁻ᵈ·H(z), with the sampled response H of the power stage, exact.

References
----------
A. V. Peterchev and S. R. Sanders, "Quantization resolution and limit cycling in digitally controlled PWM converters", IEEE
Trans. Power Electronics 18 (2003) 301-308 (when steps of the pulse width make the loop wander).
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field, replace
from statistics import median

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.control import Control
from jump_lane.control.margins import Gain
from jump_lane.control.stage import Complex, Stage
from jump_lane.spec.loop import Loop
from jump_lane.switching.response import Responses, multipliers

SEED = 1
"""Of the noise of readings: every run sees the same."""


@dataclass(frozen=True)
class Gains:
    """Proportional and integral gain, control per unit of error (and period)."""

    proportional: float
    integral: float

    def times(self, factor: float) -> Gains:
        """Return both gains times a factor."""
        return Gains(factor * self.proportional, factor * self.integral)


@dataclass(frozen=True)
class Sampled:
    """A digital loop with its gains."""

    loop: Loop
    gains: Gains

    def with_gains(self, gains: Gains) -> Sampled:
        """Return the same with other gains."""
        return replace(self, gains=gains)

    def law_gain(self, frequencies: NDArray[np.float64], period: float) -> Complex:
        """Return what the controller makes of an error, delay included, (f,)."""
        z = np.exp(2j * math.pi * frequencies * period)
        return np.asarray(
            (self.gains.proportional + self.gains.integral * z / (z - 1.0))
            * z ** -float(self.loop.digital.delay)
        )

    def plant(self, stage: Stage) -> Gain:
        """Return the sampled response of what is held (row ``held``) to the control variable."""
        return lambda frequencies: stage.responses.sampled("held", frequencies, self.loop.digital.sample)

    def gain(self, responses: Responses, frequencies: NDArray[np.float64]) -> Complex:
        """Return the loop gain around a power stage in open loop, (f,)."""
        plant = responses.sampled("held", frequencies, self.loop.digital.sample)
        return self.law_gain(frequencies, responses.period) * plant

    def multipliers(self, responses: Responses) -> Complex:
        """Return the multipliers of the closed loop, the largest first."""
        return multipliers(_map(self, responses))


def _map(loop: Sampled, responses: Responses) -> NDArray[np.float64]:
    """Return the map of a deviation over a period.

    States: those of the stage at the clock, the integral, and the values of the control that wait.
    """
    phi, gamma = responses.tangent[:, :-1], responses.tangent[:, -1:]
    row, direct = responses.seen("held", loop.loop.digital.sample)
    n, d = len(phi), loop.loop.digital.delay
    size = n + 1 + d
    out, due, error = np.zeros((size, size)), np.zeros(size), np.zeros(size)
    if d:
        due[n + 1] = 1.0
    error[:n] = -row
    if loop.loop.digital.sample > 0.0:
        error -= direct * due
    asked = (loop.gains.proportional + loop.gains.integral) * error
    asked[n] += 1.0
    if d == 0:
        due = asked
    out[:n, :n] = phi
    out[:n] += gamma @ due[None]
    out[n] = loop.gains.integral * error
    out[n, n] += 1.0
    for k in range(d):
        out[n + 1 + k] = asked if k == d - 1 else np.eye(size)[n + 2 + k]
    return out


def slowly(responses: Responses) -> float:
    """Return what the control does to what is held when it moves slowly."""
    return float(responses.sampled("held", np.array([1e-6 / responses.period]))[0].real)


def gains_for(
    loop: Loop, period: float, plant: complex, still: float, crossover: float, margin: float
) -> Gains:
    """Return the gains that put crossover and phase margin [°] where they are wanted.

    C(z) = K_p + K_i·z/(z − 1) has to be 1/|z⁻ᵈH| at an angle of margin − 180° − arg(z⁻ᵈH) there; an integral alone has one
    gain, and the margin follows.  Where more of the control lowers the output (``still``, what it does slowly, is below zero),
    the gains are negative.
    """
    falling = -1.0 if still < 0.0 else 1.0
    z = complex(np.exp(2j * math.pi * crossover * period))
    open_loop = plant * z ** -float(loop.digital.delay)
    summing = z / (z - 1.0)
    if loop.digital.gains == "integral":
        return Gains(0.0, falling / abs(open_loop * summing))
    wanted = complex(np.exp(1j * math.radians(margin - 180.0))) / open_loop
    integral = wanted.imag / summing.imag
    proportional = wanted.real - integral * summing.real
    if falling * proportional < 0.0:  # the integral alone leaves more than the margin asked
        return Gains(0.0, falling / abs(open_loop * summing))
    return Gains(proportional, integral)


@dataclass
class Controller:
    """A digital controller at work; called once a period (`Clocked`).

    Attributes
    ----------
    control_range
        The control variable and its range.
    waiting
        Values of the control that are still to come, the next one first.
    """

    loop: Loop
    gains: Gains
    control_range: Control
    reference: float
    integral: float
    sample: float = 0.0
    rows: tuple[str, ...] = ("held",)
    waiting: deque[float] = field(default_factory=deque)
    readings: deque[float] = field(default_factory=deque)

    def __post_init__(self) -> None:
        d = self.loop.digital
        self.sample = d.sample
        self.waiting = deque([self.integral] * d.delay)
        self.readings = deque(maxlen=d.median)
        self._noise = np.random.default_rng(SEED)
        self._last = self.integral
        self._now, self._pace = self.reference, math.inf

    def aim(self, reference: float, pace: float) -> None:
        """Hold another value from now on, which it goes to by at most so much a period; at once if that is zero."""
        self.reference, self._pace = reference, abs(pace) or math.inf

    def from_rest(self, periods: float) -> None:
        """Start with nothing charged; the reference rises from zero in so many periods, or is there at once."""
        self.integral = self._last = self.control_range.lowest
        self.waiting = deque([self.integral] * self.loop.digital.delay)
        self._now = 0.0
        self.aim(self.reference, self.reference / periods if periods > 0.0 else 0.0)

    def control(self) -> float:
        """Return the control variable of the period that begins, in steps if it has any, in its range."""
        self._last = self.waiting.popleft() if self.waiting else self._last
        value, step = self._last, self.loop.digital.duty_step
        if step is not None:
            value = step * math.floor(value / step + 0.5)
        low, high = self._limits
        return min(max(value, low), high)

    @property
    def _limits(self) -> tuple[float, float]:
        return self.control_range.lowest, self.control_range.highest * self.loop.longest

    def read(self, values: tuple[float, ...]) -> None:
        """Take in a sample, and let the control that follows from it wait."""
        d = self.loop.digital
        seen = values[0] + (float(self._noise.normal(0.0, d.noise)) if d.noise else 0.0)
        self.readings.append(seen)
        self._now += min(max(self.reference - self._now, -self._pace), self._pace)
        error = self._now - median(self.readings)
        if d.voltage_step is not None:
            error = d.voltage_step * math.floor(error / d.voltage_step + 0.5)
        low, high = self._limits
        integral = self._rounded(self.integral + self.gains.integral * error)
        wanted = integral + self._rounded(self.gains.proportional * error)
        pushed = self.gains.integral * error
        driven_in = (wanted > high and pushed > 0.0) or (wanted < low and pushed < 0.0)
        if not driven_in:
            self.integral = integral  # else it would wind up
        self.waiting.append(wanted)

    def _rounded(self, value: float) -> float:
        bits = self.loop.digital.word
        return value if bits is None else math.floor(value * 2.0**bits + 0.5) / 2.0**bits


def wanders(duty_step: float, step: float, responses: Responses) -> bool:
    """Tell whether a step of the control moves what is held by more than a step of its reading: then no reading of the right
    value may exist, and the loop wanders about it (Peterchev and Sanders 2003)."""
    return duty_step * abs(slowly(responses)) > step
