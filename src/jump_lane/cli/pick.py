"""The command that chooses parts."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jump_lane.cli.options import AsJson, Catalogues, ConverterFile, ensure_compiled, load_spec
from jump_lane.cli.outputs import Processes, collect
from jump_lane.cli.render import note, show

if TYPE_CHECKING:
    from jump_lane.study.pick import Proven, Work


def register(app: typer.Typer) -> None:
    """Add the command of this module."""
    app.command()(pick)


def pick(
    file: ConverterFile,
    choose: Annotated[
        list[str] | None,
        typer.Option(
            "--choose",
            metavar="NAME",
            help="A component to choose, such as S1; repeatable [default: switches, rectifiers and inductors for "
            "which the file names no part].",
        ),
    ] = None,
    by: Annotated[
        str,
        typer.Option("--by", help="What is to be small: loss, temperature, cost, or a sum: loss=1,cost=0.5."),
    ] = "loss",
    most: Annotated[int, typer.Option("--most", min=1, help="Combinations to simulate at most.")] = 2000,
    top: Annotated[int, typer.Option("--top", min=1, help="Combinations to prove at all corners.")] = 5,
    catalogue: Catalogues = None,
    processes: Processes = 2,
    write: Annotated[bool, typer.Option("--write", help="Put the best parts into the file.")] = False,
    json: AsJson = False,
) -> None:
    """Choose parts of a catalogue: within ratings and margins at all corners, ranked by simulated loss.

    Without a catalogue of one's own (in the file, or --catalogue) the shipped samples are tried.  The exit status is 1
    if none of the best combinations keeps everything.
    """
    from jump_lane.errors import InputError
    from jump_lane.study import pick as study

    weights = study.goals(by)
    spec = load_spec(file, catalogue)
    try:
        work = study.plan(spec, choose or (), weights, most)
    except InputError as error:
        raise InputError(f"{file}: {error}") from None
    ensure_compiled()
    from jump_lane.report.pick import pick_view

    done, complete = collect(study.run(work, processes), len(work.combinations))
    proven = study.prove(work, study.ranked(work, done), top)
    if write and complete:
        _write(file, work, proven)
    elif write:
        note(f"{file} left as it is: interrupted")
    show(pick_view(work, done, proven, complete), json)
    if not complete:
        raise typer.Exit(130)


def _write(file: Path, work: Work, proven: list[Proven]) -> None:
    """Put the best combination that keeps everything into the file."""
    from jump_lane.files import edit
    from jump_lane.study.write import with_parts

    best = next((p for p in proven if not p.broken), None)
    if best is None:
        note(f"{file} left as it is: no combination keeps everything")
        return
    names = {c.role.name: p.name for c, p in zip(work.candidates, best.combination.parts, strict=True)}
    edit(file, lambda text: with_parts(text, names))
    note(f"wrote the parts into {file}")
