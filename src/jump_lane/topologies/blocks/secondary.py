"""Circuits and gates behind a transformer that is driven both ways: centre tap, bridge, current doubler or half-wave."""

from __future__ import annotations

from jump_lane.circuit.elements import Diode, Element, IdealTransformer, Inductor, Winding
from jump_lane.circuit.gates import Gates, Instant, Interval, complement, instant, on, shifted
from jump_lane.topologies.blocks.transformers import path
from jump_lane.topologies.point import Point


def transformer(
    p: Point, primaries: tuple[tuple[str, str, str], ...], leak: bool = True, further: tuple[Winding, ...] = ()
) -> tuple[Element, ...]:
    """Return the transformer and all behind it up to the load.

    Parameters
    ----------
    primaries
        Name, dotted end and other end of each primary winding.
    leak
        Whether leakage inductance is put to the secondary.
    further
        Windings beside these, such as one that resets the core.
    """
    first = primaries[0]
    windings = tuple(Winding(name, a, b, p["n"]) for name, a, b in primaries)
    build = {"centre-tap": _centre_tap, "bridge": _bridge, "current-doubler": _doubler, "half-wave": _half_wave}[p.secondary]
    elements, secondaries = build(p, p["L_kT"] / p["n"] ** 2 if leak else 0.0)
    return (
        Inductor("L_m", first[1], first[2], p["L_m"]),
        IdealTransformer("T", (*windings, *secondaries, *further)),
        *elements,
        p.capacitor("C_o", "out", "gnd"),
        *p.load(),
    )


def _inner(p: Point, leak: float, inner: str, outer: str) -> str:
    return inner if leak > 0.0 or p["R_sT"] > 0.0 else outer


def _centre_tap(p: Point, leak: float) -> tuple[tuple[Element, ...], tuple[Winding, ...]]:
    rectifiers, windings = _tapped_rectifiers(p, leak, "sw")
    return (*rectifiers, p.phase_inductor("L1", "sw", "out", "L")), windings


def _tapped_rectifiers(p: Point, leak: float, into: str) -> tuple[tuple[Element, ...], tuple[Winding, ...]]:
    one, two = _inner(p, leak, "T.s1", "s1"), _inner(p, leak, "T.s2", "s2")
    elements = (
        *path("k1", "T.s1", "s1", leak, p["R_sT"]),
        *path("k2", "T.s2", "s2", leak, p["R_sT"]),
        p.rectifier("D1", "s1", into),
        p.rectifier("D2", "s2", into),
    )
    return elements, (Winding("Ns1", one, "gnd", 1.0), Winding("Ns2", "gnd", two, 1.0))


def _bridge(p: Point, leak: float) -> tuple[tuple[Element, ...], tuple[Winding, ...]]:
    rectifiers, windings = _bridge_rectifiers(p, leak, "sw")
    return (*rectifiers, p.phase_inductor("L1", "sw", "out", "L")), windings


def _bridge_rectifiers(p: Point, leak: float, into: str) -> tuple[tuple[Element, ...], tuple[Winding, ...]]:
    dotted = _inner(p, leak, "T.s1", "s1")
    elements = (
        *path("k1", "T.s1", "s1", leak, p["R_sT"]),
        p.rectifier("D1", "s1", into, shares=True),
        p.rectifier("D2", "s2", into, shares=True),
        p.rectifier("D3", "gnd", "s2", shares=True),
        p.rectifier("D4", "gnd", "s1", shares=True),
    )
    return elements, (Winding("Ns1", dotted, "s2", 1.0),)


def _doubler(p: Point, leak: float) -> tuple[tuple[Element, ...], tuple[Winding, ...]]:
    dotted = _inner(p, leak, "T.s1", "s1")
    elements = (
        *path("k1", "T.s1", "s1", leak, p["R_sT"]),
        p.rectifier("D1", "gnd", "s2"),
        p.rectifier("D2", "gnd", "s1"),
        p.phase_inductor("L1", "s1", "out", "L"),
        p.phase_inductor("L2", "s2", "out", "L"),
    )
    return elements, (Winding("Ns1", dotted, "s2", 1.0),)


def _half_wave(p: Point, leak: float) -> tuple[tuple[Element, ...], tuple[Winding, ...]]:
    dotted = _inner(p, leak, "T.s1", "s1")
    elements = (
        *path("k1", "T.s1", "s1", leak, p["R_sT"]),
        p.rectifier("D1", "s1", "sw"),
        p.rectifier("D2", "gnd", "sw"),
        p.phase_inductor("L1", "sw", "out", "L"),
    )
    return elements, (Winding("Ns1", dotted, "gnd", 1.0),)


def into_capacitor(p: Point, primary: Winding) -> tuple[Element, ...]:
    """Return transformer and rectifiers that feed the output without an inductor: a bridge or a centre tap."""
    build = {"centre-tap": _tapped_rectifiers, "bridge": _bridge_rectifiers}[p.secondary]
    elements, secondaries = build(p, 0.0, "out")
    return (IdealTransformer("T", (primary, *secondaries)), *elements)


def rectify(p: Point, first: tuple[Interval, ...], second: tuple[Interval, ...]) -> Gates:
    """Return the gates of synchronous rectifiers: each is open while the pulse that it blocks lasts.

    Parameters
    ----------
    first, second
        Intervals of the pulses that make the dotted end positive, and negative.
    """
    if not p.synchronous:
        return {}
    dead = p["t_d"] * p["f_s"]
    blocked_first, blocked_second = complement(first, dead), complement(second, dead)
    return alternately(p, blocked_second, blocked_first)


def handing_over(p: Point, end: Instant) -> Gates:
    """Return the gates of synchronous rectifiers that conduct for half of the period each.

    Each closes a dead time before the other opens, which it does a dead time before the half: the inductor current has
    a path at any time, whichever way it flows.  It does not close before a dead time has gone by after the pulse that it
    blocks, which lasts from the start of the period to ``end``.
    """
    if not p.synchronous:
        return {}
    dead, half = p["t_d"] * p["f_s"], 0.5
    close = max(end + dead, instant(half - 2.0 * dead), key=lambda at: at.fraction)
    return alternately(p, on(close - half, half - dead), on(close, 1.0 - dead))


def alternately(p: Point, first: tuple[Interval, ...], second: tuple[Interval, ...]) -> Gates:
    """Return the gates of rectifiers from the intervals in which those of odd and of even number conduct."""
    names = ("D1", "D2", "D3", "D4") if p.secondary == "bridge" else ("D1", "D2")
    return {name: (first, second)[k % 2] for k, name in enumerate(names)}


def in_turn(duty: Instant, p: Point, first: tuple[str, ...], second: tuple[str, ...]) -> Gates:
    """Return the gate pattern of switches that drive the core one way, and half a period later the other way."""
    one, two = on(0.0, duty), shifted(on(0.0, duty), 0.5)
    return {**dict.fromkeys(first, one), **dict.fromkeys(second, two), **rectify(p, one, two)}


def freewheels(p: Point, *places: tuple[str, str]) -> tuple[Element, ...]:
    """Return the diodes across primary switches that leakage needs where these have no body diodes of their own."""
    if p.synchronous or p["L_kT"] == 0.0:
        return ()
    return tuple(Diode(f"D_b{k}", a, b) for k, (a, b) in enumerate(places, start=1))
