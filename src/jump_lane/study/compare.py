"""Several converters, or several topologies for one specification, side by side."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from jump_lane.circuit.elements import (
    Capacitor,
    CoupledInductors,
    Element,
    IdealTransformer,
    Inductor,
)
from jump_lane.design.derive import Design, derive
from jump_lane.errors import InputError
from jump_lane.spec import Spec
from jump_lane.topologies import page


@dataclass(frozen=True)
class Candidate:
    """One converter of a comparison; ``failure`` says why it cannot do what is asked.

    Attributes
    ----------
    duty
        Smallest and largest value of the control variable.
    modes
        Conduction modes over the corners.
    stress
        Sum of blocking voltage times peak current over all switches and rectifiers, over the output power [1].
    energy
        Energy in all inductances at their peaks [J]; a transformer's magnetising inductance counts where it
        stores what is passed on.
    output_rms, input_rms
        Rms current of the output and of the input capacitor [A].
    parts
        Number of switches and rectifiers, of magnetic parts, and of capacitors.
    """

    name: str
    failure: str = ""
    duty: tuple[float, float] = (float("nan"), float("nan"))
    modes: tuple[str, ...] = ()
    stress: float = float("nan")
    energy: float = float("nan")
    output_rms: float = float("nan")
    input_rms: float = float("nan")
    parts: tuple[int, int, int] = (0, 0, 0)
    unit: str = ""
    """Unit of the control."""


def of_topologies(spec: Spec, names: list[str]) -> Iterator[Candidate]:
    """Yield what each topology makes of a specification, with ideal parts and nothing chosen."""
    for name in names:
        yield candidate(name, _asked_of(spec, name))


def _asked_of(spec: Spec, name: str) -> Spec:
    output = spec.output[0]
    if output.voltage is not None:
        magnitude = abs(output.voltage)
        output = output.model_copy(update={"voltage": -magnitude if page(name).inverting else magnitude})
    changes: dict[str, Any] = {
        "topology": name,
        "chosen": {},
        "parts": {},
        "damping": {},
        "output": [output, *spec.output[1:]],
    }
    if spec.transformer.secondary not in page(name).secondaries:
        changes["transformer"] = spec.transformer.model_copy(update={"secondary": None})
    return spec.model_copy(update=changes)


def candidate(name: str, spec: Spec) -> Candidate:
    """Return the figures of one converter."""
    try:
        design = derive(spec)
    except InputError as error:
        return Candidate(name, str(error))
    sheet, elements = design.sheet, design.circuit(0, 0).elements
    duty = sheet[design.page.control.symbol].values
    rows, columns = design.shape
    modes = {design.mode(i, j) for i in range(rows) for j in range(columns)}
    power = float(sheet["P_o"].values.max())
    return Candidate(
        name,
        "",
        (float(np.nanmin(duty)), float(np.nanmax(duty))),
        tuple(sorted(modes)),
        float(np.nansum([_stress(design, e.name) for e in design.valves])) / power,
        sum(_energy(design, e) for e in elements if isinstance(e, Inductor)),
        _largest(design, "I_Corms"),
        _largest(design, "I_Cirms"),
        _parts(design, elements),
        design.page.control.unit,
    )


def _parts(design: Design, elements: tuple[Element, ...]) -> tuple[int, int, int]:
    """Count devices, magnetic parts (leakage is none) and capacitors (that of the input included)."""
    cores = sum(isinstance(e, IdealTransformer | CoupledInductors) for e in elements)
    inductors = [
        e for e in elements if isinstance(e, Inductor) and e.name != "L_m" and _energy(design, e) > 0.0
    ]
    capacitors = sum(isinstance(e, Capacitor) for e in elements) + 1
    return len(design.valves), cores + len(inductors), capacitors


def _stress(design: Design, device: str) -> float:
    """Return blocking voltage times peak current of a device; one stands for all made alike [VA].

    Where no peak of its own is derived, it is that of the inductor; not a number if nothing is.
    """
    try:
        name = design.stands_for(device)
    except InputError:
        return float("nan")
    symbols = (f"I_{name}pk", f"I_{name}rms", "I_Lpk")
    peak = next((symbol for symbol in symbols if symbol in design.sheet), symbols[0])
    return _largest(design, f"V_{name}") * _largest(design, peak)


def _energy(design: Design, inductor: Inductor) -> float:
    """Return the energy in an inductor at its peak [J]; leakage has none of its own."""
    symbol = f"W_{_symbol(design, inductor.name)}"
    return _largest(design, symbol) if symbol in design.sheet else 0.0


def _symbol(design: Design, element: str) -> str:
    """Return how symbols call an inductor; one stands for all made alike."""
    return design.page.owners.get(element, element).replace("_", "")


def _largest(design: Design, symbol: str) -> float:
    if symbol not in design.sheet:
        return float("nan")
    return float(np.nanmax(np.abs(design.sheet[symbol].values)))
