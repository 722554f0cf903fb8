"""What a derivation leaves out, said where it matters."""

from __future__ import annotations

from collections.abc import Iterator

from jump_lane.design.derive import Design

SATURATING = "inductances are derived as at no current; the simulation follows their saturation curves"
ONE_CORE = "the saturation curves of windings on one core are not simulated"
BIPOLAR = "the on-state voltage of bipolar switches is simulated, not derived"
IN_DEAD_TIME = (
    "Where the current reverses, S1's side conducts in the dead time before S1 does: its duty ratio is less there than derived, "
    "by up to t_d·f_s. The simulation tells it, and what it shows is judged."
)


def caveats(design: Design) -> Iterator[str]:
    """Yield what a derivation leaves out, in words."""
    sheet, page = design.sheet, design.page
    for symbol, text in page.caveats.items():
        if symbol in sheet and sheet[symbol].worst != 0.0:
            yield text
    if any(f"V_T{role.tag}" in sheet and sheet[f"V_T{role.tag}"].worst for role in page.roles):
        yield BIPOLAR
    if design.synchronous and design.spec.switching.dead_time and "D" in design.proofs and _reverses(design):
        yield IN_DEAD_TIME
    if design.on_one_core and any(p.saturation for p in design.coils.values()):
        yield ONE_CORE
    if design.saturation:
        yield SATURATING


def _reverses(design: Design) -> bool:
    """Tell whether an inductor that the mode sizes reverses its current at some corner."""
    valleys = (f"I_{name.replace('_', '')}v" for name in design.page.sized_by_mode)
    return any(design.sheet[symbol].worst < 0.0 for symbol in valleys if symbol in design.sheet)
