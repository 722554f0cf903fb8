"""Currents made of straight pieces: average, rms value, peak, charge, and what they do to a capacitor.

The pieces come one after the other; the rest of the period is without current.  Where several phases carry the same
current, shifted by equal parts of the period, their sum is meant.
"""

from __future__ import annotations

from dataclasses import dataclass, replace


@dataclass(frozen=True)
class Shape:
    """A current, all in formulas.

    Attributes
    ----------
    pieces
        Part of the period, first value and last value of each piece.
    factor
        What all of it is multiplied by.
    count
        The number of phases.
    high
        Its largest value; empty for the largest of all ends.
    """

    pieces: tuple[tuple[str, str, str], ...]
    factor: str = ""
    count: str = "1"
    high: str = ""

    def during(self, *parts: str) -> Shape:
        """Return the pieces that last these parts of the period."""
        kept = tuple(p for p in self.pieces if p[0] in parts)
        ends = {end for _, *both in kept for end in both}
        return replace(self, pieces=kept, high=self.high if self.high in ends else "")

    def scaled(self, factor: str) -> Shape:
        """Return it times a factor."""
        return replace(self, factor=f"{factor}*{self.factor}" if self.factor else factor)

    def __add__(self, other: Shape) -> Shape:
        """Return both, one after the other."""
        return Shape((*self._spread, *other._spread), "", self.count)

    @property
    def _spread(self) -> tuple[tuple[str, str, str], ...]:
        """The pieces with the factor in them."""
        return tuple((d, times(self.factor, a), times(self.factor, b)) for d, a, b in self.pieces)

    @property
    def average(self) -> str:
        """Formula of the average of one phase."""
        return self._times(" + ".join(_mean(*piece) for piece in self.pieces))

    @property
    def rms(self) -> str:
        """Formula of the rms value of one phase."""
        inside = " + ".join(f"{whole(part)}*{_tripled(a, b)}" for part, a, b in self.pieces)
        return self._times(f"sqrt(({inside})/3)")

    @property
    def peak(self) -> str:
        """Formula of the largest value of one phase."""
        ends = dict.fromkeys(end for _, *both in self.pieces for end in both if end != "0")
        return self._times(self.high or (next(iter(ends)) if len(ends) == 1 else f"max({', '.join(ends)})"))

    @property
    def _listed(self) -> str:
        return ", ".join([self.count, *(entry for piece in self.pieces for entry in piece)])

    @property
    def peak_to_peak(self) -> str:
        """Formula of the ripple of all phases."""
        return self._times(f"sum_pp({self._listed})")

    @property
    def alternating(self) -> str:
        """Formula of the rms value of all phases without their average."""
        return self._times(f"sum_rms({self._listed})")

    def charge(self, frequency: str = "f_s") -> str:
        """Formula of the charge that flows in and out of a capacitor which takes the alternating part."""
        return self._times(f"sum_ripple(0, {self._listed})/{frequency}")

    def ripple(self, capacitor: str, resistance: str, frequency: str = "f_s") -> str:
        """Formula of the peak-to-peak voltage across that capacitor and its resistance."""
        turn = f"{resistance}*{capacitor}*{frequency}"
        return self._times(f"sum_ripple({turn}, {self._listed})/({frequency}*{capacitor})")

    def _times(self, text: str) -> str:
        return times(self.factor, text)


def triangle(first: str, last: str, rise: str, fall: str, idle: bool = False) -> Shape:
    """Return a current that rises from ``first`` to ``last`` and falls back; if ``idle``, it stays there for the rest."""
    rest = ((f"max(1 - {rise} - {fall}, 0)", first, first),) if idle else ()
    return Shape(((rise, first, last), (fall, last, first), *rest), high=last)


def times(factor: str, text: str) -> str:
    """Return a product, or the text alone where there is no factor."""
    if not factor or text == "0":
        return text
    return f"{factor}*{whole(text)}"


def whole(text: str) -> str:
    """Return a formula that may be multiplied: in parentheses where it is a sum."""
    depth = 0
    for k, letter in enumerate(text):
        depth += (letter == "(") - (letter == ")")
        if depth == 0 and letter in "+-" and k:
            return f"({text})"
    return text


def _mean(part: str, first: str, last: str) -> str:
    if first == last:
        return f"{whole(part)}*{whole(first)}"
    if "0" in (first, last):
        return f"{whole(part)}*{whole(last if first == '0' else first)}/2"
    return f"{whole(part)}*({first} + {last})/2"


def _tripled(first: str, last: str) -> str:
    """Return three times the mean square of one straight piece."""
    if first == last:
        return f"3*({first})**2"
    if "0" in (first, last):
        return f"({last if first == '0' else first})**2"
    return f"(({first})**2 + ({first})*({last}) + ({last})**2)"
