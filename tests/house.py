"""``python -m tests.house`` draws the rooms of the program, floor by floor as they are tested, into ``docs/house.png``."""

from pathlib import Path

import matplotlib.pyplot as plt
from matplotlib.axes import Axes
from matplotlib.patches import Rectangle

from tests.test_architecture import FLOORS

WORDS = {
    "cli": "options in, tables out",
    "library": "import jump_lane as jl: files to converters, converters to results",
    "report": "tables, figures, exports, forms of JSON",
    "study": "what if · check · sweep · tolerance · fit · pick · efficiency · diff",
    "control": "loops, runs over time",
    "dissipation": "losses, temperatures",
    "magnetics": "cores and windings",
    "sizing": "values that keep limits",
    "supply": "filters, banks, gates",
    "judge": "limits of the file, verdicts, ratings",
    "operating": "one point: solved, held, balanced, mode named; what a winding carries",
    "design": "a page worked out for a file, over all corners",
    "topologies": "a page of equations per circuit",
    "switching": "the simulator",
    "circuit": "elements, gates",
    "spec": "the file",
    "equations": "lines, formulas",
    "catalogue": "parts",
    "quantities": "units",
    "files": "and errors, validation: the ground",
}
WIDTH, FLOOR, GAP = 1005.0, 53.0, 7.0
PAPER, SAGE, LINE, INK = "#e6eaf5", "#dee7df", "#5a6c85", "#24323a"


def main() -> None:
    """Draw it."""
    figure = plt.figure(figsize=(11.0, 0.12 + len(FLOORS) * 0.6), dpi=100)
    high = len(FLOORS) * (FLOOR + GAP)
    axes = figure.add_axes((0.0, 0.0, 1.0, 1.0), xlim=(-15.0, 1085.0), ylim=(-6.0, high + 6.0))
    axes.axis("off")
    for k, rooms in enumerate(FLOORS):
        named = [room for room in rooms if room in WORDS]
        for i, room in enumerate(named):
            _room(
                axes,
                room,
                (i * WIDTH / len(named), k * (FLOOR + GAP)),
                WIDTH / len(named) - (GAP if i < len(named) - 1 else 0.0),
                k % 2,
            )
    axes.annotate("", (1035.0, 0.0), (1035.0, high), arrowprops={"arrowstyle": "->", "color": LINE})
    axes.text(1048.0, high / 2, "imports go down only", rotation=270, va="center", color=INK, fontsize=9)
    figure.savefig(Path(__file__).parent.parent / "docs" / "house.png")


def _room(axes: Axes, room: str, at: tuple[float, float], width: float, shade: int) -> None:
    x, y = at
    axes.add_patch(
        Rectangle(at, width, FLOOR, facecolor=PAPER if shade == 0 else SAGE, edgecolor=LINE, linewidth=1.5)
    )
    axes.text(
        x + width / 2, y + 0.7 * FLOOR, room, ha="center", va="center", color=INK, weight="bold", fontsize=12
    )
    axes.text(x + width / 2, y + 0.28 * FLOOR, WORDS[room], ha="center", va="center", color=INK, fontsize=9)


if __name__ == "__main__":
    main()
