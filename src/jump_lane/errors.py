"""Every error that Jump Lane raises on purpose, as a tree with one base.

``JumpLaneError``
    ``InputError``      the call or a file is wrong (exit status 2)
    ``NoResultError``   no trustworthy result (exit status 3)
        ``UnsolvableError``   the circuit has no state that obeys Kirchhoff's laws
        ``ConvergenceError``  the steady state was not found
            ``UnreachableError``  as the control does not bring the output there
        ``BalanceError``      a result whose energy, charge or volt-seconds do not close
        ``RunawayError``      losses that rise faster with temperature than cooling takes away
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable


class JumpLaneError(Exception):
    """Base of every error raised on purpose; ``exit_status`` is what the command ends with."""

    exit_status = 2
    code = "error"


class InputError(JumpLaneError):
    """A call or a file that cannot be used as it stands."""

    code = "input"


class NoResultError(JumpLaneError):
    """A calculation that ended without a trustworthy number."""

    exit_status = 3
    code = "no-result"


class UnsolvableError(NoResultError):
    """A circuit whose sources contradict each other or that has no path for a forced current."""

    code = "unsolvable"


class ConvergenceError(NoResultError):
    """A periodic steady state that was not found, or an operating point that does not exist."""

    code = "not-converged"


class UnreachableError(ConvergenceError):
    """An output that the control does not bring to what is asked, with what it does reach."""


class BalanceError(NoResultError):
    """A result whose own energy, charge or volt-second balance does not close."""

    code = "balance"


class RunawayError(NoResultError):
    """Losses that rise faster with temperature than cooling takes them away."""

    code = "thermal-runaway"


MANY = 40
"""How many valid names a message lists at most."""


def nearest(name: str, valid: Iterable[str]) -> str:
    """Return a hint naming the valid name nearest to `name`, or (the first) valid names if none is near."""
    names = sorted(valid)
    close = difflib.get_close_matches(name, names, n=1, cutoff=0.5)
    if close:
        return f"nearest valid name: {close[0]}"
    more = f" and {len(names) - MANY} more" if len(names) > MANY else ""
    return "valid names: " + ", ".join(names[:MANY]) + more
