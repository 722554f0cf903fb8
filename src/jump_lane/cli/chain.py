"""The command that carries one file through the whole job."""

from __future__ import annotations

import contextlib
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jump_lane.cli.options import ConverterFile, Overwrite, load_case

if TYPE_CHECKING:
    from jump_lane.library.around import Site


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(chain)


@dataclass(frozen=True)
class Link:
    """A step of the chain: what it is, the file that takes what it prints, others that it writes, and what runs it."""

    words: str
    text: str
    others: tuple[str, ...]
    run: Callable[[Path], None]


def printed(command: Callable[[], None]) -> tuple[str, int]:
    """Run a command; return what it prints and its exit status.  Its notes name files that have not their place yet."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
        try:
            command()
        except typer.Exit as end:
            return out.getvalue(), end.exit_code
    return out.getvalue(), 0


def chain(
    file: ConverterFile,
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Where the files go.")],
    overwrite: Overwrite = False,
) -> None:
    """Carry a converter file through the whole job: derivation, verdicts, waveforms, losses, windings, loop, runs over time and
    what stands around it, as far as the file asks, texts and figures in a folder.

    The exit status is the worst of all steps.
    """
    from jump_lane.errors import JumpLaneError
    from jump_lane.files import require_free, whole_folder, write_whole

    links = list(_links(file))
    names = tuple(n for link in links for n in (link.text, *link.others))
    for name in names if folder.exists() else ():
        require_free(folder / name, overwrite)
    worst, lines = 0, []
    with whole_folder(folder, names) as made:
        for link in links:
            try:
                text, status = printed(partial(link.run, made))
            except JumpLaneError as error:
                text, status = f"{error}\n", error.exit_status
            write_whole(made / link.text, text)
            worst = max(worst, status)
            lines.append(
                f"  {link.words:22s} {_WORDS.get(status, 'wrong'):12s} {', '.join((link.text, *link.others))}"
            )
    print("\n".join(lines))
    print(f"written to {folder.resolve()}")
    if worst:
        raise typer.Exit(worst)


_WORDS = {0: "holds", 1: "NOT MET", 2: "refused", 3: "no result"}


def _links(file: Path) -> Iterator[Link]:
    """Yield the steps that a file asks for."""
    from jump_lane.cli import design, loops, losses, waves
    from jump_lane.library.around import Site

    case = load_case(file)
    spec = case.spec
    yield Link("derivation", "derivation.txt", (), lambda _: design.derive(file, formulas=True))
    yield Link("verdicts", "verdicts.txt", (), lambda _: design.check([file]))
    yield Link(
        "waveforms",
        "waveforms.txt",
        ("waveforms.png",),
        lambda to: waves.waves(file, figure=to / "waveforms.png"),
    )
    yield Link(
        "losses", "losses.txt", ("losses.png",), lambda to: losses.losses(file, figure=to / "losses.png")
    )
    for name in spec.wound:
        yield _winding(file, name)
    if spec.control is not None:
        yield Link("loop", "loop.txt", ("loop.png",), lambda to: loops.loop(file, figure=to / "loop.png"))
    if spec.event:
        yield Link(
            "over time",
            "steps.txt",
            ("steps.png",),
            lambda to: loops.transient(file, figure=to / "steps.png"),
        )
    site = Site(case)
    for key, kind in site.keys.items():
        yield _section(site, key, kind)


def _winding(file: Path, name: str) -> Link:
    from jump_lane.cli import wind

    drawn, sheet = f"{name}.png", f"{name}-sheet.txt"

    def run(to: Path) -> None:
        wind.wind(file, name, number=1, figure=to / drawn, sheet=to / sheet)

    return Link(f"winding of {name}", f"{name}.txt", (drawn, sheet), run)


def _section(site: Site, key: str, kind: str) -> Link:
    from jump_lane.cli.outputs import finish

    name = key.replace(".", "-")
    drawn = (f"{name}.png",) if kind in DRAWN else ()

    def run(to: Path) -> None:
        finish(site.find((key,)), False, figure=to / drawn[0] if drawn else None)

    return Link(key, f"{name}.txt", drawn, run)


DRAWN = ("filter", "bank", "protection")
"""Kinds of what stands around that have a figure."""
