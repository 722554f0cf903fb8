"""Broken files: text of examples changed at random, as typing, merging and other tools do."""

from __future__ import annotations

import random

VALUES = (
    "-1", "0", "1e300", "-1e-300", "nan", "inf", "true", '""', '"abc"', '"12 V"', '"-5 %"', '"1e99 H"', "[]", "{}",
    '"3,3 V"', '"10 kHz"', '"\\u0007"', "[1, 2]", '"999999999999 A"', "{ min = 1 }", '"0 Hz"', "1979-05-27",
)  # fmt: skip
WORDS = (
    "voltage",
    "current",
    "min",
    "max",
    "frequency",
    "D",
    "[",
    "]",
    "=",
    '"',
    "#",
    "\n",
    "é",
    "\\",
    "kind",
    ",",
)


def mutated(text: str, rng: random.Random) -> str:
    """A text with one to three changes: a value replaced, a line gone, twice or moved, characters changed."""
    for _ in range(rng.randint(1, 3)):
        lines = text.split("\n")
        at = rng.randrange(len(lines))
        kind = rng.randrange(6)
        if kind == 0:
            given = [k for k, line in enumerate(lines) if "=" in line]
            at = rng.choice(given) if given else at
            lines[at] = lines[at].split("=")[0] + "= " + rng.choice(VALUES)
        elif kind == 1:
            del lines[at]
        elif kind == 2:
            lines.insert(at, lines[at])
        elif kind == 3:
            lines.insert(rng.randrange(len(lines)), lines.pop(at))
        elif kind == 4:
            place = rng.randrange(len(lines[at]) + 1)
            lines[at] = lines[at][:place] + rng.choice(WORDS) + lines[at][place:]
        else:
            place = rng.randrange(len(lines[at]) + 1)
            lines[at] = lines[at][:place] + lines[at][place + rng.randint(1, 6) :]
        text = "\n".join(lines)
    return text
