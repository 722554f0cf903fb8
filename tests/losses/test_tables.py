"""Loss tables of whole designs, worked out once more from nothing but the waveforms that the program writes."""

import csv
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
from scipy.special import gamma

from tests.common import CommandCase

FET = (
    '{ resistance = "20 mΩ", gate_drain_charge = "6 nC", gate_source_charge = "8 nC", plateau_voltage = 4.5, '
    'threshold_voltage = 2.5, gate_charge = "22 nC", gate_resistance = "1 Ω", output_capacitance = "150 pF", '
    'charge_capacitance = "220 pF", body_voltage = "0.8 V", body_resistance = "10 mΩ", '
    'recovery_charge = "60 nC", recovery_current = "10 A" }'
)
DIODE = (
    '{ forward_voltage = "0.6 V", resistance = "15 mΩ", capacitive_charge = "20 nC", charge_voltage = "40 V", '
    'recovery_charge = "30 nC", recovery_current = "5 A" }'
)
CHOKE = (
    '{ resistance = "12 mΩ", layers = 2, conductor_thickness = "0.4 mm", turns = 14, core_area = "60 mm2", '
    'core_volume = "3600 mm3", core_k = 1.6, core_alpha = 1.4, core_beta = 2.5 }'
)
ESR = '{ resistance = "8 mΩ" }'
DRIVER = '[driver]\nvoltage = "10 V"\non_resistance = "4 Ω"\noff_resistance = "2 Ω"\n'

DESIGNS = {
    "buck": ("buck", (36, 48, 60), 12, "diode", "200 kHz"),
    "buck with dead time": ("buck", (20, 24, 30), 5, "synchronous", "300 kHz"),
    "boost": ("boost", (18, 24, 30), 48, "diode", "150 kHz"),
    "boost with dead time": ("boost", (18, 24, 30), 40, "synchronous", "150 kHz"),
    "inverting": ("buck-boost", (20, 24, 30), -18, "diode", "120 kHz"),
}

MU, RHO = 4e-7 * math.pi, 1.724e-8
COPPER = 0.00393
"""Temperature coefficient of copper at 20 °C [1/K] (IEC 60028)."""


def file_of(topology: str, inputs: tuple[int, int, int], output: int, rectifier: str, frequency: str) -> str:
    low, nominal, high = inputs
    dead = 'dead_time = "40 ns"\n' if rectifier == "synchronous" else ""
    return (
        f'title = "Losses"\ntopology = "{topology}"\n[input]\n'
        f"voltage = {{ min = {low}, nominal = {nominal}, max = {high} }}\n"
        f'[[output]]\nvoltage = {output}\ncurrent = {{ min = 2, max = 5 }}\nvoltage_ripple = "1 %"\n'
        f'[switching]\nfrequency = "{frequency}"\ncurrent_ripple = "30 %"\nrectifier = "{rectifier}"\n{dead}'
        f"[parts]\nS1 = {FET}\nD1 = {FET if rectifier == 'synchronous' else DIODE}\nL = {CHOKE}\n"
        f'C_o = {ESR}\n{DRIVER}[thermal]\njunction = "25 °C"\n'
    )


class Waves:
    """Columns of a file of waveforms over one period, and what can be measured in them."""

    def __init__(self, path: Path) -> None:
        with path.open(newline="", encoding="utf-8") as stream:
            head, *rows = list(csv.reader(stream))
        table = np.array(rows, dtype=float)
        self.time = table[:, 0]
        self.column = {name.split(" ")[0]: table[:, k] for k, name in enumerate(head)}
        self.period = float(self.time[-1] - self.time[0])

    def average(self, values: np.ndarray[Any, Any]) -> float:
        return float(np.trapezoid(values, self.time) / self.period)

    def mean(self, name: str) -> float:
        return self.average(self.column[name])

    def square(self, name: str) -> float:
        """Mean square of a current that is straight between samples."""
        a, b = self.column[name][:-1], self.column[name][1:]
        return float(np.sum(np.diff(self.time) * (a * a + a * b + b * b)) / 3.0 / self.period)

    def steps(self, name: str) -> list[int]:
        """Rows after which a column jumps; −1 where it does so from the end of the period to its start."""
        values = self.column[name]
        jumps = (np.diff(self.time) == 0.0) & (np.abs(np.diff(values)) > 0.5)
        return [-1] * bool(abs(values[-1] - values[0]) > 0.5) + [int(k) for k in np.flatnonzero(jumps)]

    def harmonics(self, name: str, count: int) -> np.ndarray[Any, Any]:
        """Squares of the rms values of the first harmonics."""
        angle = 2.0 * np.pi * (self.time - self.time[0]) / self.period
        values = self.column[name]
        found = [self.average(values * np.exp(-1j * n * angle).real) for n in range(1, count + 1)]
        other = [self.average(values * np.exp(-1j * n * angle).imag) for n in range(1, count + 1)]
        return np.array([2.0 * (a * a + b * b) for a, b in zip(found, other, strict=True)])


def eddy_factor(frequency: float) -> float:
    """Dowell's factor of the choke in whole hyperbolic functions."""
    copper = RHO * (1.0 + COPPER * 5.0)
    x = 0.4e-3 / math.sqrt(copper / (math.pi * frequency * MU))
    skin = (math.sinh(2 * x) + math.sin(2 * x)) / (math.cosh(2 * x) - math.cos(2 * x))
    near = (math.sinh(x) - math.sin(x)) / (math.cosh(x) + math.cos(x))
    return x * (skin + 2.0 / 3.0 * (2**2 - 1) * near)


