"""What losses consist of: entries, and what could not be entered because a figure is missing."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Loss:
    """Power lost in one component by one mechanism.

    Attributes
    ----------
    component
        Element of the circuit, such as S1, or what stands beside the power stage (``controller``).
    mechanism
        How it is lost, in words.
    power
        Average over the period [W].
    simulated
        Whether the simulated circuit contains it, so that it is part of its energy balance.
    heats
        The component whose temperature it raises; empty where that is not followed.
    """

    component: str
    mechanism: str
    power: float
    simulated: bool = False
    heats: str = ""


@dataclass(frozen=True)
class Gap:
    """A figure that is missing, so that a mechanism is left out or taken roughly.

    Attributes
    ----------
    component, figure
        What has no value, by its key in the catalogue.
    effect
        What is left out or assumed.
    cost
        What that is worth, as far as the waveforms tell.
    """

    component: str
    figure: str
    effect: str
    cost: str = ""

    def text(self) -> str:
        """Return the gap as a sentence."""
        return f"{self.component}: {self.figure} is not known: {self.effect}" + (
            f"; {self.cost}" if self.cost else ""
        )


Entry = Loss | Gap
