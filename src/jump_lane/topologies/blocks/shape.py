"""Currents made of straight pieces: ripple, rms value, charge, and what they do to a capacitor.

All pieces are in units of one current, one after the other; the rest of the period is without current.  Where several phases
carry the same current, shifted by equal parts of the period, their sum is meant.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Shape:
    """A current: its unit, and (part of the period, first value, last value) of each piece, all formulas.

    Attributes
    ----------
    count
        Formula of the number of phases.
    """

    unit: str
    pieces: tuple[tuple[str, str, str], ...]
    count: str = "1"

    @property
    def text(self) -> str:
        """The pieces as the functions of `jump_lane.equations.overlay` take them."""
        return ", ".join([self.count, *(entry for piece in self.pieces for entry in piece)])

    @property
    def peak_to_peak(self) -> str:
        """Formula of the ripple."""
        return f"{self.unit}*sum_pp({self.text})"

    @property
    def alternating(self) -> str:
        """Formula of the rms value without the average."""
        return f"{self.unit}*sum_rms({self.text})"

    def charge(self, frequency: str = "f_s") -> str:
        """Formula of the charge that flows in and out of a capacitor which takes the alternating part."""
        return f"{self.unit}/{frequency}*sum_ripple(0, {self.text})"

    def ripple(self, capacitor: str, resistance: str, frequency: str = "f_s") -> str:
        """Formula of the peak-to-peak voltage across that capacitor and its resistance."""
        turn = f"{resistance}*{capacitor}*{frequency}"
        return f"{self.unit}/({frequency}*{capacitor})*sum_ripple({turn}, {self.text})"


def triangle(ripple: str = "dI_L", rise: str = "D_1", fall: str = "D_2", count: str = "1") -> Shape:
    """Return a current that rises by ``ripple`` and falls back, above its valley."""
    return Shape(ripple, ((rise, "0", "1"), (fall, "1", "0")), count)


def delivered(peak: str = "I_pk", valley: str = "I_v", fall: str = "D_2", rise: tuple[tuple[str, str, str], ...] = ()) -> Shape:
    """Return the current of a rectifier: it falls from ``peak`` to ``valley``, after what the pieces ``rise`` say."""
    return Shape(peak, (*rise, (fall, "1", f"{valley}/{peak}")))