def core_loss(waves: Waves) -> float:
    """Improved generalised Steinmetz equation on the flux that the choke's voltage makes."""
    k, a, b, turns, area, volume = 1.6, 1.4, 2.5, 14, 60e-6, 3600e-9
    voltage = waves.column["L.v"] - 12e-3 * waves.column["L.i"]
    step = np.diff(waves.time)
    flux = np.concatenate([[0.0], np.cumsum(step * (voltage[1:] + voltage[:-1]) / 2)]) / (turns * area)
    turn = 4.0 * math.sqrt(math.pi) / 2.0 * gamma((a + 1) / 2) / gamma(a / 2 + 1)
    constant = k / ((2 * math.pi) ** (a - 1) * 2 ** (b - a) * turn)
    moves = step > 0
    slope = np.abs(np.diff(flux)[moves] / step[moves])
    return float(volume * constant * np.ptp(flux) ** (b - a) * np.sum(slope**a * step[moves]) / waves.period)


def switch_losses(waves: Waves, fet: str, other: str, synchronous: bool) -> dict[tuple[str, str], float]:
    """Overlap, capacitance, recovery and gate drive of the switch that commutates hard."""
    f = 1.0 / waves.period
    column = waves.column
    charge = 8e-9 * (1 - 2.5 / 4.5) + 6e-9
    on, off = charge * (4.0 + 1.0) / (10.0 - 4.5), charge * (2.0 + 1.0) / 4.5
    found = {(fet, name): 0.0 for name in ("turn-on overlap", "turn-off overlap", "recovery of diodes")}
    for row in waves.steps(f"{fet}.gate"):
        if column[f"{fet}.gate"][row + 1] > column[f"{fet}.gate"][row]:
            v, i = column[f"{fet}.v"][row], column[f"{fet}.i"][row + 1]
            found[fet, "turn-on overlap"] += 0.5 * v * i * on * f
            found[fet, "output capacitance"] = 0.5 * 150e-12 * v * v * f
            blocks = abs(column[f"{other}.v"][row + 1])
            stopped = abs(column[f"{other}.body.i" if synchronous else f"{other}.i"][row])
            if synchronous:
                found[fet, "charging of other devices"] = (220e-12 - 150e-12 / 2) * blocks**2 * f
                found[fet, "recovery of diodes"] += blocks * 60e-9 * stopped / 10.0 * f
            else:
                stored = 20e-9 * math.sqrt(blocks / 40.0)
                found[fet, "charging of other devices"] = stored * blocks * 2 / 3 * f
                found[fet, "recovery of diodes"] += blocks * 30e-9 * stopped / 5.0 * f
        else:
            v, i = column[f"{fet}.v"][row + 1], column[f"{fet}.i"][row]
            found[fet, "turn-off overlap"] += 0.5 * v * i * off * f
    for name in (fet, other) if synchronous else (fet,):
        found[name, "gate drive"] = 22e-9 * 10.0 * f
    return found


class Tables(CommandCase):
    def test_losses_follow_from_the_waveforms(self) -> None:
        for number, (name, asked) in enumerate(DESIGNS.items()):
            with self.subTest(name):
                file = self.write(f"design{number}.toml", file_of(*asked)).name
                synchronous = asked[3] == "synchronous"
                signals = ["S1.gate", "S1.v", "S1.i", "D1.v", "D1.i", "L.i", "L.v", "C_o.i"]
                signals += ["D1.body.i", "S1.body.i"] if synchronous else []
                options = [part for signal in signals for part in ("--signal", signal)]
                self.run_command("waves", file, "--csv", f"{number}.csv", "--periods", "1", *options)
                listed = json.loads(self.run_command("losses", file, "--json").stdout)["losses"]
                wanted = self.worked_out(Waves(self.folder / f"{number}.csv"), synchronous)
                found: dict[tuple[str, str], float] = {}
                for row in listed:
                    key = row["component"], row["mechanism"]
                    found[key] = found.get(key, 0.0) + row["power"]
                least = 1e-4 * sum(wanted.values())
                for key in {*found, *wanted}:
                    a, b = found.get(key, 0.0), wanted.get(key, 0.0)
                    self.assertLess(
                        abs(a - b), 0.01 * b + least, f"{key}: {a} W in the table, {b} W worked out"
                    )

    @staticmethod
    def worked_out(waves: Waves, synchronous: bool) -> dict[tuple[str, str], float]:
        every = switch_losses(waves, "S1", "D1", synchronous)
        if synchronous:
            for name in ("S1", "D1"):
                body, current = waves.column[f"{name}.body.i"], waves.column[f"{name}.i"]
                waves.column["channel"] = current - np.copysign(body, current)
                every[name, "conduction"] = 20e-3 * waves.square("channel")
                diode = 0.8 * waves.mean(f"{name}.body.i") + 10e-3 * waves.square(f"{name}.body.i")
                every[name, "body diode"] = diode
        else:
            every["S1", "conduction"] = 20e-3 * waves.square("S1.i")
            every["D1", "conduction"] = 0.6 * waves.mean("D1.i") + 15e-3 * waves.square("D1.i")
        every["L", "winding, direct current"] = 12e-3 * waves.square("L.i")
        every["C_o", "series resistance"] = 8e-3 * waves.square("C_o.i")
        squares = waves.harmonics("L.i", 60)
        factors = [eddy_factor(n / waves.period) for n in range(1, len(squares) + 1)]
        every["L", "winding, eddy currents"] = 12e-3 * float(np.sum((np.array(factors) - 1.0) * squares))
        every["L", "core"] = core_loss(waves)
        return every
