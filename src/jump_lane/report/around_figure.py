"""Figures of what stands around a power stage: filters, banks of capacitors, the overload curve."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from jump_lane.quantities import show
from jump_lane.report.bode import over_decades, over_frequency
from jump_lane.report.figures import COLOURS, INK, dress, sheet
from jump_lane.spec.around import BankType
from jump_lane.supply.bank import impedances
from jump_lane.supply.filter import level

if TYPE_CHECKING:
    from jump_lane.study.around import Compared
    from jump_lane.supply.bank import Bank
    from jump_lane.supply.filter import Built
    from jump_lane.supply.net import Draw, Real
    from jump_lane.supply.protect import Protected


def filter_figure(
    found: Built, compared: Sequence[Compared], draws: Sequence[Draw], limits: tuple[Real, Real] | None
) -> Any:
    """Draw attenuation and levels above, impedances of filter and converter below, damped and undamped."""
    figure = sheet(
        f"Filter: {show(found.values['L_f'], 'H')}, {show(found.values['C_f'], 'F')}, {found.asked.damping}"
    )
    f = np.geomspace(1e2, 3e7, 1500)
    left = figure.add_axes((0.075, 0.54, 0.40, 0.36))
    left.plot(f, -found.attenuation(f), color=COLOURS[0], lw=1.6, label="damped")
    left.plot(f, -found.undamped().attenuation(f), color=COLOURS[1], lw=1.0, ls="--", label="undamped")
    if found.asked.attenuation is not None:
        at = found.asked.at or draws[0].frequency
        left.plot(
            [at], [-found.asked.attenuation], marker="v", ms=8, color=INK, ls="none", label="asked at most"
        )
    over_frequency(left, f, "far current over the converter's [dB]")
    left.legend(loc="lower left", fontsize=8, frameon=False)

    right = figure.add_axes((0.56, 0.54, 0.40, 0.36))
    worst = max(draws, key=lambda d: float(level(found, d).max()))
    right.vlines(worst.frequencies, -60.0, np.maximum(level(found, worst), -60.0), color=COLOURS[0], lw=1.0)
    if limits is not None:
        right.plot(*limits, color=COLOURS[1], lw=1.6, label="limit")
        right.legend(loc="upper right", fontsize=8, frameon=False)
    over_frequency(
        right, np.array([0.5 * worst.frequency, worst.frequencies[-1]]), f"level at {worst.words} [dBµV]"
    )
    right.set_ylim(max(float(level(found, worst).min()) - 10.0, -60.0), None)

    below = figure.add_axes((0.075, 0.08, 0.885, 0.37))
    below.plot(f, np.abs(found.impedance(f)), color=COLOURS[0], lw=1.6, label="filter, damped")
    below.plot(
        f, np.abs(found.undamped().impedance(f)), color=COLOURS[1], lw=1.0, ls="--", label="filter, undamped"
    )
    if compared and len(compared[0].frequencies):
        known = [c for c in compared if len(c.frequencies)]
        for k, c in enumerate(known):
            label = "converter's input, each corner" if k == 0 else None
            below.plot(c.frequencies, np.abs(c.converter), color=INK, lw=0.8, alpha=0.7, label=label)
    over_frequency(below, f, "impedance")
    over_decades(below, "Ω")
    below.set_xlabel("frequency [Hz]", color=INK, fontsize=9)
    below.legend(loc="center right", fontsize=8, frameon=False)
    return figure


def bank_figure(name: str, found: Bank, types: Sequence[BankType]) -> Any:
    """Draw the impedance of the bank and of each type, and what each type carries."""
    figure = sheet(f"{name}: {show(found.total, 'A')} at {found.words}")
    f = np.geomspace(1e3, 1e8, 1200)
    whole, each = impedances(types, f)
    axes = figure.add_axes((0.075, 0.08, 0.56, 0.82))
    for k, (share, z) in enumerate(zip(found.shares, each, strict=True)):
        axes.plot(
            f,
            np.abs(z),
            color=COLOURS[(k + 1) % len(COLOURS)],
            lw=1.1,
            label=f"{share.type.count}× {share.name}",
        )
    axes.plot(f, np.abs(whole), color=COLOURS[0], lw=2.0, label="bank")
    for at, size in found.resonances:
        axes.plot([at], [size], marker="o", ms=6, mfc="none", color=INK, ls="none")
        axes.annotate(
            show(at, "Hz"), (at, size), xytext=(4, 6), textcoords="offset points", fontsize=8, color=INK
        )
    over_frequency(axes, f, "impedance")
    over_decades(axes, "Ω")
    axes.set_xlabel("frequency [Hz]", color=INK, fontsize=9)
    axes.legend(loc="upper right", fontsize=9, frameon=False)
    bars = figure.add_axes((0.74, 0.08, 0.22, 0.82))
    dress(bars)
    names = [f"{s.type.count}× {s.name}" for s in found.shares]
    places = np.arange(len(names))
    bars.barh(places, [s.total for s in found.shares], color=COLOURS[0])
    bars.barh([len(names)], [found.total], color=INK)
    bars.set_yticks([*places, len(names)], [*names, "in all"])
    bars.set_xlabel("rms current [A]", color=INK, fontsize=9)
    return figure


def overload_figure(found: Protected) -> Any:
    """Draw output voltage over output current, from full load to a short circuit."""
    figure = sheet("Overload: output voltage over current")
    axes = figure.add_axes((0.075, 0.1, 0.88, 0.8))
    dress(axes)
    axes.plot(
        [i for _, _, i in found.curve],
        [v for _, v, _ in found.curve],
        color=COLOURS[0],
        lw=1.8,
        marker="o",
        ms=4,
    )
    axes.set_xlim(0.0, None)
    axes.set_ylim(0.0, None)
    axes.set_xlabel("output current [A]", color=INK, fontsize=9)
    axes.set_ylabel("output voltage [V]", color=INK, fontsize=9)
    if found.asked.clamp_voltage is not None:
        axes.axhline(found.asked.clamp_voltage, color=COLOURS[1], lw=1.0, ls="--", label="clamp")
    if found.hiccup is not None:
        axes.axvline(found.hiccup, color=INK, lw=1.0, ls=":", label="average while it pauses, shorted")
    if axes.get_legend_handles_labels()[0]:
        axes.legend(loc="lower left", fontsize=9, frameon=False)
    return figure
