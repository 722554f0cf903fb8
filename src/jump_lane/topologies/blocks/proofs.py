"""What proves the values of the common groups, what is asked of them, and how they are drawn."""

from __future__ import annotations

from jump_lane.topologies.page import Ask, Proof

BENT = 0.03
"""The rms value of an output capacitor is derived with straight slopes; its own ripple bends them."""

CURVED = 0.02
"""Averages and rms values of devices are derived with straight slopes; resistance bends them a little."""


def inductor_proofs(*names: str, element: str = "") -> tuple[Proof, ...]:
    """Return the proofs of inductors; valleys are measured against peaks.

    ``element`` stands for several made alike.
    """
    return tuple(proof for name in names for proof in _inductor(name.replace("_", ""), element or name, element))


def _inductor(x: str, element: str, alike: str) -> tuple[Proof, ...]:
    return (
        Proof(f"dI_{x}", f"{element}.i", "peak_to_peak"),
        Proof(f"I_{x}pk", f"{element}.i", "maximum"),
        Proof(f"I_{x}v", f"{element}.i", "minimum", scale=f"I_{x}pk"),
        Proof(f"I_{x}", f"{element}.i", "average", scale=f"I_{x}pk" if alike else ""),
        Proof(f"I_{x}rms", f"{element}.i", "rms"),
    )


def output_proofs() -> tuple[Proof, ...]:
    """Return the proofs of the output capacitor."""
    return (Proof("dV_o", "load.v", "peak_to_peak", 0.05), Proof("I_Corms", "C_o.i", "rms", BENT))


def coupling_proofs(name: str = "C_s") -> tuple[Proof, ...]:
    """Return the proofs of a coupling capacitor."""
    x = name.replace("_", "")
    return (
        Proof(f"V_{x}", f"{name}.v", "average"),
        Proof(f"dV_{x}", f"{name}.v", "peak_to_peak", 0.05),
        Proof(f"I_{x}rms", f"{name}.i", "rms"),
    )


def device_proofs(switch: str = "S1", rectifier: str = "D1", shared: bool = False) -> tuple[Proof, ...]:
    """Return the proofs of a switch and a rectifier.

    Where several phases share the current (``shared``), averages are measured against peaks.
    """
    first = f"I_{switch}pk" if shared else ""
    return (
        Proof(f"I_{switch}", f"{switch}.i", "average", CURVED, first),
        Proof(f"I_{switch}rms", f"{switch}.i", "rms", CURVED),
        Proof(f"I_{switch}pk", f"{switch}.i", "maximum"),
        Proof(f"V_{switch}", f"{switch}.v", "maximum"),
        *rectifier_proofs(rectifier, shared),
    )


def rectifier_proofs(name: str, shared: bool = False) -> tuple[Proof, ...]:
    """Return the proofs of a rectifier."""
    return (
        Proof(f"I_{name}", f"{name}.i", "average", CURVED, f"I_{name}pk" if shared else ""),
        Proof(f"I_{name}rms", f"{name}.i", "rms", CURVED),
        Proof(f"I_{name}pk", f"{name}.i", "maximum"),
        Proof(f"V_{name}", f"{name}.v", "reverse"),
    )


def output_asks() -> tuple[Ask, ...]:
    """Return what is asked of the output ripple."""
    return (Ask("dV_o", "dV_ask", "C_o"),)


def panels(node: str, *inductors: str) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Return the panels of the figure of a converter with one switch and one rectifier."""
    return (
        ("gate", ("S1.gate", "D1.gate")),
        ("inductor current", tuple(f"{name}.i" for name in inductors)),
        ("device currents", ("S1.i", "D1.i")),
        ("switch node", (f"@{node}",)),
        ("output ripple", ("load.v~",)),
        ("output level", ("load.v=",)),
    )


PHASE_PANELS = (
    ("gate", tuple(f"S{k}.gate" for k in range(1, 5))),
    ("inductor current", tuple(f"L{k}.i" for k in range(1, 5))),
    ("input current", ("source.i",)),
    ("switch node", ("@sw1",)),
    ("output ripple", ("load.v~",)),
    ("output level", ("load.v=",)),
)
"""Panels of the figure of several phases; the first four are drawn."""


def held_proofs() -> tuple[Proof, ...]:
    """Return the proofs of what is held, and by which duty ratio."""
    return (Proof("V_o", "load.v", "average"), Proof("D", "S1.gate", "average"))


def single_proofs() -> tuple[Proof, ...]:
    """Return the proofs of a converter with one switch, one rectifier and one inductor."""
    return (*held_proofs(), *inductor_proofs("L"), *output_proofs(), *device_proofs("S1", "D1"), Proof("I_Cirms", "source.i", "ac_rms"))


def single_asks() -> tuple[Ask, ...]:
    """Return what is asked of a converter with one inductor (or several made alike)."""
    return (Ask("dI_L", "dI_ask", "L"), *output_asks())


def pair_proofs() -> tuple[Proof, ...]:
    """Return the proofs of a converter with two inductors and a coupling capacitor."""
    return (
        *held_proofs(),
        *inductor_proofs("L1", "L2"),
        *coupling_proofs(),
        *output_proofs(),
        *device_proofs("S1", "D1"),
        Proof("I_Cirms", "source.i", "ac_rms"),
    )


def pair_asks() -> tuple[Ask, ...]:
    """Return what is asked of a converter with two inductors."""
    return (Ask("dI_L1", "dI_1ask", "L1"), Ask("dI_L2", "dI_2ask", "L2"), *output_asks())
