"""What stands around the power stage, as the file asks: divider, adjustable output, banks, filters, feedback, gates, protection."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jump_lane.errors import InputError, JumpLaneError, nearest
from jump_lane.library.closed import held_at
from jump_lane.library.compiling import ready
from jump_lane.library.converter import Converter, takes_converter
from jump_lane.library.result import Result, Watch
from jump_lane.report.export import Columns
from jump_lane.report.table import View
from jump_lane.validation import numbers_of

if TYPE_CHECKING:
    from jump_lane.control.analogue import Analogue
    from jump_lane.control.design import LoopDesign
    from jump_lane.report.around import Checked, Section
    from jump_lane.spec.around import Filter
    from jump_lane.study.around import Scene
    from jump_lane.supply.net import Real

SECTIONS = ("divider", "adjust", "feedback", "filter", "bank", "gate", "protection")
"""What may be asked for, in order."""


@dataclass(frozen=True, repr=False)
class Surroundings(Result):
    """Sections about what stands around a converter."""

    converter: Converter
    sections: tuple[Section, ...]

    def view(self) -> View:
        """Return the tables of every section; the exit status is the worst of theirs."""
        from jump_lane.report.around import around_view

        return replace(
            around_view(self.converter.design.title, self.sections), changes=self.converter.changes
        )

    def only(self, key: str) -> Surroundings:
        """Return one of the sections alone, by its key."""
        return replace(self, sections=tuple(s for s in self.sections if s.key == key))

    def columns(self) -> Columns:
        """Return the numbers of the one section that has any."""
        return self._one([s for s in self.sections if s.columns], "a table of numbers").columns

    def drawing(self) -> Any:
        """Return the figure of the one section that has one."""
        one = self._one([s for s in self.sections if s.draw is not None], "a figure")
        assert one.draw is not None
        return one.draw()

    def _one(self, able: Sequence[Section], what: str) -> Section:
        if len(able) == 1:
            return able[0]
        if not able:
            raise InputError(
                f"around: none of these sections has {what}; expected a filter, a bank or protection"
            )
        keys = " or ".join(s.key for s in able)
        raise InputError(f"around: several sections have {what}; expected one of them alone: {keys}")

    def write(self, path: Path) -> tuple[str, ...]:
        """Put what was chosen into a converter file; return the keys that are set."""
        from jump_lane.files import edit
        from jump_lane.study.write import with_keys

        values = {key: value for section in self.sections for key, value in section.written.items()}
        edit(path, lambda text: with_keys(text, values))
        return tuple(".".join(key) for key in values)


@takes_converter
def around(converter: Converter, sections: Sequence[str] = (), *, watch: Watch | None = None) -> Surroundings:
    """Work out what stands around the power stage.

    Parameters
    ----------
    sections
        Which of ``divider``, ``adjust``, ``feedback``, ``filter``, ``bank``, ``gate`` and ``protection``, or one of several by its
        key, such as ``input.filter`` or ``bank.C_o``; all that the file asks by default.
    watch
        Told of progress.

    Raises
    ------
    InputError
        If there is no such section, or the file does not ask for it.
    NoResultError
        If no corner of the converter has a result.
    """
    return Site(converter).find(sections, watch)


_EXPECTED = {
    "divider": "[divider]",
    "adjust": "[adjust]",
    "feedback": "[control] with amplifier = { kind = \"optocoupler\" }",
    "filter": "[input.filter] or filter under [[output]]",
    "bank": "[[bank.C_o]]",
    "gate": "parts with gate_charge, such as [parts.S1]",
    "protection": "[protection]",
}  # fmt: skip


@dataclass(frozen=True)
class Site:
    """A converter while its surroundings are worked out; its corners and its loop are simulated once."""

    converter: Converter

    @cached_property
    def keys(self) -> dict[str, str]:
        """The sections that the file asks for, in order: key of each → its kind."""
        from jump_lane.design.named import part_of

        spec = self.converter.spec
        across = spec.control is not None and spec.control.amplifier.kind == "optocoupler"
        roles = [r for r in self.converter.design.page.roles if r.kind in ("switch", "rectifier")]
        gates = any(getattr(part_of(spec, r.name, r.kind), "gate_charge", None) for r in roles)
        filters = ["input.filter"] if spec.input.filter is not None else []
        for k, output in enumerate(spec.output, 1):
            filters += [] if output.filter is None else ["output.filter" if k == 1 else f"output.{k}.filter"]
        keys = {
            "divider": ["divider"] if spec.divider is not None else [],
            "adjust": ["adjust"] if spec.adjust is not None else [],
            "feedback": ["feedback"] if across else [],
            "filter": filters,
            "bank": [f"bank.{name}" for name in spec.bank],
            "gate": ["gate"] if gates else [],
            "protection": ["protection"] if spec.protection is not None else [],
        }
        return {key: kind for kind in SECTIONS for key in keys[kind]}

    def find(self, sections: Sequence[str] = (), watch: Watch | None = None) -> Surroundings:
        """Return what is said of sections, by kind or key; of all by default.

        Raises
        ------
        InputError
            If there is no such section, or the file does not ask for it.
        NoResultError
            If no corner of the converter has a result.
        """
        ready()
        for name in sections:
            self._require(name)
        chosen = [
            key for key, kind in self.keys.items() if not sections or key in sections or kind in sections
        ]
        if not chosen:
            wanted = ", ".join(_EXPECTED[s] for s in SECTIONS)
            raise InputError(
                f"{self.converter.name}: nothing around the power stage is asked; expected one of {wanted}"
            )
        found = []
        for k, key in enumerate(chosen):
            if watch is not None:
                watch(k, len(chosen))
            found.append(self.section(key))
        return Surroundings(self.converter, tuple(found))

    def _require(self, name: str) -> None:
        if name in self.keys or name in self.keys.values():
            return
        if name not in SECTIONS:
            raise InputError(f"around {name}: no such section; {nearest(name, [*SECTIONS, *self.keys])}")
        raise InputError(
            f"around {name}: {self.converter.name} does not ask for it; expected {_EXPECTED[name]}"
        )

    def section(self, key: str) -> Section:
        """Return what is said of one thing."""
        makers: dict[str, Callable[[], Section]] = {
            "divider": self.divider, "adjust": self.adjust, "feedback": self.feedback, "gate": self.gates,
            "protection": self.protection, "input.filter": self.input_filter, "output.filter": self.output_filter,
        }  # fmt: skip
        if key in makers:
            return makers[key]()
        if self.keys[key] == "bank":
            return self.bank(key.removeprefix("bank."))
        raise InputError(
            f"{key}: only the first output is regulated and simulated with its own current; expected there"
        )

    @cached_property
    def scenes(self) -> list[Scene]:
        """Every corner, simulated."""
        from jump_lane.study.around import scenes

        return scenes(self.converter.design)

    @cached_property
    def loop(self) -> LoopDesign | None:
        """The loop of the file; None if it has none."""
        from jump_lane.control.design import design_loop

        return None if self.converter.spec.control is None else design_loop(self.converter.design)

    @property
    def analogue(self) -> Analogue | None:
        """The loop of the file, if it is an analogue one."""
        from jump_lane.control.analogue import Analogue

        return self.loop.loop if self.loop is not None and isinstance(self.loop.loop, Analogue) else None

    # --- one for each section ------------------------------------------------------------------------------

    def divider(self) -> Section:
        """The divider that sets the output."""
        from jump_lane.report.around import divider_section
        from jump_lane.supply.setting import set_by

        spec = self.converter.spec
        return divider_section(set_by(spec), spec.control)

    def adjust(self) -> Section:
        """The adjustable output, every setting checked."""
        from jump_lane.report.around import adjust_section
        from jump_lane.supply.adjust import adjusted

        found = adjusted(self.converter.spec)
        return adjust_section(found, [self._checked(step.spread.nominal) for step in found.steps])

    def _checked(self, voltage: float) -> Checked:
        from jump_lane.report.around import Checked
        from jump_lane.report.check import summary
        from jump_lane.study.check import check

        try:
            found = check(held_at(self.converter, voltage).design)
            return Checked(found.exit_status == 0, summary(found))
        except JumpLaneError as error:
            return Checked(False, str(error).splitlines()[0])

    def feedback(self) -> Section:
        """The network across the barrier."""
        from jump_lane.report.around import feedback_section
        from jump_lane.supply.feedback import barrier

        loop, found = self.analogue, self.loop
        if loop is None or found is None:
            raise InputError("control: this loop has no network across the barrier; expected an analogue one")
        modulator = loop.modulator(found.nominal)
        highest = max(modulator.command(stage.open) for stage in found.corners.every)
        return feedback_section(barrier(loop.loop.amplifier, loop.values, found.nominal.target, highest))

    def input_filter(self) -> Section:
        """The filter between the source and the converter, compared with the converter's input impedance."""
        from jump_lane.report.passive import filter_section
        from jump_lane.study.around import compare
        from jump_lane.supply.filter import Sides, design, excess_of, inrush

        asked = self.converter.spec.input.filter
        assert asked is not None
        own = (
            self.converter.design.components().get("C_i", 0.0),
            self._esr("C_i", asked.capacitor_resistance),
        )
        other = (asked.capacitance or own[0], asked.capacitor_resistance)
        near = own if asked.capacitance is None or asked.kind == "two-stage" else other
        sides = Sides(near, other if asked.kind == "pi" else (0.0, 0.0), asked.far_resistance)
        draws, lines = [scene.draw("source.i") for scene in self.scenes], _limits(asked)
        made = design(asked, sides, excess_of(asked, draws, lines))
        compared = compare(made.found, self.converter.design, self.analogue, [s.at for s in self.scenes])
        words = "open" if self.analogue is None else "closed"
        surge = inrush(made.found, max(self.converter.design.inputs), self._source)
        return filter_section("input.filter", made, draws, lines, compared, words, surge)

    def output_filter(self) -> Section:
        """The filter between the first output and its load."""
        from jump_lane.report.passive import filter_section
        from jump_lane.supply.filter import Sides, design, excess_of

        output = self.converter.spec.output[0]
        asked = output.filter
        assert asked is not None
        if asked.capacitance is None:
            raise InputError("output.filter.capacitance: expected, the capacitor at the load")
        load = abs((output.voltage or 1.0) / output.current.max)
        size = self.converter.design.components()["C_o"]
        sides = Sides(
            (size, self._esr("C_o")),
            (asked.capacitance, asked.capacitor_resistance),
            load,
        )
        draws = [replace(scene.draw("C_o.i", "load.i"), direct=scene.i_o) for scene in self.scenes]
        lines = _limits(asked)
        made = design(asked, sides, excess_of(asked, draws, lines))
        return filter_section("output.filter", made, draws, lines)

    def _esr(self, capacitor: str, otherwise: float = 0.0) -> float:
        """Return the series resistance of a capacitor of the power stage, or something else where it is not known [Ω]."""
        sheet = self.converter.design.sheet
        symbol = f"R_{capacitor.replace('_', '')}"
        return sheet[symbol].worst if symbol in sheet else otherwise

    @property
    def _source(self) -> float:
        """Resistance of source and leads [Ω]: what the protection says, or the input."""
        spec = self.converter.spec
        own = None if spec.protection is None else spec.protection.source_resistance
        return spec.input.source_resistance if own is None else own

    def bank(self, name: str) -> Section:
        """A bank of capacitors, at its worst corner."""
        from jump_lane.report.passive import bank_section
        from jump_lane.study.around import through
        from jump_lane.supply.bank import bank

        spec = self.converter.spec
        types = spec.bank[name]
        draws = (scene.draw(through(scene, name)) for scene in self.scenes)
        worst = max((bank(types, draw, spec.thermal.ambient) for draw in draws), key=lambda b: b.total)
        return bank_section(name, worst, types, self.converter.design.components().get(name))

    def gates(self) -> Section:
        """Gate drive of every switch."""
        from jump_lane.report.around import gate_section
        from jump_lane.supply.gate import gates

        scenes = self.scenes
        on = {
            name.removesuffix(".gate"): max(s.recording.measures(name).average for s in scenes)
            for name in scenes[0].recording.names
            if name.endswith(".gate")
        }
        return gate_section(gates(self.converter.design, on, max(1.0 / s.recording.period for s in scenes)))

    def protection(self) -> Section:
        """Fuse, inrush, overload."""
        from jump_lane.report.around import protection_section
        from jump_lane.supply.protect import protected

        design, spec = self.converter.design, self.converter.spec
        assert spec.protection is not None
        drawn = max(abs(s.recording.measures("source.i").average) for s in self.scenes)
        capacitance, voltage = design.components().get("C_i", 0.0), max(design.inputs)
        if design.line is not None:  # fuse and resistor stand on the line
            drawn = (drawn**2 + design.line["I_CBrms"].worst ** 2) ** 0.5
            capacitance += design.line["C_B"].worst
        output = spec.output[0]
        v_o = (
            abs(output.voltage)
            if output.voltage is not None
            else self.scenes[0].recording.measures("load.v").average
        )
        full = output.current.max
        found = protected(
            spec.protection, v_in=voltage, input_rms=drawn, capacitance=capacitance, v_o=v_o, i_o=full,
            source=self._source, limit=spec.protection.current_limit * full,
        )  # fmt: skip
        return protection_section(found)


def _limits(asked: Filter) -> tuple[Real, Real] | None:
    return None if asked.limits is None else read_limits(Path(asked.limits))


def read_limits(path: Path) -> tuple[Real, Real]:
    """Return a limit line from a CSV file: frequencies [Hz], ascending, and levels [dBµV].

    Raises
    ------
    InputError
        If it cannot be read, or a column is missing or wrong.
    """
    import numpy as np

    from jump_lane.report.export import read

    found = numbers_of(read(path), {"frequency": "Hz", "level": "dBµV"}, str(path), 2)
    frequency, level = (np.array(cells) for cells in found.values())
    if not (np.diff(frequency) >= 0.0).all() or frequency[0] <= 0.0:
        raise InputError(f"{path}: expected frequencies ascending from above 0 Hz")
    return frequency, level
