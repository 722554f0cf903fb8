"""Text of files and options shown so that it cannot steer what shows it."""

from __future__ import annotations

import re

_CONTROL = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u200b-\u200f\u2028-\u202e\u2066-\u2069\ufeff]")


def harmless(text: str) -> str:
    """Return text with control characters spelled out, so that no name or title can steer a terminal."""
    return _CONTROL.sub(lambda m: f"\\x{ord(m[0]):02x}", text)
