"""Commands from the file to the verdict: topologies, new, derive, check, explain, schema."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import (
    AsJson,
    Catalogues,
    ClosedLoop,
    ConverterFile,
    Ideal,
    Overwrite,
    Processes,
    Set,
    TableFiles,
    load_case,
    under_loop,
)
from jump_lane.cli.outputs import finish, progress, require_outputs
from jump_lane.cli.render import note


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(topologies)
    app.command()(new)
    app.command()(derive)
    app.command()(check)
    app.command()(explain)
    app.command()(schema)


def topologies(json: AsJson = False) -> None:
    """List the topologies: what each is good for, its conversion range, isolated or not."""
    from jump_lane.library.words import list_topologies

    finish(list_topologies(), json)


NEW = {
    "title": "--title",
    "input.voltage": "--input",
    "output.voltage": "--output-voltage",
    "output.current": "--load",
    "output.voltage_ripple": "--voltage-ripple",
    "switching.frequency": "--frequency",
    "switching.current_ripple": "--current-ripple",
    "switching.mode": "--mode",
    "switching.rectifier": "--rectifier",
    "transformer.secondary": "--secondary",
}
"""Keys of a new file and the options that set them."""


def new(
    topology: Annotated[str, typer.Argument(metavar="TOPOLOGY", help="A name from `jumplane topologies`.")],
    file: Annotated[Path, typer.Argument(metavar="FILE", help="The converter file to write.")],
    title: Annotated[str | None, typer.Option(help="What the converter is for.")] = None,
    input_voltage: Annotated[
        str | None,
        typer.Option(
            "--input", metavar="V..V", help="Input voltage: LOWEST..HIGHEST, LOWEST..USUAL..HIGHEST or one."
        ),
    ] = None,
    output_voltage: Annotated[str | None, typer.Option(metavar="V", help="Output voltage.")] = None,
    load: Annotated[
        str | None,
        typer.Option(
            "--load",
            metavar="A|W|Ω",
            help="Load, as current, power or resistance: SMALLEST..LARGEST, with USUAL between, or one.",
        ),
    ] = None,
    voltage_ripple: Annotated[
        str | None, typer.Option(metavar="V|%", help="Largest output ripple, peak to peak.")
    ] = None,
    frequency: Annotated[str | None, typer.Option(metavar="Hz", help="Switching frequency.")] = None,
    current_ripple: Annotated[
        str | None, typer.Option(metavar="A|%", help="Largest inductor ripple, peak to peak.")
    ] = None,
    mode: Annotated[
        str | None, typer.Option(help="Conduction: continuous, boundary, discontinuous or either.")
    ] = None,
    rectifier: Annotated[str | None, typer.Option(help="diode or synchronous.")] = None,
    secondary: Annotated[
        str | None, typer.Option(help="half-wave, centre-tap, bridge or current-doubler.")
    ] = None,
    overwrite: Overwrite = False,
) -> None:
    """Write a commented converter file; without options it is an example that runs as it is."""
    from jump_lane.errors import InputError
    from jump_lane.files import write_whole
    from jump_lane.library.converter import load_key, taken_over
    from jump_lane.library.converter import new as text_of

    values = (
        title, input_voltage, output_voltage, load, voltage_ripple, frequency, current_ripple, mode, rectifier, secondary,
    )  # fmt: skip
    given = {key: value for key, value in zip(NEW, values, strict=True) if value is not None}
    if load is not None:
        given = {load_key(load) if key == "output.current" else key: value for key, value in given.items()}
    try:
        text = text_of(topology, given)
    except InputError as error:
        raise InputError(_by_option(str(error))) from None
    write_whole(file, text, overwrite)
    note(f"wrote {file}")
    if given:
        for key, value in taken_over(topology, given).items():
            note(f"  assumed: {key} = {value}" + (f" ({NEW[key]} changes it)" if key in NEW else ""))


def _by_option(message: str) -> str:
    """Return a message about keys of a new file as one about the options that were typed."""
    message = message.replace("new: output.1.", "new: output.")
    for key, option in NEW.items():
        message = message.replace(f"new: {key}.", f"{option}, ").replace(f"new: {key}", option)
    return message


def derive(
    file: ConverterFile,
    symbols: Annotated[
        list[str] | None, typer.Argument(metavar="SYMBOL", help="With --formulas: what to derive.")
    ] = None,
    every: Annotated[bool, typer.Option("--all", help="Show every value, in groups.")] = False,
    formulas: Annotated[
        bool,
        typer.Option("--formulas", help="Show formula, numbers and source: of all, or what leads to SYMBOL."),
    ] = False,
    catalogue: Catalogues = None,
    changes: Set = None,
    ideal: Ideal = False,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Derive every value and stress at its worst corner of input and load, on one screen."""
    from jump_lane.errors import InputError
    from jump_lane.library.designs import derive as find

    require_outputs(file, table, None, overwrite)
    if symbols and not formulas:
        raise InputError(
            f"{symbols[0]}: expected one file; --formulas {symbols[0]} shows what leads to a symbol"
        )
    case = load_case(file, catalogue, changes, ideal)
    found = find(case)
    wanted = (symbols or []) if formulas else None
    finish(found, json, view=found.view(every, wanted), table=table, overwrite=overwrite)


