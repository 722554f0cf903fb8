"""Damping of a ringing device: parasitic inductance and capacitance, series R-C damping, or a dissipating clamp.

A device with the capacitance C_p, fed through the inductance L_p, rings where it stops conducting.  The frequencies
measured with and without an added capacitance tell both.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from jump_lane.circuit.circuit import Circuit, terminals
from jump_lane.circuit.elements import Capacitor, Diode, Element, Inductor, Resistor, Switch
from jump_lane.design.derive import Design
from jump_lane.equations.sheet import Line, Sheet
from jump_lane.errors import InputError, nearest
from jump_lane.spec import Damping

RINGING = "docs/equations.md, 'Damping of a ringing device'"
DEFINITION = "definition"

PARASITIC = (
    Line("C_p", "C_ad/((f_r0/f_r1)**2 - 1)", "F", "parasitic capacitance of the device", RINGING),
    Line("L_p", "1/((2*pi*f_r0)**2*C_p)", "H", "parasitic inductance in series with it", RINGING),
    Line("Z_p", "sqrt(L_p/C_p)", "Ω", "characteristic impedance of the ring", RINGING),
    Line("V_u", "V_X + sqrt(V_X**2 + (I_X*Z_p)**2)", "V", "peak voltage without damping or loss", RINGING),
)

SERIES = (
    Line("R_d", "Z_p", "Ω", "damping resistance", RINGING, component=True),
    Line("C_d", "k_p*C_p", "F", "damping capacitance", RINGING, component=True),
    Line("P_d", "C_d*V_X**2*f_s", "W", "power lost in the damping resistor", RINGING),
)

CLAMP = (
    Line("W_p", "L_p*I_X**2/2 + C_p*V_X**2/2", "J", "energy of the ring", RINGING),
    Line("P_d", "f_s*W_p*V_k/(V_k - V_X)", "W", "power that the clamp has to take", RINGING),
    Line("R_d", "V_k**2/P_d", "Ω", "clamp resistance", RINGING, component=True),
    Line("C_d", "20/(f_s*R_d)", "F", "clamp capacitance for 5 % ripple", RINGING, component=True),
    Line("I_k", "I_X", "A", "peak current of the clamp diode", RINGING),
    Line("V_kr", "V_k", "V", "voltage that the clamp diode blocks", RINGING),
)


@dataclass(frozen=True)
class Damped:
    """A device with its damping: where it is, what was measured, what was derived."""

    device: str
    data: Damping
    sheet: Sheet

    def __getitem__(self, symbol: str) -> float:
        return self.sheet[symbol].worst


def derive_damping(design: Design, device: str) -> Damped:
    """Derive the damping of a device at its worst corner.

    Raises
    ------
    InputError
        If the file says nothing of the device's ringing, there is no such device, or a clamp cannot work.
    """
    data = design.spec.damping
    if device not in data:
        raise InputError(
            f"damping.{device}: missing; {nearest(device, data)}" if data else f"damping.{device}: missing"
        )
    found = data[device]
    sheet = Sheet((1, 1))
    blocked, current = _stress(design, device)
    for symbol, value, unit, meaning in (
        ("f_r0", found.ring, "Hz", "ring frequency measured"),
        ("C_ad", found.added, "F", "capacitance added"),
        ("f_r1", found.ring_added, "Hz", "ring frequency measured with it"),
        ("Q_p", found.quality, "", "quality factor of the ring"),
        ("k_p", found.ratio, "", "damping capacitance over the parasitic one"),
        ("f_s", design.spec.switching.frequency, "Hz", "switching frequency"),
        ("V_X", blocked, "V", f"voltage that {device} blocks, without ringing"),
        ("I_X", current, "A", f"current that {device} interrupts"),
    ):
        sheet.give(symbol, value, unit, meaning)
    if found.clamp is not None:
        if found.clamp <= blocked:
            raise InputError(
                f"damping.{device}.clamp: {found.clamp:g} V where more than {blocked:.4g} V was expected"
            )
        sheet.give("V_k", found.clamp, "V", "clamp voltage")
    for line in (*PARASITIC, *(SERIES if found.clamp is None else CLAMP)):
        sheet.derive(line)
    for symbol, chosen in (("R_d", found.resistance), ("C_d", found.capacitance)):
        if chosen is not None:
            sheet.choose(symbol, chosen)
    return Damped(device, found, sheet)


def _stress(design: Design, device: str) -> tuple[float, float]:
    """Return what a device blocks [V] and interrupts [A]: a switch its peak current, a rectifier nothing."""
    name = design.stands_for(device)
    switched = device.startswith("S")
    return design.sheet[f"V_{name}"].worst, design.sheet[f"I_{name}pk"].worst if switched else 0.0


def with_ringing(circuit: Circuit, damped: Damped, damping: bool) -> Circuit:
    """Return the circuit with the device's parasitics, and with its damping if wanted."""
    elements: list[Element] = []
    for element in circuit.elements:
        if element.name == damped.device and isinstance(element, Switch | Diode):
            elements += _ringing(element, damped, damping)
        else:
            elements.append(element)
    assert not {n for e in circuit.elements for n, *_ in terminals(e)} & {"L_p", "C_p"}
    return replace(circuit, elements=tuple(elements))


def _ringing(device: Switch | Diode, damped: Damped, damping: bool) -> list[Element]:
    inner = f"{device.name}.p"
    least = 1e-3 * damped["Z_p"]
    own: Element = replace(device, a=inner)
    if isinstance(device, Switch):
        own = replace(device, a=inner, r_on=max(device.r_on, least))
    found: list[Element] = [
        own,
        Inductor("L_p", device.a, inner, damped["L_p"]),
        Resistor("R_q", device.a, inner, damped["Q_p"] * damped["Z_p"]),
        Capacitor("C_p", inner, device.b, damped["C_p"]),
    ]
    if not damping:
        return found
    blocking = (inner, device.b) if device.name.startswith("S") else (device.b, inner)
    if damped.data.clamp is None:
        return [
            *found,
            Capacitor("C_d", inner, "damping", damped["C_d"]),
            Resistor("R_d", "damping", device.b, damped["R_d"]),
        ]
    return [
        *found,
        Diode("D_k", blocking[0], "clamp"),
        Capacitor("C_d", "clamp", blocking[1], damped["C_d"]),
        Resistor("R_d", "clamp", blocking[1], damped["R_d"]),
    ]
