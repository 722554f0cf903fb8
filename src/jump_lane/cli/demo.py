"""The whole chain on the shipped example."""

from __future__ import annotations

import contextlib
import io
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import Overwrite, ensure_compiled

OUTPUTS = (
    "derivation.txt",
    "verdicts.txt",
    "waveforms.png",
    "waveforms.csv",
    "losses.txt",
    "losses.png",
)
"""What the demo writes besides the converter file."""


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(demo)


def demo(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Where the files go.")] = Path(
        "skerry-demo"
    ),
    overwrite: Overwrite = False,
) -> None:
    """Derive, check and draw the instrument rail of the Skerry buoy, and its losses, into a folder."""
    from jump_lane.cli import design, losses, waves
    from jump_lane.errors import InputError
    from jump_lane.files import require_free, write_whole
    from jump_lane.study.template import DEMONSTRATION, example

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"{folder}: {error.strerror or error}") from None
    file = folder / "instrument-rail.toml"
    outputs = {n: folder / n for n in OUTPUTS}
    for path in (file, *outputs.values()):
        require_free(path, overwrite)
    ensure_compiled()
    write_whole(file, example(DEMONSTRATION), overwrite)
    write_whole(outputs["derivation.txt"], _printed(lambda: design.derive(file, formulas=True)), overwrite)
    verdicts = _printed(lambda: design.check(file))
    write_whole(outputs["verdicts.txt"], verdicts, overwrite)
    _printed(
        lambda: waves.waves(
            file, figure=outputs["waveforms.png"], csv=outputs["waveforms.csv"], overwrite=overwrite
        )
    )
    lost = _printed(lambda: losses.losses(file, figure=outputs["losses.png"], overwrite=overwrite))
    write_whole(outputs["losses.txt"], lost, overwrite)
    print(verdicts)
    for name, what in (
        (file.name, "the converter file: what is asked, and the chosen parts"),
        ("derivation.txt", "every value with formula, numbers and source"),
        ("verdicts.txt", "the table above"),
        ("waveforms.png", "the waveforms at nominal input and full load"),
        ("waveforms.csv", "their samples"),
        ("losses.txt", "where every watt goes there, with temperatures"),
        ("losses.png", "the same as a figure"),
    ):
        print(f"  {name:22s} {what}")
    print(f"written to {folder.resolve()}")


def _printed(command: Callable[[], None]) -> str:
    """Run a command and return what it prints."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        command()
    return out.getvalue()
