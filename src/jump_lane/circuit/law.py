"""What controls a circuit, as data: linear states beside its own, and comparators that end its intervals.

A *row* is a sum: what each signal, state or constant in it is multiplied by.  Signals are named as in a recording
(``L.i``, ``Co.v``, ``@out``), states of the law by their own names, ``1`` is a constant and ``clock`` the part of the period
that has gone by [1].
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from jump_lane.errors import InputError

Row = Mapping[str, float]

ONE, CLOCK, FEED = "1", "clock", "feed"


@dataclass(frozen=True)
class Peak:
    """A comparator that ends the pulse of a switch when its row, less a ramp since the start of the pulse, is used up.

    Attributes
    ----------
    row
        What is left at the start of the pulse, such as v_c − R_s·i [V].
    ramp
        How fast that is used up beside [V/s].
    blanking
        How long after the start of the pulse the comparator is not listened to [s].
    """

    row: Row
    ramp: float = 0.0
    blanking: float = 0.0


@dataclass(frozen=True)
class Law:
    """A law of control.

    Attributes
    ----------
    rates
        For each of its states the derivative in time as a row [1/s].
    level
        Row that stands for the control variable: every edge that this variable moves comes when the clock has reached where
        the level puts it (natural sampling of a linear ramp).  None where ``peaks`` end the pulses.
    peaks
        Comparator of each switch whose pulse it ends.
    command
        The part of the rows of ``peaks`` that the law contributes.
    most
        Longest pulse that a comparator may let pass, as a part of the period.
    held
        Values that its rows use and that stay as they are set, such as the reference.
    initial
        States to start from; zero if not named.
    feed
        Signal and factor, where not the clock but the integral of a signal makes the ramp: what it rises by in a period is the
        factor times the average of the signal.
    outputs
        Rows worth looking at, by name, such as the output of the amplifier.
    restart
        Where there is no clock: row that begins the next period when it is used up.
    rest, longest
        How long after the last edge that row is not listened to [s], and the longest period, over that of the circuit.
    """

    rates: Mapping[str, Row]
    level: Row | None = None
    peaks: Mapping[str, Peak] = field(default_factory=dict)
    command: Row = field(default_factory=dict)
    most: float = 1.0
    held: Mapping[str, float] = field(default_factory=dict)
    initial: Mapping[str, float] = field(default_factory=dict)
    feed: tuple[str, float] | None = None
    outputs: Mapping[str, Row] = field(default_factory=dict)
    restart: Row | None = None
    rest: float = 0.0
    longest: float = 16.0

    @property
    def states(self) -> tuple[str, ...]:
        """Names of its states, in order."""
        return tuple(self.rates)

    def trip(
        self, switches: tuple[str, ...], at: float, slope: float, control: float, since: float, period: float
    ) -> Row:
        """Return the guard of an edge that ends pulses of `switches` at the fraction `at` of the period.

        Parameters
        ----------
        slope
            How far the edge moves per unit of the control variable, at `control`.
        since
            Where in the period the pulse began; negative if in the one before.
        period
            What ``clock`` counts [s].

        Raises
        ------
        InputError
            If no comparator ends it.
        """
        if self.level is not None:
            row = {name: slope * factor for name, factor in self.level.items()}
            if self.feed is not None:
                signal, factor = self.feed
                row[signal] = row.get(signal, 0.0) + factor * since
                row[FEED] = -factor / period
                return row
            row[ONE] = row.get(ONE, 0.0) + at - slope * control
            row[CLOCK] = row.get(CLOCK, 0.0) - 1.0
            return row
        for name in switches:
            if name in self.peaks:
                return _peak(self.peaks[name], since, period)
        named = ", ".join(switches) or "an edge"
        raise InputError(f"no comparator ends the pulse of {named}")


def _peak(peak: Peak, since: float, period: float) -> Row:
    row, fall = dict(peak.row), peak.ramp * period
    row[CLOCK] = row.get(CLOCK, 0.0) - fall
    row[ONE] = row.get(ONE, 0.0) + fall * since
    return row


def sensed(rows: Iterable[Row], entries: Iterable[str]) -> tuple[str, ...]:
    """Return the signals of a circuit that some rows look at: names that are no entries of the state vector."""
    return tuple(sorted({name for row in rows for name in row}.difference(entries)))
