"""Secondary sides behind a transformer that is driven both ways, as converters that step its pulses down."""

from __future__ import annotations

from functools import partial

from jump_lane.equations.sheet import Line
from jump_lane.topologies.blocks.both_ways.drive import Drive
from jump_lane.topologies.blocks.sources import DEFINITION, ONE_SIDED, VOLT_SECONDS
from jump_lane.topologies.blocks.step_down import StepDown
from jump_lane.topologies.blocks.transformers import behind, secondary, turns_ratio
from jump_lane.topologies.page import Cases, Entry

SIDES = ("centre-tap", "bridge", "current-doubler", "half-wave")
"""What can rectify behind a transformer that is driven both ways; the first one is usual."""


def stages(drive: Drive) -> dict[str, StepDown]:
    """Return the secondary sides as converters that step pulses down."""
    voltage, resistance, lost, leakage = drive.voltage, drive.resistance, drive.lost, drive.leakage
    late = "(I_pk - dI_L*(0.5 - D_1)/(1 - D_1))"
    bend = f"{drive.bend}/n**2" if drive.bend else ""
    step = partial(StepDown, pulse=f"({voltage}/n)", series=f"{leakage}/n**2", bend=bend, magnetising="L_m/n**2")
    turned = f"f_s*{leakage}*max(I_v - {'0' if lost else 'I_H'}, 0)/(n*{voltage})"
    core = "" if lost else "L_m/n**2"
    head = f"{voltage}/n - V_o"
    back = f"{resistance}/n**2 + R_sT + R_L"
    return {
        "centre-tap": step(
            on=f"{head} - V_FD1 - ({back} + R_D1)*{{I}}",
            off="V_o + V_FD1 + ((R_D1 + R_sT)/2 + R_L)*{I}",
            frequency="(2*f_s)",
            share="/2",
            lost=f"2*{lost}" if lost else turned,
            series_off=f"{leakage}/n**2" if lost else f"{leakage}/(2*n**2)",
            core=core,
        ),
        "bridge": step(
            on=f"{head} - 2*V_FD1 - ({back} + 2*R_D1)*{{I}}",
            off="V_o + 2*V_FD1 + (R_D1 + R_L)*{I}",
            frequency="(2*f_s)",
            share="/2",
            lost=f"2*{lost or turned}",
            series_off=f"{leakage}/n**2" if lost else "",
            core=core,
        ),
        "current-doubler": step(
            on=f"{head} - V_FD1 - ({back} + 2*R_D1)*{{I}}",
            off="V_o + V_FD1 + (R_L + R_D1/(1 - D_i))*{I}",
            load="(I_o/2)",
            full="(I_max/2)",
            phases="2",
            core=core,
            least="" if lost else "max(I_o/2 - I_Hc, 0)",
            lost=f"f_s*{leakage}*max(I_v + {late}, 0)/(n*{voltage})" if lost else turned,
        ),
        "half-wave": step(
            on=f"{head}{drive.shift} - V_FD1 - (R_D1 + R_sT + R_L)*{{I}} - {resistance}/n**2*({{I}} - I_s0)",
            off="V_o + V_FD1 + (R_L + R_D1/(2*(1 - D_i)))*{I}",
            needed=True,
            least="(I_o - r_m*I_max)/3",  # so that I_v ≥ I_pk/2 + r_m·I_max/2, the most that comes between pulses
            lost=f"{lost}/2" if lost else f"f_s*{leakage}*(I_v - I_s0)/(n*{voltage})",
            series_off=f"{leakage}/(2*n**2)" if lost else "",
        ),
    }


def both_ways_sizing(drive: Drive) -> tuple[Entry, ...]:
    """Return turns ratio, duty ratio, inductance and magnetising inductance."""
    voltage, found = drive.voltage, stages(drive)
    drops = {k: "2*V_FD1" if k == "bridge" else "V_FD1" for k in SIDES}
    pulses = {k: "2*" if k in ("centre-tap", "bridge") else "" for k in SIDES}
    between = Line("I_s0", drive.returned("I_o", "D_i"), "A", "secondary current between the pulses, about", ONE_SIDED)
    return (
        Line("M", "V_o/V_in", "", "conversion ratio", DEFINITION, "min"),
        behind("k_L", dict.fromkeys(SIDES, "1") | {"current-doubler": "1/2"}, "", "part of the load current in one inductor", DEFINITION),
        Cases(secondary, {k: turns_ratio(f"{pulses[k]}D_lim*{voltage}/(V_o + {drops[k]})") for k in SIDES}),
        Cases(
            secondary,
            {
                k: (
                    Line("D_i", f"n*V_o/({pulses[k]}{voltage})", "", "duty ratio with ideal parts", VOLT_SECONDS),
                    *((between,) if k == "half-wave" else ()),
                    *found[k].sizing(
                        (
                            Line(
                                "L_m",
                                f"(1 + m_L)*n*{voltage}*D_c{found[k].share}/(f_s*r_m*I_max)",
                                "H",
                                "magnetising inductance for its asked ripple, with margin",
                                VOLT_SECONDS,
                                component=True,
                            ),
                        )
                    ),
                )
                for k in SIDES
            },
        ),
    )
