"""Circuit, gates and modes of a half or full bridge that drives a resonant tank, with a rectifier into a capacitor.

        in ──┬──────┐                        ┌──D1──┬── out
             S1     │                   ║ N_s┤      │
             ├─ m ──│── L_r ── C_r ──┐  ║ ───┼─ gnd C_o  load
             S2     │             N_p ║ ║ N_s┤      │
        gnd ─┴──────┴────────────────┘       └──D2──┘

A full bridge has S3 and S4 at the other end of the primary.  With synchronous rectifiers each one conducts while its own
current flows forward: its controller senses that, so that it is a diode without forward voltage.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.circuit.control import Control
from jump_lane.circuit.elements import Capacitor, Diode, Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, on
from jump_lane.equations.sheet import NEAR, Line, Sheet
from jump_lane.quantities import FREQUENCY
from jump_lane.topologies.blocks.transformers import TURNS, path
from jump_lane.topologies.page import Bound, Gain, Naming, Page, Seen, Side
from jump_lane.topologies.point import Point
from jump_lane.topologies.role import Role
from jump_lane.topologies.variant import Variant

BELOW, AT, ABOVE = "below", "at", "above"
"""Where a corner lies: below, at or above the series resonance."""

CLOSE = 0.005
"""A frequency within this part of the resonance is at it."""

SIDES = ("centre-tap", "bridge")

ROLES = (
    Role("S1", "switch", also=("S2", "S3", "S4")),
    Role("D1", "rectifier", also=("D2", "D3", "D4")),
    Role("T", "transformer"),
    Role("L_r", "inductor", tank=True),
    Role("C_r", "capacitor", also=("C_r2",), tank=True),
    Role("C_o", "capacitor"),
    Role("C_i", "capacitor"),
)

START = {"C_o": "V_o", "C_S1": "V_in", "C_S4": "V_in"}
"""Where a simulation starts from: the output there, S2 and S3 just opened."""

SIDE = Side(
    reserve=lambda seen, p: turned(seen),
    name="the tank current leads there: every switch turns on against voltage; a lower quality factor (a smaller L_r) or a "
    "lower inductance ratio moves the peak of the gain away",
    short="a lower tank.inductance_ratio, a smaller L_r or a narrower input range raises the peak",
    over="raise switching.frequency_limits, or let it run in bursts",
)


def span(frequency: Instant, p: Point) -> Instant:
    """Return the period over that of the resonance asked."""
    return p["f_r"] / frequency


def gates(frequency: Instant, p: Point, legs: int) -> Gates:
    """Return the gates of one or two legs: each switch for half of the period less the dead time, which stays what it is."""
    dead, half = p["t_d"] * p["f_r"], span(frequency, p) * 0.5
    first, second = on(dead, half), on(half + dead, half + half)
    return {"S1": first, "S2": second, **({"S3": second, "S4": first} if legs == 2 else {})}


def bridge(p: Point, legs: int) -> tuple[Element, ...]:
    """Return source and switches; output capacitances need dead time and resistance to swing."""
    nodes = {"S1": ("in", "m"), "S2": ("m", "gnd"), "S3": ("in", "b"), "S4": ("b", "gnd")}
    used = {name: ends for name, ends in nodes.items() if legs == 2 or name in ("S1", "S2")}
    swing = p["C_S1"] > 0.0 and p["t_d"] > 0.0 and p["R_S1"] > 0.0
    return (
        p.source(),
        *(p.switch(name, *ends) for name, ends in used.items()),
        *(Capacitor(f"C_{name}", *ends, p["C_S1"]) for name, ends in used.items() if swing),
    )


def tank(p: Point, legs: int, magnetising: bool) -> tuple[Element, ...]:
    """Return tank, transformer, rectifier, output capacitor and load."""
    back = "b" if legs == 2 else "gnd"
    end = "T.x" if p["R_pT"] > 0.0 else "x"
    split = p["k_s"] > 1.0 and legs == 1
    foot = "c" if split else back
    series: tuple[Element, ...] = (p.inductor("L_r", "m", "r"),)
    if split:
        series = (p.inductor("L_r", "m", "x"), _capacitor(p, "C_r", foot, "gnd"), _capacitor(p, "C_r2", "in", foot))
    else:
        series = (*series, _capacitor(p, "C_r", "r", "x"))
    core = (Inductor("L_m", end, foot, p["L_m"]),) if magnetising else ()
    windings, rectifiers = _centre_tap(p) if p.secondary == "centre-tap" else _rectifier_bridge(p)
    return (
        *series,
        *path("p", "x", end, 0.0, p["R_pT"]),
        *core,
        IdealTransformer("T", (Winding("Np", end, foot, p["n"]), *windings)),
        *rectifiers,
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def _capacitor(p: Point, name: str, a: str, b: str) -> Capacitor:
    return Capacitor(name, a, b, p["C_r"], p["R_Cr"])


def _centre_tap(p: Point) -> tuple[tuple[Winding, ...], tuple[Element, ...]]:
    halves = ((p["L_s1"], p["R_sT"]), (p["L_s2"], p["R_sT"] + p["R_s2"]))
    inner = [f"T.s{k}" if leak > 0.0 or r > 0.0 else f"s{k}" for k, (leak, r) in enumerate(halves, start=1)]
    leads = [e for k, half in enumerate(halves, start=1) for e in path(f"k{k}", f"T.s{k}", f"s{k}", *half)]
    windings = (Winding("Ns1", inner[0], "gnd", 1.0), Winding("Ns2", "gnd", inner[1], p["k_2"]))
    return windings, (*leads, _rectifier(p, "D1", "s1", "out"), _rectifier(p, "D2", "s2", "out"))


def _rectifier_bridge(p: Point) -> tuple[tuple[Winding, ...], tuple[Element, ...]]:
    dotted = "T.s1" if p["L_s1"] > 0.0 or p["R_sT"] > 0.0 else "s1"
    places = {"D1": ("s1", "out"), "D2": ("s2", "out"), "D3": ("gnd", "s2"), "D4": ("gnd", "s1")}
    rectifiers = (_rectifier(p, name, *ends) for name, ends in places.items())
    return (Winding("Ns1", dotted, "s2", 1.0),), (*path("k1", "T.s1", "s1", p["L_s1"], p["R_sT"]), *rectifiers)


def _rectifier(p: Point, name: str, anode: str, cathode: str) -> Element:
    return Diode(name, anode, cathode, p["V_FD1"], p["R_D1"])


def turned(seen: Seen) -> float:
    """Return the tank current as S1 opens [A]: positive, it swings the node over; negative, it leads."""
    return seen.value_at("L_r.i", seen.period / 2.0, after=False)


def shown(seen: Seen, p: Point) -> str:
    """Return where a simulated period lies and how the rectifier conducts; capacitive: the tank current leads."""
    ratio = 1.0 / (seen.period * p["f_0"])
    place = AT if abs(ratio - 1.0) <= CLOSE else BELOW if ratio < 1.0 else ABOVE
    off = 1.0 - seen.carrying("D1", "D2") > NEAR
    leads = "capacitive " if turned(seen) < 0.0 else ""
    return f"{leads}{place}/{'discontinuous' if off else 'continuous'}"


def derived(sheet: Sheet) -> NDArray[np.str_]:
    """Return where every corner lies by the gain that it needs."""
    gain = np.broadcast_to(sheet["M"].values, sheet.shape)
    return np.where(gain > 1.0 + CLOSE, BELOW, np.where(gain < 1.0 - CLOSE, ABOVE, AT))


NAMING = Naming("Q", derived, shown)


@dataclass(frozen=True)
class Kind:
    """A kind of tank: its equations, by the part of the input that drives it, and what is said and drawn of it."""

    equations: Callable[[Variant, str], tuple[Line, ...]]
    magnetising: bool
    side: Side
    gain: Gain
    bounds: tuple[Bound, ...]
    figure: tuple[tuple[str, tuple[str, ...]], ...]


def page(kind: Kind, legs: int, name: str, title: str, good_for: str, conversion: str) -> Page:
    """Return the page of a tank of some kind behind one or two legs.

    With one leg the resonant capacitor takes half of the input, and the other half, one way or the other, drives the tank;
    with two legs the whole input does.
    """
    share = "0.5" if legs == 1 else "1"
    return Page(
        name=name,
        title=title,
        good_for=good_for,
        conversion=conversion,
        isolated=True,
        roles=ROLES,
        equations=lambda v: kind.equations(v, share),
        circuit=lambda p: (*bridge(p, legs), *tank(p, legs, kind.magnetising)),
        gates=lambda frequency, p: gates(frequency, p, legs),
        span=span,
        clock="f_r",
        control=Control("f_s", "switching frequency", 0.0, 1e9, FREQUENCY, "f_min", "f_max", sure=False),
        naming=NAMING,
        side=kind.side,
        gain=kind.gain,
        bodies=True,
        soft=True,
        splits=legs == 1,
        start=START,
        idle=("D1", "D2"),
        duty_limit=0.0,
        turns=TURNS,
        bounds=kind.bounds,
        secondaries=SIDES,
        figure=kind.figure,
    )
