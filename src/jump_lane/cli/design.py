"""Commands from the file to the verdict: topologies, new, derive, check, schema."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.options import AsJson, ConverterFile, Overwrite, ensure_compiled, load_design
from jump_lane.cli.render import note, show


def register(app: typer.Typer) -> None:
    """Add the commands of this module."""
    app.command()(topologies)
    app.command()(new)
    app.command()(derive)
    app.command()(check)
    app.command()(schema)


def topologies(json: AsJson = False) -> None:
    """List the topologies: what each is good for, its conversion range, isolated or not."""
    from jump_lane.report.design import topologies_view
    from jump_lane.topologies import pages

    show(topologies_view(pages()), json)


def new(
    topology: Annotated[str, typer.Argument(metavar="TOPOLOGY", help="A name from `jumplane topologies`.")],
    file: Annotated[Path, typer.Argument(metavar="FILE", help="The converter file to write.")],
    title: Annotated[str | None, typer.Option(help="What the converter is for.")] = None,
    input_min: Annotated[str | None, typer.Option(metavar="V", help="Lowest input voltage.")] = None,
    input_nominal: Annotated[str | None, typer.Option(metavar="V", help="Nominal input voltage.")] = None,
    input_max: Annotated[str | None, typer.Option(metavar="V", help="Highest input voltage.")] = None,
    output_voltage: Annotated[str | None, typer.Option(metavar="V", help="Output voltage.")] = None,
    load_min: Annotated[str | None, typer.Option(metavar="A", help="Smallest load current.")] = None,
    load_nominal: Annotated[str | None, typer.Option(metavar="A", help="Nominal load current.")] = None,
    load_max: Annotated[str | None, typer.Option(metavar="A", help="Full load current.")] = None,
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
    from jump_lane.files import write_whole
    from jump_lane.study.template import fill

    values = {
        "title": title,
        "input.voltage.min": input_min,
        "input.voltage.nominal": input_nominal,
        "input.voltage.max": input_max,
        "output.voltage": output_voltage,
        "output.current.min": load_min,
        "output.current.nominal": load_nominal,
        "output.current.max": load_max,
        "output.voltage_ripple": voltage_ripple,
        "switching.frequency": frequency,
        "switching.current_ripple": current_ripple,
        "switching.mode": mode,
        "switching.rectifier": rectifier,
        "transformer.secondary": secondary,
    }
    given = {k: v for k, v in values.items() if v is not None}
    write_whole(file, fill(topology, given), overwrite)
    note(f"wrote {file}")
    if given:
        left = [k for k, v in values.items() if v is None and not k.endswith(("nominal", "secondary"))]
        note(f"taken from the example: {', '.join(left)}" if left else "nothing is taken from the example")


def derive(
    file: ConverterFile,
    formulas: Annotated[
        bool, typer.Option("--formulas", help="Show formula, numbers and source of every value.")
    ] = False,
    json: AsJson = False,
) -> None:
    """Derive every value and stress at its worst corner of input and load."""
    from jump_lane.report.design import derivation_view

    show(derivation_view(load_design(file), formulas), json)


def check(
    file: ConverterFile,
    every: Annotated[bool, typer.Option("--all", help="Show all quantities at every corner.")] = False,
    tolerance: Annotated[
        bool, typer.Option("--tolerance", help="Values off by their tolerances: worst case and yield.")
    ] = False,
    draws: Annotated[int, typer.Option(min=0, max=100_000, help="Random draws, with --tolerance.")] = 100,
    seed: Annotated[int, typer.Option(help="Seed of the random draws.")] = 1,
    processes: Annotated[int, typer.Option(min=1, help="Local processes, with --tolerance.")] = 2,
    json: AsJson = False,
) -> None:
    """Simulate every corner with the output held: asked, derived, simulated, verdict.

    The exit status is 1 if something that was asked is not met, 3 if a corner has no trustworthy result.
    """
    design = load_design(file)
    ensure_compiled()
    if tolerance:
        from jump_lane.cli.outputs import collect
        from jump_lane.report.tolerance import tolerance_view
        from jump_lane.study import tolerance as study

        work = study.study(design, draws, seed)
        rows, complete = collect(study.run(work, processes), len(work.spots))
        show(tolerance_view(work, *study.judge(work, rows), complete), json)
        return
    from jump_lane.report.check import check_view
    from jump_lane.study.check import check as run

    show(check_view(run(design), every), json)


def schema(
    circuit: Annotated[bool, typer.Option("--circuit", help="That of the circuit file instead.")] = False,
    catalogue: Annotated[bool, typer.Option("--catalogue", help="That of a catalogue instead.")] = False,
) -> None:
    """Print the JSON Schema of the converter file, for editors that complete and check it."""
    import json

    from jump_lane import spec
    from jump_lane.catalogue import load
    from jump_lane.circuit import file

    found = file.schema() if circuit else load.schema() if catalogue else spec.schema()
    print(json.dumps(found, indent=2, ensure_ascii=False))
