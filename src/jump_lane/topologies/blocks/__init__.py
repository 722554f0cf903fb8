"""Groups of equations that several topologies share, each with its source."""

from jump_lane.topologies.blocks.capacitors import (
    chopped_input,
    chopped_output,
    coupling_capacitor,
    filtered_output,
    smooth_input,
)
from jump_lane.topologies.blocks.devices import (
    device,
)
from jump_lane.topologies.blocks.duty import (
    handed_over,
    lossy_duty,
    pulse_times,
)
from jump_lane.topologies.blocks.inductors import (
    inductance,
    inductor,
    single_inductor_sizing,
)
from jump_lane.topologies.blocks.pair import (
    RIPPLES,
    pair_operation,
    pair_sizing,
)
from jump_lane.topologies.blocks.proofs import (
    coupling_proofs,
    device_proofs,
    inductor_proofs,
    output_asks,
    output_proofs,
    panels,
)
from jump_lane.topologies.blocks.sources import (
    ASKED,
    BOUNDARY_CONDITION,
    COUPLED,
    COUPLING_CHARGE,
    DEFINITION,
    DISCONTINUOUS_RATIO,
    ENERGY,
    FIRST_HARMONIC,
    INPUT_CHARGE,
    KIRCHHOFF,
    MARGIN,
    OUTPUT_FILTER,
    PEAK_RATIO,
    RIGHT_HALF_PLANE,
    RIPPLE_CHOPPED,
    RIPPLE_WITH_ESR,
    RMS_VALUES,
    VOLT_SECONDS,
    WITH_LOSSES,
)

__all__ = [
    "ASKED",
    "BOUNDARY_CONDITION",
    "COUPLED",
    "COUPLING_CHARGE",
    "DEFINITION",
    "DISCONTINUOUS_RATIO",
    "ENERGY",
    "FIRST_HARMONIC",
    "INPUT_CHARGE",
    "KIRCHHOFF",
    "MARGIN",
    "OUTPUT_FILTER",
    "PEAK_RATIO",
    "RIGHT_HALF_PLANE",
    "RIPPLES",
    "RIPPLE_CHOPPED",
    "RIPPLE_WITH_ESR",
    "RMS_VALUES",
    "VOLT_SECONDS",
    "WITH_LOSSES",
    "chopped_input",
    "chopped_output",
    "coupling_capacitor",
    "coupling_proofs",
    "device",
    "device_proofs",
    "filtered_output",
    "handed_over",
    "inductance",
    "inductor",
    "inductor_proofs",
    "lossy_duty",
    "output_asks",
    "output_proofs",
    "pair_operation",
    "pair_sizing",
    "panels",
    "pulse_times",
    "single_inductor_sizing",
    "smooth_input",
]
