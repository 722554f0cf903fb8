"""A loop fitted to what was measured of it, and designed anew with what was found."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError, nearest
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, Quantity, takes_converter
from jump_lane.library.loops import LoopResult, loop
from jump_lane.library.result import Result
from jump_lane.quantities import exact as quantity_text
from jump_lane.report.export import Columns
from jump_lane.report.table import View

if TYPE_CHECKING:
    from jump_lane.control.analogue import Analogue
    from jump_lane.control.measured import Fitted
    from jump_lane.control.stage import Complex

AMPLIFIER = {"gain": "A_0", "bandwidth": "f_u", "transconductance": "g_m", "transfer": "r_t", "pole": "f_o"}
"""Keys of ``[control.amplifier]`` that may be unknown, and their symbols."""

UNITS = {"bandwidth": "Hz", "transconductance": "S", "pole": "Hz"}

LIKELY_GAIN, ABOVE = 1e4, 30.0
"""Where the search for the gain of an amplifier starts that the file does not know, and for its bandwidth, over the highest
measured frequency."""


@dataclass(frozen=True)
class Unknown:
    """A figure that is looked for.

    Attributes
    ----------
    name
        As it was asked for.
    symbol
        Of the network or amplifier; nothing for a key of the file, which is looked for as a factor of what it is.
    start
        Where from.
    """

    name: str
    symbol: str
    start: float


@dataclass(frozen=True, repr=False)
class MeasuredResult(Result):
    """What was found, how well it agrees, and the loop designed with it."""

    converter: Converter
    unknowns: tuple[Unknown, ...]
    fitted: Fitted
    after: Mapping[str, str]
    anew: LoopResult

    def view(self) -> View:
        """Return the figures found, the residuals, and the loop designed anew."""
        from jump_lane.report.measured import measured_view

        return measured_view(self.fitted, self.after, self.anew.view())

    def columns(self) -> Columns:
        """Return measured and computed loop gain, and the residuals, over frequency."""
        from jump_lane.report.measured import measured_columns

        return measured_columns(self.fitted)

    def drawing(self) -> Any:
        """Return measured and computed loop gain over frequency."""
        from jump_lane.report.measured import measured_figure

        return measured_figure(self.fitted, self.converter.design.title)


@takes_converter
def fit_loop(
    converter: Converter,
    measurement: Columns,
    unknown: Sequence[str] = ("gain", "bandwidth"),
    *,
    where: str = "measurement",
    input_voltage: Quantity | None = None,
    load: Quantity | None = None,
    exact: bool = False,
) -> MeasuredResult:
    """Fit what is not known of a loop to a measurement of its gain, and design the network anew with what is found.

    Parameters
    ----------
    measurement
        Columns ``frequency [Hz]``, ``gain [dB]`` and ``phase [°]`` (of the loop gain, or turned so that it is the margin).
    unknown
        ``gain``, ``bandwidth``, ``transconductance``, ``transfer`` or ``pole`` of the amplifier, components of the network such as
        ``R_2``, components of the power stage such as ``C_o``, or keys of their parts such as ``parts.C_o.resistance``.
    where
        What to call the measurement in messages.
    input_voltage, load
        Where it was measured [V, A]; nominal input and full load unless given.
    exact
        Whether components keep their derived values.

    Raises
    ------
    InputError
        If a column is missing or an unknown is not known to the file.
    NoResultError
        If the loop has no steady state.
    """
    from jump_lane.control.analogue import Analogue
    from jump_lane.control.design import design_loop
    from jump_lane.control.loops import close
    from jump_lane.control.measured import fit_measured, read_measured
    from jump_lane.control.stage import Stage

    ready()
    measured = read_measured(measurement, where)
    built = design_loop(converter.design, not exact).loop
    if not isinstance(built, Analogue):
        raise InputError(
            f"control.kind: {built.loop.kind!r} has no amplifier or network to fit; expected an analogue loop"
        )
    unknowns = tuple(_unknown(name, built, converter, float(measured.frequencies.max())) for name in unknown)
    here = Stage(converter.at(input_voltage, load))

    def compute(values: Mapping[str, float]) -> Complex:
        network = built.with_values({u.symbol: values[u.name] for u in unknowns if u.symbol})
        factors = {u.name: f"*{values[u.name]:.12g}" for u in unknowns if not u.symbol}
        stage = Stage(converter.set(factors).at(input_voltage, load)) if factors else here
        return close(network, stage).gain(measured.frequencies)

    found = fit_measured(measured, {u.name: u.start for u in unknowns}, compute)
    after = _after(unknowns, found.values, converter)
    return MeasuredResult(converter, unknowns, found, after, loop(_with(converter, after), exact=exact))


def _unknown(name: str, built: Analogue, converter: Converter, highest: float) -> Unknown:
    known = built.values
    if name in AMPLIFIER:
        start = known[AMPLIFIER[name]]
        if not math.isfinite(start):
            start = LIKELY_GAIN if name == "gain" else ABOVE * highest
        return Unknown(name, AMPLIFIER[name], start)
    if name in (*built.network.values, "R_b"):
        return Unknown(name, name, known[name])
    if name not in converter.design.components() and not name.startswith("parts."):
        choices = {*AMPLIFIER, *built.network.values, "R_b", *converter.design.components()}
        raise InputError(f"--unknown {name}: no such figure of the loop; {nearest(name, choices)}")
    return Unknown(name, "", 1.0)


def _after(unknowns: Sequence[Unknown], values: Mapping[str, float], converter: Converter) -> dict[str, str]:
    """Return what was found as it would stand in the file, by name."""
    out = {}
    for u in unknowns:
        value = values[u.name]
        if u.name == "gain":
            out[u.name] = f"{20.0 * math.log10(value):.6g}"
        elif u.symbol:
            out[u.name] = quantity_text(value, UNITS.get(u.name, {"R": "Ω", "C": "F"}.get(u.name[0], "")))
        else:
            change = converter.set({u.name: f"*{value:.12g}"}).changes[len(converter.changes)]
            out[u.name] = change.after
    return out


def _with(converter: Converter, after: Mapping[str, str]) -> Converter:
    """Return the converter with what was found, its network free to be designed."""
    tables = [dict(t) for t in (converter.tables, converter.free)]
    for table in tables:
        table["control"] = {k: v for k, v in table["control"].items() if k != "values"}
    free = replace(converter, tables=tables[0], free=tables[1])
    settings = {
        f"control.amplifier.{name}" if name in AMPLIFIER else name: value
        for name, value in after.items()
        if name in AMPLIFIER or name in converter.design.components() or name.startswith("parts.")
    }
    return free.set(settings) if settings else free
