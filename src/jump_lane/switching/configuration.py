"""One combination of conducting valves: its exact linear dynamics, constraints and guards.

An open valve is left out of the nodal equations altogether, which leaves them singular where an inductor
loses its path, inductors come in series, capacitors in parallel, or a winding floats.  The null spaces of
the singular matrix tell which constraint the states obey there (Γ z = 0), how the remaining freedom follows
from Γ ẏ = 0, and which potentials float; nothing is approximated by a large resistance.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jump_lane.switching import solving
from jump_lane.switching.network import Array, Network


@dataclass(frozen=True)
class Configuration:
    """Everything the stepping loop has to know of one combination; z = [y; 1] has n+1 entries.

    Attributes
    ----------
    kind
        Whether all states fit, only those on a constraint, or none at all (a forced current without a path).
    rate
        ż = rate·z, (n+1, n+1).
    projection
        States after entering, flux and charge conserved, (n, n+1).
    guards
        One row for each natural valve (d, n+1), which stays non-negative while the valve keeps its state:
        the current if conducting, v_f − v if open.
    impulses
        One row for each natural valve (d, n+1): voltage (open) or current (conducting) impulse that entering
        this configuration with a state off the constraint would cause.
    unknowns
        v = unknowns·z: all node potentials and branch currents, valve currents last, (m, n+1).
    """

    combo: int
    kind: int
    rate: Array
    projection: Array
    guards: Array
    impulses: Array
    unknowns: Array

    @property
    def constrained(self) -> bool:
        """Whether entering it may change the states."""
        return self.kind == solving.CONSTRAINED


def conducting(combo: int, network: Network) -> NDArray[np.bool_]:
    """Return which valves conduct in the bit pattern `combo`, those that a gate bars left open."""
    said, barred = solving.closed_valves(network.stamp, combo)
    return np.asarray(said & ~barred)


def configure(network: Network, combo: int) -> Configuration:
    """Return the configuration in which the valves in the bit pattern `combo` conduct.

    A valve that its gate bars is left open; where the pattern has it conduct, its guard says that it must not.
    """
    kind, rate, projection, guards, impulses, unknowns = solving.work_out(network.stamp, combo)
    return Configuration(combo, int(kind), rate, projection, guards, impulses, unknowns)


def signals(network: Network, configuration: Configuration) -> tuple[Array, Array]:
    """Return the voltage and the current of every branch as rows over z, in the network's branch order.

    The current of a switch with a body diode is that of both, that of a saturating inductor the whole.
    """
    voltage, current = solving.branch_rows(network.stamp, configuration.combo, configuration.unknowns)
    return voltage, current
