"""What is settled before the equations of a page are written down: one circuit and one list of lines result."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from jump_lane.equations.sheet import BOUNDARY, CONTINUOUS, DISCONTINUOUS, Sheet
from jump_lane.spec import Output, Spec

TARGETS = (CONTINUOUS, "either", BOUNDARY, DISCONTINUOUS)


@dataclass(frozen=True)
class Variant:
    """How a converter is made.

    Attributes
    ----------
    target
        The conduction mode that its inductances are chosen for.
    synchronous, dead
        Whether its rectifiers are switches, and whether their body diodes conduct in a dead time.
    secondary
        What rectifies behind its transformer, where there is a choice.
    leaking, one_core
        Whether its transformer has leakage inductance, and two inductors share a core.
    loads
        What the load of each output is: resistance, current, power or leds.
    tank
        What decides a resonant tank: ratio, both, quality, leakage or magnetising.
    soft
        Whether switches have output capacitances that a dead time is for.
    modulation
        How the angles of two bridges are set.
    """

    target: str = CONTINUOUS
    synchronous: bool = False
    dead: bool = False
    secondary: str = ""
    leaking: bool = False
    one_core: bool = False
    loads: tuple[str, ...] = ("resistance",)
    tank: str = "ratio"
    soft: bool = False
    modulation: str = "single"

    @property
    def two_paths(self) -> bool:
        """Whether pulses of either sign reach one inductor: through a centre tap or a bridge."""
        return self.secondary in ("centre-tap", "bridge")

    def drop(self, rectifier: str, current: str) -> str:
        """Return the formula of a rectifier's largest drop, at a current: that of its body diode where a dead time lets it conduct."""
        x = rectifier.replace("_", "")
        return f"V_B{x}" if self.dead else f"V_F{x} + R_{x}*{current}"

    def body(self, switch: str) -> str:
        """Return the formula of what a body diode adds to the voltage that others block."""
        return f"V_B{switch}" if self.dead else "0"


def variant_of(spec: Spec, sheet: Sheet, page_bodies: bool) -> Variant:
    """Return how a converter is made, from its file and what is known of its parts."""
    s = spec.switching
    synchronous = s.rectifier == "synchronous"
    asked = s.mode == CONTINUOUS and synchronous and s.current_ripple is not None
    dead = (synchronous or page_bodies) and s.dead_time > 0.0
    return Variant(
        target="either" if asked else s.mode,
        synchronous=synchronous,
        dead=dead,
        secondary=spec.transformer.secondary or "",
        leaking=_there(sheet, "L_kT"),
        one_core=_there(sheet, "k_T"),
        loads=tuple(load_kind(o) for o in spec.output),
        tank=_tank(spec),
        soft=dead and _there(sheet, "C_S1"),
        modulation=spec.angles.modulation,
    )


def _there(sheet: Sheet, symbol: str) -> bool:
    return symbol in sheet and sheet[symbol].worst > 0.0


def _tank(spec: Spec) -> str:
    if spec.tank.inductance_ratio is not None:
        return "ratio" if spec.tank.quality is None else "both"
    ways = {"quality": spec.tank.quality, "leakage": spec.chosen.get("L_r"), "magnetising": spec.chosen.get("L_m")}
    return next((name for name, given in ways.items() if given is not None), "ratio")


def load_kind(output: Output) -> str:
    """Return what the load is: resistance, current, power or leds."""
    return "leds" if output.leds is not None else output.load


def every_variant(secondaries: Sequence[str], outputs: int, modulations: Sequence[str]) -> Iterator[Variant]:
    """Yield variants among which every line of a page is found."""
    for secondary in secondaries or ("",):
        for leaking in (False, True):
            usual = Variant(secondary=secondary, leaking=leaking, loads=("resistance",) * outputs)
            yield usual
            yield replace(usual, synchronous=True, dead=True, one_core=True, soft=True)
            for kind in ("current", "power"):
                yield replace(usual, loads=("resistance",) + (kind,) * (outputs - 1))
    usual = Variant(secondary=secondaries[0] if secondaries else "", loads=("resistance",) * outputs)
    yield from (replace(usual, target=target) for target in TARGETS)
    yield from (replace(usual, tank=tank) for tank in ("both", "quality", "leakage", "magnetising"))
    yield from (replace(usual, modulation=modulation) for modulation in modulations)
