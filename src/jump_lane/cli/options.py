"""Options that several commands share, each declared once."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

if TYPE_CHECKING:
    from jump_lane.quantities import Dimension
    from jump_lane.spec import Spec
    from jump_lane.topologies.design import Design

ConverterFile = Annotated[Path, typer.Argument(metavar="FILE", help="A converter file.", show_default=False)]
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


def quantity(text: str | None, dimension: Dimension, option: str) -> float | None:
    """Read an option's quantity, naming the option in any complaint."""
    from jump_lane.errors import InputError
    from jump_lane.quantities import parse

    if text is None:
        return None
    try:
        return parse(text, dimension)
    except InputError as error:
        raise InputError(f"{option}: {error}") from None


def load_spec(path: Path, catalogues: list[Path] | None = None) -> Spec:
    """Read a converter file; its parts may come from some more catalogues as well."""
    from jump_lane.spec import load

    return load(path).with_catalogues(tuple(str(catalogue) for catalogue in catalogues or ()))


def load_design(path: Path, catalogues: list[Path] | None = None) -> Design:
    """Read a converter file and derive the converter, naming the file in any complaint."""
    from jump_lane.errors import InputError
    from jump_lane.topologies.design import derive

    spec = load_spec(path, catalogues)
    try:
        return derive(spec)
    except InputError as error:
        raise InputError(f"{path}: {error}") from None


def ensure_compiled() -> None:
    """Compile the simulator if that has not been done yet, and say so on standard error."""
    from jump_lane.cli.render import note
    from jump_lane.switching.compiled import compile_now, is_compiled

    if not is_compiled():
        note("compiling the simulator, once for this installation (about a minute) …")
        compile_now()
