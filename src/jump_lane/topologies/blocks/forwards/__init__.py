"""Forward converters behind every secondary side they can have: equations, circuit and gates."""

from jump_lane.topologies.blocks.forwards import clamped, free
from jump_lane.topologies.blocks.forwards.common import (
    BOUNDS,
    CAVEATS,
    DUTY_LIMITS,
    PANELS,
    RIPPLES,
    ROLES,
    SIDES,
    START,
    forward_asks,
    forward_gates,
    forward_proofs,
    forward_sizing,
    primary_device,
    transformer,
)

__all__ = [
    "BOUNDS",
    "CAVEATS",
    "DUTY_LIMITS",
    "PANELS",
    "RIPPLES",
    "ROLES",
    "SIDES",
    "START",
    "clamped",
    "forward_asks",
    "forward_gates",
    "forward_proofs",
    "forward_sizing",
    "free",
    "primary_device",
    "transformer",
]
