"""Options that several commands share, each declared once."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

if TYPE_CHECKING:
    from jump_lane.library.converter import CircuitCase, Converter

ConverterFile = Annotated[Path, typer.Argument(metavar="FILE", help="A converter file.", show_default=False)]
AnyFile = Annotated[
    Path, typer.Argument(metavar="FILE", help="A converter file, or a circuit file.", show_default=False)
]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]
Overwrite = Annotated[bool, typer.Option("--overwrite", help="Replace files that exist.")]
InputVoltage = Annotated[
    str | None,
    typer.Option("--input-voltage", metavar="V", help="Operating point: input voltage [default: nominal]."),
]
Load = Annotated[
    str | None,
    typer.Option("--load", metavar="A", help="Operating point: load current [default: full load]."),
]
FixedControl = Annotated[
    str | None,
    typer.Option(
        "--control",
        metavar="D=VALUE",
        help="Run at this control (duty ratio, shift) instead of holding the output.",
    ),
]
Catalogues = Annotated[
    list[Path] | None,
    typer.Option(
        "--catalogue", metavar="FILE", help="A catalogue of parts (.toml or .csv), besides those of the file."
    ),
]


Set = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        metavar="KEY=VALUE",
        help="What if: set a key of the file or a component, absolutely (L=22u, output.current=3A, S1=PART) or against "
        "what holds without (L=/10, C_o=*2, frequency=+10%); repeatable.",
    ),
]
Ideal = Annotated[
    bool, typer.Option("--ideal", help="As in a textbook: no margins, no dead time, no figures of parts.")
]
TableFiles = Annotated[
    list[Path] | None,
    typer.Option("--table", metavar="FILE", help="Write the numbers as .csv or .parquet; repeatable."),
]
Figure = Annotated[
    Path | None, typer.Option("--figure", metavar="PNG|SVG", help="Draw a figure into this file.")
]
ClosedLoop = Annotated[
    bool,
    typer.Option(
        "--closed-loop",
        help="Under the loop of [control]: the output is where reference and divider hold it.",
    ),
]
Processes = Annotated[int, typer.Option(min=1, help="Local processes that share the work.")]


STANDARD_INPUT = Path("-")
"""The name of a file that stands for standard input."""


def load_case(
    path: Path, catalogues: list[Path] | None = None, changes: list[str] | None = None, ideal: bool = False
) -> Converter:
    """Read a converter file (``-``: from standard input), with what is set against it."""
    from jump_lane.library.converter import load

    source = path if path != STANDARD_INPUT else _standard_input()
    return load(source, set=changes or (), ideal=ideal, catalogues=catalogues or ())


def under_loop(case: Converter, closed: bool) -> Converter:
    """Return a converter as it is, or as its loop holds it."""
    if not closed:
        return case
    from jump_lane.library.closed import under_loop as close

    return close(case).converter


def held_by_loop(case: Converter | CircuitCase, control: str | None) -> Converter:
    """Return a converter as its loop holds it; what has none, or a control that is fixed, is refused."""
    from jump_lane.errors import InputError
    from jump_lane.library.converter import Converter

    if control is not None:
        raise InputError(
            "--closed-loop and --control exclude each other: one holds the output, one the control"
        )
    if not isinstance(case, Converter):
        raise InputError(f"--closed-loop: {case.name} is a circuit file; expected a converter file")
    return under_loop(case, True)


def _standard_input() -> dict[str, Any]:
    import sys

    from jump_lane.validation import toml_of

    return toml_of(sys.stdin.read(), "standard input")


def load_any(
    path: Path, catalogues: list[Path] | None = None, changes: list[str] | None = None, ideal: bool = False
) -> Converter | CircuitCase:
    """Read a converter file or a circuit file, with what is set against it."""
    from jump_lane.library.converter import load_circuit

    found = None if path == STANDARD_INPUT else load_circuit(path, changes or ())
    if found is not None:
        return found
    return load_case(path, catalogues, changes, ideal)
