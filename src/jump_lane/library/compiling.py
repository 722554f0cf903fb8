"""The simulator is compiled once for an installation; whoever waits for that is told."""

from __future__ import annotations

from collections.abc import Callable

_TOLD: list[Callable[[str], None]] = []

COMPILING = "compiling the simulator, once for this installation (one to three minutes) …"
"""What is said before."""


def tell(say: Callable[[str], None]) -> None:
    """Let something be told before the simulator is compiled."""
    _TOLD[:] = [say]


def ready() -> None:
    """Compile the simulator if that has not been done yet."""
    from jump_lane.switching.compiled import compile_now, is_compiled

    if not is_compiled():
        for say in _TOLD:
            say(COMPILING)
        compile_now()
