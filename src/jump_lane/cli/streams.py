"""Standard output and error as they are found: any encoding, closed, full, not a terminal."""

from __future__ import annotations

import codecs
import os
import sys
from typing import TextIO

_PLAIN = {
    "Δ": "d", "Ω": "Ohm", "µ": "u", "μ": "u", "°": "deg", "²": "^2", "³": "^3", "√": "sqrt", "π": "pi", "Φ": "Phi",
    "─": "-", "–": "-", "−": "-", "·": "*", "×": "x", "→": "->", "≤": "<=", "≥": ">=", "≈": "~", "…": "...", "∞": "inf",
    "Ć": "C", "ć": "c", "λ": "lambda", "η": "eta", "θ": "theta", "‘": "'", "’": "'", "“": '"', "”": '"', "\u00a0": " ",
    "█": "#", "±": "+-", "∫": "int", "■": "#", "□": "#", "½": "1/2",
}  # fmt: skip
"""What stands for a character that an encoding does not have; anything else becomes a question mark."""


def _plainer(error: UnicodeError) -> tuple[str, int]:
    assert isinstance(error, UnicodeEncodeError)
    wanted = error.object[error.start : error.end]
    return "".join(_PLAIN.get(c, "?") for c in wanted), error.end


def prepare() -> None:
    """Make both streams usable whatever they are."""
    codecs.register_error("plainer", _plainer)
    sys.stdout = _usable(sys.stdout)
    sys.stderr = _usable(sys.stderr)


def _usable(stream: TextIO | None) -> TextIO:
    if stream is None or stream.closed:
        return open(os.devnull, "w", encoding="utf-8")
    reconfigure = getattr(stream, "reconfigure", None)
    if reconfigure is not None:
        reconfigure(errors="plainer")
    return stream


def abandon(stream: TextIO) -> None:
    """Let nothing more be written to a stream whose reader has gone, not even at the end of the process."""
    null = os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(null, stream.fileno())
    except (OSError, ValueError):
        return
    finally:
        os.close(null)


def coloured(stream: TextIO) -> bool:
    """Tell whether a stream is a terminal that wants attributes."""
    return stream.isatty() and "NO_COLOR" not in os.environ and os.environ.get("TERM") != "dumb"
