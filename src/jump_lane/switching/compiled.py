"""Whether the inner loop has been compiled on this installation before."""

from __future__ import annotations

from pathlib import Path

from jump_lane.switching import stepping


def is_compiled() -> bool:
    """Tell whether compiled code of the inner loop lies in the cache."""
    folder = Path(stepping.run_period.stats.cache_path)
    return any(folder.glob("stepping.run_periods-*.nbc"))
