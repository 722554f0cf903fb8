"""Jump Lane: from a ripple specification to a converter proven by switched simulation.

``import jump_lane as jl`` and ``rail = jl.load("rail.toml")``; then ``jl.derive(rail)``, ``jl.size(rail)``,
``jl.check(rail)``, ``jl.simulate(rail)``, ``jl.losses(rail)``, ``jl.sweep(rail, ["L=10uH..50uH/9"])`` and so on; each
takes the path, text or tables of a file as well.  Every result can be printed, is shown as tables in a notebook, and has
``frame()``, ``figure()`` and ``json()``.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jump_lane.errors import InputError, JumpLaneError, NoResultError
    from jump_lane.library.around import around
    from jump_lane.library.choices import fit, pick, size
    from jump_lane.library.closed import under_loop
    from jump_lane.library.converter import Converter, load, new
    from jump_lane.library.designs import check, derive, tolerance
    from jump_lane.library.joint import pick_together
    from jump_lane.library.loops import least_capacitor, loop, responses, transient
    from jump_lane.library.losing import losses
    from jump_lane.library.measured import fit_loop
    from jump_lane.library.own import run_circuit
    from jump_lane.library.own_loops import circuit_loop, circuit_transient
    from jump_lane.library.points import measure, simulate, spectrum
    from jump_lane.library.result import Result
    from jump_lane.library.scaling import scale
    from jump_lane.library.sides import compare, damp
    from jump_lane.library.studies import cross, efficiency, modes, sweep
    from jump_lane.library.tanks import angles, gain
    from jump_lane.library.winding import wind, wound
    from jump_lane.library.words import convert, diff, explain, list_topologies, schema

__version__ = "0.1.0"

_PLACES = {
    "errors": ("InputError", "JumpLaneError", "NoResultError"),
    "library.closed": ("under_loop",),
    "library.converter": ("Converter", "load", "new"),
    "library.around": ("around",),
    "library.choices": ("fit", "pick", "size"),
    "library.designs": ("check", "derive", "tolerance"),
    "library.scaling": ("scale",),
    "library.sides": ("compare", "damp"),
    "library.joint": ("pick_together",),
    "library.loops": ("least_capacitor", "loop", "responses", "transient"),
    "library.losing": ("losses",),
    "library.measured": ("fit_loop",),
    "library.own": ("run_circuit",),
    "library.own_loops": ("circuit_loop", "circuit_transient"),
    "library.points": ("measure", "simulate", "spectrum"),
    "library.result": ("Result",),
    "library.studies": ("cross", "efficiency", "modes", "sweep"),
    "library.tanks": ("angles", "gain"),
    "library.winding": ("wind", "wound"),
    "library.words": ("convert", "diff", "explain", "list_topologies", "schema"),
}
"""Where each public name lives; nothing is imported before it is used."""

_HOMES = {name: module for module, names in _PLACES.items() for name in names}

__all__ = [
    "Converter",
    "InputError",
    "JumpLaneError",
    "NoResultError",
    "Result",
    "__version__",
    "angles",
    "around",
    "check",
    "circuit_loop",
    "circuit_transient",
    "compare",
    "convert",
    "cross",
    "damp",
    "derive",
    "diff",
    "efficiency",
    "explain",
    "fit",
    "fit_loop",
    "gain",
    "least_capacitor",
    "list_topologies",
    "load",
    "loop",
    "losses",
    "measure",
    "modes",
    "new",
    "pick",
    "pick_together",
    "responses",
    "run_circuit",
    "scale",
    "schema",
    "simulate",
    "size",
    "spectrum",
    "sweep",
    "tolerance",
    "transient",
    "under_loop",
    "wind",
    "wound",
]


def __getattr__(name: str) -> Any:
    """Return a public name, its module imported at the first use."""
    if name not in _HOMES:
        raise AttributeError(f"module 'jump_lane' has no attribute {name!r}")
    return getattr(import_module(f"jump_lane.{_HOMES[name]}"), name)


def __dir__() -> list[str]:
    """Return the public names."""
    return list(__all__)
