"""The whole chain on the shipped example."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from jump_lane.cli.chain import printed
from jump_lane.cli.options import Overwrite

FILE = "instrument-rail.toml"
"""The converter file of the demo."""

DOCK, WINCH, MAST, SUPPLY = (
    "shore-dock-link.toml",
    "winch-bus-link.toml",
    "mast-lights.toml",
    "shore-dock-supply.toml",
)
"""More converters of the buoy: one controlled by frequency, one by the angle between two bridges, one under a digital controller,
one from the line with everything around it."""

OUTPUTS = (
    DOCK,
    "dock-gain.png",
    WINCH,
    "winch-angles.png",
    "derivation.txt",
    "verdicts.txt",
    "waveforms.png",
    "waveforms.csv",
    "losses.txt",
    "losses.png",
    "loop.txt",
    "loop.png",
    "steps.png",
    MAST,
    "mast-lights.png",
    "choke-designs.png",
    "choke.png",
    "choke-sheet.txt",
    SUPPLY,
    "supply.txt",
    "supply-filter.png",
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
    """Derive, check and draw the instrument rail of the Skerry buoy, its losses and its loop, into a folder; its choke;
    its dock link and winch bus, with the gain of one and the angles of the other; its mast lights over time; its dock supply."""
    from jump_lane.cli import design, loops, losses, tanks, waves
    from jump_lane.cli.outputs import finish
    from jump_lane.files import require_free, whole_folder, write_whole
    from jump_lane.library.around import around
    from jump_lane.library.converter import demonstration, further_example, new
    from jump_lane.library.winding import wind, write_sheet

    names = (FILE, *OUTPUTS)
    for name in names if folder.exists() else ():
        require_free(folder / name, overwrite)
    with whole_folder(folder, names) as made:
        file = made / FILE
        outputs = {n: made / n for n in OUTPUTS}
        write_whole(file, demonstration())
        derivation, _ = printed(lambda: design.derive(file, formulas=True))
        verdicts, _ = printed(lambda: design.check([file]))
        printed(lambda: waves.waves(file, figure=outputs["waveforms.png"], csv=outputs["waveforms.csv"]))
        lost, _ = printed(lambda: losses.losses(file, figure=outputs["losses.png"]))
        for further, topology in ((DOCK, "half-bridge-llc"), (WINCH, "dual-active-bridge")):
            write_whole(made / further, new(topology))
        printed(lambda: tanks.gain(made / DOCK, figure=outputs["dock-gain.png"]))
        printed(lambda: tanks.angles(made / WINCH, points=20, figure=outputs["winch-angles.png"]))
        looped, _ = printed(lambda: loops.loop(file, figure=outputs["loop.png"]))
        printed(lambda: loops.transient(file, figure=outputs["steps.png"]))
        write_whole(made / MAST, further_example(MAST))
        printed(lambda: loops.transient(made / MAST, from_rest=True, figure=outputs["mast-lights.png"]))
        chokes = wind(file, "L")
        choke = chokes.design()
        printed(lambda: finish(chokes, False, figure=outputs["choke-designs.png"]))
        printed(lambda: finish(choke, False, figure=outputs["choke.png"]))
        write_sheet(choke, outputs["choke-sheet.txt"])
        write_whole(made / SUPPLY, further_example(SUPPLY))
        supply = around(made / SUPPLY)
        surrounded, _ = printed(
            lambda: finish(
                supply,
                False,
                figure=outputs["supply-filter.png"],
                drawing=supply.only("input.filter").drawing(),
            )
        )
        for name, text in (
            ("derivation.txt", derivation), ("verdicts.txt", verdicts), ("losses.txt", lost), ("loop.txt", looped),
            ("supply.txt", surrounded),
        ):  # fmt: skip
            write_whole(outputs[name], text.replace(str(made), str(folder)))
    print(verdicts)
    for name, what in (
        (FILE, "the converter file: what is asked, and the chosen parts"),
        ("derivation.txt", "every value with formula, numbers and source"),
        ("verdicts.txt", "the table above"),
        ("waveforms.png", "the waveforms at nominal input and full load"),
        ("waveforms.csv", "their samples"),
        ("losses.txt", "where every watt goes there, with temperatures"),
        ("losses.png", "the same as a figure"),
        ("loop.txt", "the loop that holds it: values, margins and multipliers at every corner"),
        ("loop.png", "gain and phase, Nyquist plot, multipliers"),
        ("steps.png", "load and input steps over time"),
        (MAST, "the mast lights, under a digital controller"),
        ("mast-lights.png", "them plugged in one after the other, and all removed"),
        (DOCK, "an LLC, controlled by frequency"),
        ("dock-gain.png", "its exact gain, the corners marked"),
        (WINCH, "a dual active bridge, power both ways"),
        ("winch-angles.png", "what its angles do"),
        ("choke-designs.png", "loss over volume of every choke that would do for the rail"),
        ("choke.png", "the best of them in section, its losses and its flux"),
        ("choke-sheet.txt", "how to wind and test it"),
        (SUPPLY, "a supply from the line, with everything around it"),
        ("supply.txt", "its filter, divider, feedback, bank, gate, fuse and inrush"),
        ("supply-filter.png", "attenuation and impedance of its filter"),
    ):
        print(f"  {name:22s} {what}")
    print(f"written to {folder.resolve()}")
