"""Valves: what is either open or conducting, the channels of switches, diodes, and the knots of saturating inductors."""

from __future__ import annotations

from dataclasses import dataclass

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import Diode, Inductor, Switch
from jump_lane.errors import InputError


@dataclass(frozen=True)
class Valve:
    """One open-or-conducting branch.

    Attributes
    ----------
    v_f, r
        Forward voltage [V] and resistance [Ω] when it conducts.
    gated
        Whether a gate alone decides.
    gate
        Of a natural valve: the gate that bars it while off.
    within, sign
        The branch whose current it is part of, and how it counts there.
    knot
        Whether it is a knot of a saturating inductor.
    """

    name: str
    a: str
    b: str
    v_f: float
    r: float
    gated: bool
    gate: str = ""
    within: str = ""
    sign: float = 1.0
    knot: bool = False


def valves_of(circuit: Circuit) -> tuple[list[Valve], int]:
    """Return the channels of switches, gated ones first, and the diodes; and how many are gated."""
    gated, natural = [], []
    for e in circuit.elements:
        if isinstance(e, Switch):
            gated.append(Valve(e.name, e.a, e.b, 0.0, e.r_on, True))
            if e.threshold > 0.0:
                channel = Valve(f"{e.name}.on", e.a, e.b, e.threshold, e.r_on, False, e.name, within=e.name)
                natural.append(channel)
            if e.body is not None:
                a, b = (e.a, e.b) if e.body.forward else (e.b, e.a)
                sign = 1.0 if e.body.forward else -1.0
                body = e.body
                natural.append(
                    Valve(f"{e.name}.body", a, b, body.v_f, body.r_d, False, within=e.name, sign=sign)
                )
        elif isinstance(e, Diode):
            natural.append(Valve(e.name, e.a, e.b, e.v_f, e.r_d, False))
    return gated + natural, len(gated)


@dataclass(frozen=True)
class Knot:
    """A knot of the curve of a saturating inductor, in one direction: i = slope·(sign·λ − flux)."""

    valve: Valve
    inductor: str
    slope: float
    flux: float


def knots_of(circuit: Circuit) -> list[Knot]:
    """Return every knot of every saturating inductor, once for each direction.

    Raises
    ------
    InputError
        If a curve does not ascend in current, or its inductance does not fall.
    """
    found = []
    for e in (e for e in circuit.elements if isinstance(e, Inductor)):
        current, flux, inductance = 0.0, 0.0, e.inductance
        for k, (start, following) in enumerate(e.saturation, start=1):
            if not (start > current and 0.0 < following < inductance):
                raise InputError(f"saturation of {e.name}: currents have to ascend and inductances to fall")
            flux += inductance * (start - current)
            slope = 1.0 / following - 1.0 / inductance
            for mark, a, b, sign in (("+", e.a, e.b, 1.0), ("-", e.b, e.a, -1.0)):
                valve = Valve(
                    f"{e.name}.knee{k}{mark}", a, b, 0.0, 1.0, False, within=e.name, sign=sign, knot=True
                )
                found.append(Knot(valve, e.name, slope, flux))
            current, inductance = start, following
    return found
