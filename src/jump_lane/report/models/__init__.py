"""The form of the JSON that every command prints: models, from which the published schemas are made."""

from jump_lane.report.models import control, design, points, studies, wound
from jump_lane.report.models.base import Output

OUTPUTS: dict[str, type[Output]] = {
    "topologies": design.Topologies,
    "derive": design.Derivation,
    "check": design.Check,
    "checks": design.Checks,
    "tolerance": design.Tolerance,
    "size": design.Size,
    "fit": design.Fit,
    "waves": points.Waves,
    "measure": points.Measure,
    "spectrum": points.Spectrum,
    "sweep": studies.Sweep,
    "modes": studies.Modes,
    "gain": studies.Gain,
    "scale": studies.Scale,
    "angles": studies.Angles,
    "cross": studies.Cross,
    "losses": points.Losses,
    "corners": points.Corners,
    "efficiency": studies.Efficiency,
    "pick": studies.Pick,
    "loop": control.Loop,
    "least": control.Least,
    "measured": control.Measured,
    "responses": control.Responses,
    "transient": control.Transient,
    "circuit-loop": control.CircuitLoop,
    "circuit-transient": control.CircuitTransient,
    "wind": wound.Wind,
    "wound": wound.Wound,
    "joint": wound.Joint,
    "compare": studies.Compare,
    "diff": studies.Diff,
    "damp": points.Damp,
    "explain": studies.Explain,
    "circuit": points.Circuit,
    "error": studies.Error,
}
"""What the middle part of ``format`` names, to its form."""
