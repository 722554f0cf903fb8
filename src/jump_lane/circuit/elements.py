"""Circuit elements with ideal piecewise-linear behaviour.

Everywhere the element current flows from terminal ``a`` through the element to terminal ``b`` and the
element voltage is the potential of ``a`` minus that of ``b``; the power taken is their product.
"""

from __future__ import annotations

from dataclasses import dataclass, replace


@dataclass(frozen=True)
class VoltageSource:
    """An ideal DC voltage [V]; it delivers power where its element power is negative."""

    name: str
    a: str
    b: str
    voltage: float


@dataclass(frozen=True)
class CurrentSource:
    """An ideal DC current [A] driven from ``a`` through the element to ``b``."""

    name: str
    a: str
    b: str
    current: float


@dataclass(frozen=True)
class Resistor:
    """A resistance [Ω], not zero."""

    name: str
    a: str
    b: str
    resistance: float


@dataclass(frozen=True)
class Inductor:
    """An inductance [H] in series with its winding resistance [Ω].

    ``saturation`` lists, ascending, from which current magnitude [A] on which (incremental) inductance [H]
    holds; below the first it is ``inductance``.
    """

    name: str
    a: str
    b: str
    inductance: float
    resistance: float = 0.0
    saturation: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Capacitor:
    """A capacitance [F] in series with its equivalent series resistance [Ω]."""

    name: str
    a: str
    b: str
    capacitance: float
    resistance: float = 0.0


@dataclass(frozen=True)
class Winding:
    """One winding of a magnetic part; ``a`` is the dotted end.

    ``turns`` counts for an ideal transformer, ``resistance`` [Ω] for coupled inductors.
    """

    name: str
    a: str
    b: str
    turns: float = 1.0
    resistance: float = 0.0


@dataclass(frozen=True)
class CoupledInductors:
    """Windings that share flux, with their symmetric inductance matrix [H]."""

    name: str
    windings: tuple[Winding, ...]
    inductance: tuple[tuple[float, ...], ...]


@dataclass(frozen=True)
class Mutual:
    """Flux that two inductors of a circuit, named by ``first`` and ``second``, share: their mutual inductance [H], of either sign."""

    name: str
    first: str
    second: str
    inductance: float


@dataclass(frozen=True)
class IdealTransformer:
    """Windings with voltages in the ratio of their turns and ampere-turns that add up to zero."""

    name: str
    windings: tuple[Winding, ...]


@dataclass(frozen=True)
class Diode:
    """Anode ``a``, cathode ``b``; conducting it holds v_f + r_d·i, open it carries no current at all."""

    name: str
    a: str
    b: str
    v_f: float = 0.0
    r_d: float = 0.0


@dataclass(frozen=True)
class BodyDiode:
    """The diode inside a switch: forward voltage [V] and resistance [Ω].

    It conducts from ``b`` to ``a`` (a switch that blocks positive voltage), or from ``a`` to ``b`` if
    ``forward`` (a switch that stands in for a diode).
    """

    v_f: float = 0.0
    r_d: float = 0.0
    forward: bool = False


@dataclass(frozen=True)
class Switch:
    """A gated channel of resistance ``r_on`` [Ω] in both directions; open it carries no current.

    With a ``threshold`` [V] it is that of a bipolar device: it holds threshold + r_on·i, and from a to b only.
    """

    name: str
    a: str
    b: str
    r_on: float = 0.0
    body: BodyDiode | None = None
    threshold: float = 0.0


Element = (
    VoltageSource
    | CurrentSource
    | Resistor
    | Inductor
    | Capacitor
    | CoupledInductors
    | Mutual
    | IdealTransformer
    | Diode
    | Switch
)


def coupled_pair(
    name: str, first: Winding, second: Winding, inductances: tuple[float, float], coupling: float
) -> CoupledInductors:
    """Return two coupled windings with M = k·√(L₁L₂), dots at the ``a`` ends.

    Parameters
    ----------
    inductances
        Self-inductances [H].
    coupling
        Coupling factor k, −1 < k < 1 [1].

    References
    ----------
    IEC 60050-131, 131-12-41 (coupling factor).
    """
    mutual = coupling * (inductances[0] * inductances[1]) ** 0.5
    matrix = ((inductances[0], mutual), (mutual, inductances[1]))
    return CoupledInductors(name, (first, second), matrix)


def transformer(
    name: str, windings: tuple[Winding, ...], magnetising: float | None, leakages: tuple[float, ...]
) -> tuple[Element, ...]:
    """Return a transformer as ideal windings, a magnetising inductance and leakage in series.

    Parameters
    ----------
    magnetising
        Inductance seen at the first winding with the others open, without its leakage [H]; None for an ideal
        core.
    leakages
        One leakage inductance for each winding, in series at its dotted end [H]; 0 for none.

    Returns
    -------
    tuple
        The ideal transformer ``name``, the inductor ``name.m`` across its first winding, and an inductor
        ``winding.leak`` for every winding with leakage or resistance.
    """
    series: list[Element] = []
    inner: list[Winding] = []
    for winding, leakage in zip(windings, leakages, strict=True):
        a = winding.a
        if leakage > 0.0:
            a = f"{winding.name}.inner"
            series.append(Inductor(f"{winding.name}.leak", winding.a, a, leakage, winding.resistance))
        elif winding.resistance > 0.0:
            a = f"{winding.name}.inner"
            series.append(Resistor(f"{winding.name}.res", winding.a, a, winding.resistance))
        inner.append(Winding(winding.name, a, winding.b, winding.turns))
    core = () if magnetising is None else (Inductor(f"{name}.m", inner[0].a, inner[0].b, magnetising),)
    return (IdealTransformer(name, tuple(inner)), *core, *series)


MOST_KNOTS = 40
"""Knots of saturation curves, of either sign, that a circuit has: they are told apart as valves are."""


def with_fewer_knots(elements: tuple[Element, ...], most: int = MOST_KNOTS) -> tuple[Element, ...]:
    """Return elements whose saturation curves have no more knots together than can be told apart; the flux at those kept stays."""
    bent = [e for e in elements if isinstance(e, Inductor) and e.saturation]
    if 2 * sum(len(e.saturation) for e in bent) <= most:
        return elements
    each = max(most // (2 * len(bent)), 1)
    return tuple(
        _thinned(e, each) if isinstance(e, Inductor) and len(e.saturation) > each else e for e in elements
    )


def _thinned(coil: Inductor, most: int) -> Inductor:
    """Return an inductor with so many knots, evenly taken of its own; between them the inductance is the mean one."""
    currents = [0.0, *(i for i, _ in coil.saturation)]
    values = [coil.inductance, *(v for _, v in coil.saturation)]
    flux = [0.0]
    for k in range(1, len(currents)):
        flux.append(flux[-1] + values[k - 1] * (currents[k] - currents[k - 1]))
    last = len(currents) - 1
    kept = sorted({round(1 + (last - 1) * n / max(most - 1, 1)) for n in range(most)})
    pieces, start = [], kept[0]
    for following in kept[1:]:
        pieces.append(
            (currents[start], (flux[following] - flux[start]) / (currents[following] - currents[start]))
        )
        start = following
    return replace(coil, saturation=(*pieces, (currents[start], values[start])))