def check(
    files: Annotated[
        list[Path],
        typer.Argument(metavar="FILE...", help="Converter files; - reads one from standard input."),
    ],
    every: Annotated[bool, typer.Option("--all", help="Show all quantities at every corner.")] = False,
    explain: Annotated[
        list[str] | None,
        typer.Option("--explain", metavar="SYMBOL", help="Show why a quantity is what it is; repeatable."),
    ] = None,
    quiet: Annotated[bool, typer.Option("--quiet", help="Say only what is not met.")] = False,
    junit: Annotated[
        Path | None,
        typer.Option("--junit", metavar="XML", help="Write the verdicts as JUnit XML into this file."),
    ] = None,
    tolerance: Annotated[
        bool, typer.Option("--tolerance", help="Values off by their tolerances: worst case and yield.")
    ] = False,
    draws: Annotated[int, typer.Option(min=0, max=100_000, help="Random draws, with --tolerance.")] = 100,
    seed: Annotated[int, typer.Option(help="Seed of the random draws.")] = 1,
    processes: Processes = 2,
    catalogue: Catalogues = None,
    closed_loop: ClosedLoop = False,
    changes: Set = None,
    ideal: Ideal = False,
    table: TableFiles = None,
    overwrite: Overwrite = False,
    json: AsJson = False,
) -> None:
    """Simulate every corner with the output held, and judge what is asked: verdicts first, each with its remedy.

    Several files get a line each, and the worst exit status: 1 if something that was asked is not met, 2 if a file is wrong,
    3 if a corner has no trustworthy result.
    """
    from jump_lane.errors import InputError
    from jump_lane.library import designs

    require_outputs(files[0], table, None, overwrite)
    if junit is not None:
        from jump_lane.files import require_free

        require_free(junit, overwrite)
    if len(files) > 1 or junit is not None or quiet:
        if tolerance or explain or table or every or closed_loop:
            raise InputError(
                "check: --tolerance, --explain, --table, --all and --closed-loop show one file; expected one without --quiet or --junit"
            )
        _check_many(files, (catalogue, changes, ideal), quiet, junit, overwrite, json)
        return
    case = load_case(files[0], catalogue, changes, ideal)
    if tolerance:
        with progress() as watch:
            held = under_loop(case, closed_loop)
            found = designs.tolerance(held, draws=draws, seed=seed, processes=processes, watch=watch)
        finish(found, json, table=table, overwrite=overwrite)
        return
    checked = designs.check(case, compare=bool(changes), closed_loop=closed_loop)
    finish(checked, json, view=checked.view(every, explain or ()), table=table, overwrite=overwrite)


def _check_many(
    files: list[Path],
    settings: tuple[list[Path] | None, list[str] | None, bool],
    quiet: bool,
    junit: Path | None,
    overwrite: bool,
    json: bool,
) -> None:
    """Check many files: a line each, or only those that are not met."""
    from jump_lane.files import write_whole
    from jump_lane.library.designs import check_many
    from jump_lane.library.junit import junit_xml

    found = check_many((str(path), partial(load_case, path, *settings)) for path in files)
    if junit is not None:
        write_whole(junit, junit_xml(found), overwrite)
        note(f"wrote {junit}")
    finish(found, json, view=found.view(quiet))


def schema(
    circuit: Annotated[bool, typer.Option("--circuit", help="That of the circuit file instead.")] = False,
    catalogue: Annotated[bool, typer.Option("--catalogue", help="That of a catalogue instead.")] = False,
    output: Annotated[
        str | None,
        typer.Option("--output", metavar="COMMAND", help="That of the JSON which a command prints instead."),
    ] = None,
) -> None:
    """Print the JSON Schema of the converter file, for editors that complete and check it."""
    import json

    from jump_lane.errors import InputError
    from jump_lane.library.words import schema as find

    if circuit + catalogue + (output is not None) > 1:
        raise InputError("schema: expected one of --circuit, --catalogue and --output")
    which = "circuit" if circuit else "catalogue" if catalogue else "converter"
    print(json.dumps(find(which, output=output), indent=2, ensure_ascii=False))


def explain(
    key: Annotated[
        str,
        typer.Argument(
            metavar="KEY", help="A key of the file, such as switching.mode, margin or parts.S1.cost."
        ),
    ],
    json: AsJson = False,
) -> None:
    """Explain a key of the converter file: what it means, what may stand there, what holds without it."""
    from jump_lane.library.words import explain as find

    finish(find(key), json)
