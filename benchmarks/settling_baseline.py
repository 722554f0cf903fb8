"""Settling to the periodic steady state as a careful user of a general integrator would write it.

Three circuits with hand-written modes and events, integrated by LSODA from zero until the remaining error of
every state, extrapolated from its geometric decay, is below 1e-4 of its size.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
from scipy.integrate import solve_ivp

Mode = tuple[str, ...]


def falling(function: Callable[..., float]) -> Callable[..., float]:
    """Mark an event that ends a mode when `function` falls through zero."""
    function.terminal = True  # type: ignore[attr-defined]
    function.direction = -1  # type: ignore[attr-defined]
    return function


class Buck:
    """States: inductor current, output voltage."""

    def __init__(self, c) -> None:
        self.c = c
        self.period, self.size = c.period, np.array([1.0, 20.0])
        self.edges = [(0.0, "on"), (c.duty, "off")]

    def begin(self, gate: str, x) -> Mode:
        return (gate,) if gate == "on" or x[0] > 0.0 else ("idle",)

    def slope(self, mode: Mode):
        c = self.c

        def on(t, x):
            return (c.v_in - c.r_on * x[0] - x[1]) / c.l, (x[0] - x[1] / c.r) / c.c

        def off(t, x):
            return (-c.v_f - c.r_d * x[0] - x[1]) / c.l, (x[0] - x[1] / c.r) / c.c

        def idle(t, x):
            return 0.0, -x[1] / c.r / c.c

        return {"on": on, "off": off, "idle": idle}[mode[0]]

    def events(self, mode: Mode):
        return [falling(lambda t, x: x[0])] if mode == ("off",) else []

    def after(self, mode: Mode, event: int, x) -> Mode:
        x[0] = 0.0
        return ("idle",)


class ClampedFlyback:
    """States: leakage current, magnetising current, clamp voltage, output capacitor voltage."""

    def __init__(self, c) -> None:
        self.c = c
        self.period, self.size = c.period, np.array([1.7, 1.7, 170.0, 11.0])
        self.edges = [(0.0, "on"), (c.duty, "off")]

    def begin(self, gate: str, x) -> Mode:
        secondary = "D" if x[1] - x[0] > 1e-9 else "-"
        if gate == "on":
            return ("S", secondary)
        if x[0] <= 1e-9:
            return ("-", "D" if x[1] > 1e-9 else "-")
        reflected = self.c.a * (self.clamp(x) + self.c.r_leak * x[0])
        return ("C", "D" if reflected > x[3] + self.c.v_f else "-")

    def clamp(self, x) -> float:
        return x[2] + self.c.v_fc + self.c.r_dc * x[0]

    def output(self, x, i) -> float:
        return (x[3] + self.c.esr * i) / (1.0 + self.c.esr / self.c.r)

    def slope(self, mode: Mode):
        c, (primary, secondary) = self.c, mode

        def f(t, x):
            i = (x[1] - x[0]) / c.a if secondary == "D" else 0.0
            v = self.output(x, i)
            drive = (
                c.v_in - (c.r_on + c.r_leak) * x[0] if primary == "S" else -self.clamp(x) - c.r_leak * x[0]
            )
            if secondary == "D":
                across = -(v + c.v_f + c.r_d * i) / c.a
                dm, dk = across / c.l_m, (drive - across) / c.l_leak if primary != "-" else 0.0
            else:
                dm = dk = drive / (c.l_m + c.l_leak) if primary != "-" else 0.0
            clamped = x[0] if primary == "C" else 0.0
            return dk, dm, (clamped - x[2] / c.r_c) / c.c_c, (i - v / c.r) / c.c

        return f

    def events(self, mode: Mode):
        c, (primary, secondary) = self.c, mode
        out = []
        if secondary == "D":
            out.append(falling(lambda t, x: x[1] - x[0]))
        elif primary == "C":
            share = c.a * c.l_m / (c.l_m + c.l_leak)
            out.append(falling(lambda t, x: x[3] + c.v_f - share * (self.clamp(x) + c.r_leak * x[0])))
        else:
            out.append(falling(lambda t, x: 1.0))
        if primary == "C":
            out.append(falling(lambda t, x: x[0]))
        return out

    def after(self, mode: Mode, event: int, x) -> Mode:
        primary, secondary = mode
        if event == 1:
            x[0] = 0.0
            return ("-", "D" if x[1] > 1e-9 else "-")
        if secondary == "-":
            return (primary, "D")
        x[0] = x[1] = 0.0 if primary == "-" else 0.5 * (x[0] + x[1])
        return (primary, "-")


class Resonant:
    """Half-bridge LLC; states: resonant current, magnetising current, resonant voltage, output voltage."""

    def __init__(self, c) -> None:
        self.c = c
        self.period, self.size = c.period, np.array([3.0, 3.0, 194.0, 27.0])
        self.edges = [(0.0, "dead"), (c.dead, "high"), (0.5, "dead"), (0.5 + c.dead, "low")]

    def begin(self, gate: str, x) -> Mode:
        leg = gate
        if gate == "dead":
            leg = "up" if x[0] < -1e-12 else "down" if x[0] > 1e-12 else "open"
        return (leg, self.rectifies(leg, x))

    def node(self, leg: str, x) -> float:
        c = self.c
        return {
            "high": c.v_in - c.r_on * x[0],
            "low": -c.r_on * x[0],
            "up": c.v_in + c.v_fb - c.r_b * x[0],
            "down": -c.v_fb - c.r_b * x[0],
        }[leg]

    def output(self, x, i) -> float:
        return (x[3] + self.c.esr * i) / (1.0 + self.c.esr / self.c.r)

    def open_primary(self, leg: str, x) -> float:
        c = self.c
        if leg == "open":
            return 0.0
        return (self.node(leg, x) - c.r_r * x[0] - x[2]) * c.l_m / (c.l_m + c.l_r)

    def rectifies(self, leg: str, x) -> str:
        difference = x[0] - x[1]
        if abs(difference) > 1e-9:
            return "+" if difference > 0 else "-"
        reflected, needed = self.c.a * self.open_primary(leg, x), self.output(x, 0.0) + self.c.v_f
        return "+" if reflected > needed else "-" if -reflected > needed else "0"

    def slope(self, mode: Mode):
        c, leg, sign = self.c, mode[0], {"+": 1.0, "-": -1.0, "0": 0.0}[mode[1]]

        def f(t, x):
            i = sign * (x[0] - x[1]) / c.a
            v = self.output(x, i)
            if sign:
                across = sign * (v + c.v_f + c.r_d * i) / c.a
                dm = across / c.l_m
                dr = 0.0 if leg == "open" else (self.node(leg, x) - c.r_r * x[0] - x[2] - across) / c.l_r
            elif leg == "open":
                dr = dm = 0.0
            else:
                dr = dm = (self.node(leg, x) - c.r_r * x[0] - x[2]) / (c.l_r + c.l_m)
            return dr, dm, x[0] / c.c_r, (i - v / c.r) / c.c

        return f

    def events(self, mode: Mode):
        c, (leg, side) = self.c, mode
        sign = {"+": 1.0, "-": -1.0}.get(side, 0.0)
        if sign:
            out = [falling(lambda t, x: sign * (x[0] - x[1]))]
        else:
            out = [
                falling(lambda t, x, s=s: self.output(x, 0.0) + c.v_f - s * c.a * self.open_primary(leg, x))
                for s in (1.0, -1.0)
            ]
        if leg in ("up", "down"):
            out.append(falling(lambda t, x: -x[0] if leg == "up" else x[0]))
        return out

    def after(self, mode: Mode, event: int, x) -> Mode:
        leg, side = mode
        if side != "0" and event == 0:
            x[0] = x[1] = 0.5 * (x[0] + x[1])
            return (leg, "0")
        if side == "0" and event < 2:
            return (leg, "+-"[event])
        x[0] = 0.0
        return ("open", side)


def one_period(circuit, x):
    """Integrate one period from x."""
    edges = [*circuit.edges, (1.0, "")]
    for (start, gate), (end, _) in pairwise(edges):
        t, stop = start * circuit.period, end * circuit.period
        mode = circuit.begin(gate, x)
        while stop - t > 1e-12 * circuit.period:
            done = solve_ivp(
                circuit.slope(mode), (t, stop), x, method="LSODA", rtol=1e-6, atol=1e-7 * circuit.size,
                events=circuit.events(mode) or None,
            )  # fmt: skip
            t, x = done.t[-1], done.y[:, -1].copy()
            if done.status == 1:
                which = next(k for k, hits in enumerate(done.t_events) if len(hits))
                mode = circuit.after(mode, which, x)
    return x


def settle(circuit, block: int = 20, limit: int = 6000) -> tuple[np.ndarray, int]:
    """Integrate until the extrapolated remaining error is below 1e-4; return the state and the periods."""
    x = np.zeros(len(circuit.size))
    history = [x]
    count = 0
    while count < limit:
        count += block
        for _ in range(block):
            x = one_period(circuit, x)
        history.append(x)
        if len(history) >= 4:
            last = (np.abs(history[-1] - history[-2]) / circuit.size).max()
            before = (np.abs(history[-2] - history[-3]) / circuit.size).max()
            ratio = min(0.99, last / max(before, 1e-300))
            if last < before and last * ratio / (1.0 - ratio) < 1e-4:
                break
    return x, count
