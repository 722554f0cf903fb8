"""Whole commands: their time over that of starting Python with NumPy, side by side in each round.

python benchmarks/commands.py
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from importlib import resources
from pathlib import Path

COMMAND = Path(sys.executable).parent / "jumplane"
ROUNDS = 5
POINTS = "output.current=0.2A..6A/100"
MORE = "input.voltage=44V..58V/100"

CALLS: dict[str, tuple[tuple[str, ...], float]] = {
    "--help": (("--help",), 0.3),
    "derive, one screen": (("derive", "buck.toml"), 0.7),
    "check of nine corners": (("check", "buck.toml"), 1.5),
    "check of twenty files": (("check", *(f"{k}.toml" for k in range(20))), 5.0),
    "10,000 regulated points": (
        ("sweep", "buck.toml", "--vary", POINTS, "--vary", MORE, "--processes", "2"),
        20.0,
    ),
}
"""What is called, and the seconds it may take on a quiet machine."""

AS_INSTALLED = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
"""The environment, modules kept compiled as an installation keeps them."""


def seconds(command: list[str], folder: str) -> float:
    start = time.perf_counter()
    subprocess.run(command, cwd=folder, capture_output=True, check=True, env=AS_INSTALLED)
    return time.perf_counter() - start


def main() -> None:
    examples = resources.files("jump_lane").joinpath("examples")
    with tempfile.TemporaryDirectory() as folder:
        files = sorted(p.name for p in examples.iterdir() if p.name.endswith(".toml"))
        for k, name in enumerate(files[:20]):
            Path(folder, f"{k}.toml").write_text(
                examples.joinpath(name).read_text(encoding="utf-8"), encoding="utf-8"
            )
        Path(folder, "buck.toml").write_text(
            examples.joinpath("buck.toml").read_text(encoding="utf-8"), encoding="utf-8"
        )
        seconds([str(COMMAND), "check", "buck.toml"], folder)
        for label, (arguments, goal) in CALLS.items():
            rounds = [
                (
                    seconds([str(COMMAND), *arguments], folder),
                    seconds([sys.executable, "-c", "import numpy"], folder),
                )
                for _ in range(1 if goal > 10.0 else ROUNDS)
            ]
            own = statistics.median(r[0] for r in rounds)
            ratio = statistics.median(a / b for a, b in rounds)
            print(f"{label}: {own:.2f} s (goal {goal:g} s), {ratio:.1f} times Python with NumPy")


if __name__ == "__main__":
    main()
