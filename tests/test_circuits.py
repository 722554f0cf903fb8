"""The simulator on circuits that no page knows: bridges, clamps, resonance, parasitic capacitances.

There is no closed form for these; what is required is that a state is found from zero, that it repeats itself,
and that energy, charge and volt-seconds close.
"""

import unittest

import numpy as np

from jump_lane.circuit.circuit import Circuit
from jump_lane.circuit.elements import (
    BodyDiode,
    Capacitor,
    Diode,
    Element,
    IdealTransformer,
    Inductor,
    Resistor,
    Switch,
    VoltageSource,
    Winding,
    coupled_pair,
)
from jump_lane.circuit.gates import Gates, on
from jump_lane.switching.balance import balance
from jump_lane.switching.record import Recording, record
from jump_lane.switching.settling import settle
from jump_lane.switching.steady import steady_state

T = 10e-6
BODY = BodyDiode(0.9, 0.02)
DEAD = 0.02


def source(voltage: float) -> VoltageSource:
    return VoltageSource("source", "in", "gnd", voltage)


def leg(upper: str, lower: str, node: str, r: float, coss: float = 0.0, top: str = "in") -> list[Element]:
    out: list[Element] = [Switch(upper, top, node, r, BODY), Switch(lower, node, "gnd", r, BODY)]
    if coss:
        out += [
            Capacitor(f"C{upper}", top, node, coss, 0.05),
            Capacitor(f"C{lower}", node, "gnd", coss, 0.05),
        ]
    return out


def complementary(upper: str, lower: str, delay: float, width: float = 0.5) -> Gates:
    """A leg with dead time before every turn-on."""
    return {
        upper: on(delay + DEAD, delay + width),
        lower: on(delay + width + DEAD, delay + 1.0),
    }


def output(load: float, c: float = 100e-6, esr: float = 0.003) -> list[Element]:
    return [Capacitor("C", "out", "gnd", c, esr), Resistor("load", "out", "gnd", load)]


def centre_tap(node: str = "x") -> list[Element]:
    return [Diode("D1", "s1", node, 0.5, 0.005), Diode("D2", "s2", node, 0.5, 0.005)]


def push_pull() -> Circuit:
    windings = (
        Winding("T.a", "in", "a", 8), Winding("T.b", "b", "in", 8),
        Winding("T.c", "s1", "gnd", 4), Winding("T.d", "gnd", "s2", 4),
    )  # fmt: skip
    elements = [
        source(24.0), Switch("S1", "a", "gnd", 0.01, BODY), Switch("S2", "b", "gnd", 0.01, BODY),
        IdealTransformer("T", windings), Inductor("Lm", "in", "a", 200e-6), *centre_tap(),
        Inductor("L", "x", "out", 15e-6, 0.004), *output(1.5),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: {"S1": on(0.0, 0.4), "S2": on(0.5, 0.9)})


def half_bridge() -> Circuit:
    windings = (Winding("T.p", "a", "m", 10), Winding("T.c", "s1", "gnd", 2), Winding("T.d", "gnd", "s2", 2))
    elements = [
        source(300.0), *leg("S1", "S2", "a", 0.1), Capacitor("Ca", "in", "m", 2e-6), Capacitor("Cb", "m", "gnd", 2e-6),
        IdealTransformer("T", windings), Inductor("Lm", "a", "m", 2e-3), *centre_tap(),
        Inductor("L", "x", "out", 20e-6, 0.003), *output(2.0),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: {"S1": on(0.0, 0.35), "S2": on(0.5, 0.85)})


def phase_shifted(load: float, coss: float) -> Circuit:
    windings = (Winding("T.p", "p", "b", 18), Winding("T.c", "s1", "gnd", 3), Winding("T.d", "gnd", "s2", 3))
    elements = [
        source(390.0), *leg("S1", "S2", "a", 0.07, coss), *leg("S3", "S4", "b", 0.07, coss),
        Inductor("Lk", "a", "p", 12e-6, 0.05), IdealTransformer("T", windings), Inductor("Lm", "p", "b", 1.2e-3),
        *centre_tap(), Inductor("L", "x", "out", 7e-6, 0.002), *output(load, 400e-6),
    ]  # fmt: skip
    return Circuit(
        tuple(elements), T, lambda _: {**complementary("S1", "S2", 0.0), **complementary("S3", "S4", 0.38)}
    )


def active_clamp_forward() -> Circuit:
    windings = (Winding("T.p", "in", "sw", 12), Winding("T.s", "s", "gnd", 6))
    elements = [
        source(48.0), Switch("S1", "sw", "gnd", 0.02, BODY), Switch("S2", "c", "sw", 0.05, BODY),
        Capacitor("Cc", "c", "in", 220e-9, 0.01), IdealTransformer("T", windings), Inductor("Lm", "in", "sw", 120e-6, 0.01),
        Diode("D1", "s", "x", 0.4, 0.005), Diode("D2", "gnd", "x", 0.4, 0.005),
        Inductor("L", "x", "out", 12e-6, 0.004), *output(1.0),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: {"S1": on(0.0, 0.4), "S2": on(0.42, 0.98)})


def active_clamp_flyback() -> Circuit:
    windings = (Winding("T.p", "p", "sw", 20), Winding("T.s", "gnd", "x", 4))
    elements = [
        source(150.0), Inductor("Lk", "in", "p", 6e-6, 0.1), IdealTransformer("T", windings),
        Inductor("Lm", "p", "sw", 250e-6), Switch("S1", "sw", "gnd", 0.2, BODY), Switch("S2", "c", "sw", 0.2, BODY),
        Capacitor("Cc", "c", "in", 470e-9, 0.02), Diode("D1", "x", "out", 0.5, 0.01), *output(4.0, 470e-6),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: {"S1": on(0.0, 0.35), "S2": on(0.38, 0.97)})


def resonant(load: float, coss: float = 0.0) -> Circuit:
    windings = (
        Winding("T.p", "p", "gnd", 32),
        Winding("T.c", "s1", "gnd", 4),
        Winding("T.d", "gnd", "s2", 4),
    )
    elements = [
        source(390.0), *leg("S1", "S2", "a", 0.1, coss), Inductor("Lr", "a", "r", 55e-6, 0.05),
        Capacitor("Cr", "r", "p", 47e-9), Inductor("Lm", "p", "gnd", 280e-6), IdealTransformer("T", windings),
        *centre_tap("out"), *output(load, 300e-6),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: complementary("S1", "S2", 0.0))


def dual_bridge(inner: float) -> Circuit:
    windings = (Winding("T.p", "p", "b", 8), Winding("T.s", "c", "d", 7))
    elements = [
        source(360.0), *leg("S1", "S2", "a", 0.05), *leg("S3", "S4", "b", 0.05),
        *leg("S5", "S6", "c", 0.04, top="out"), *leg("S7", "S8", "d", 0.04, top="out"),
        Inductor("L", "a", "p", 30e-6, 0.03), IdealTransformer("T", windings), *output(60.0, 90e-6, 0.002),
    ]  # fmt: skip

    def gates(_: object) -> Gates:
        return {
            **complementary("S1", "S2", 0.0), **complementary("S3", "S4", 0.5 - inner),
            **complementary("S5", "S6", 0.08), **complementary("S7", "S8", 0.58 - inner),
        }  # fmt: skip

    return Circuit(tuple(elements), T, gates)


def ringing_boost() -> Circuit:
    elements = [
        source(12.0), Inductor("L", "in", "sw", 10e-6, 0.02), Switch("S1", "sw", "gnd", 0.02, BODY),
        Capacitor("Coss", "sw", "gnd", 200e-12, 0.5), Diode("D1", "sw", "out", 0.4, 0.02), *output(400.0, 20e-6),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: {"S1": on(0.0, 0.3)})


def coupled_sepic() -> Circuit:
    pair = coupled_pair(
        "T", Winding("L1", "in", "a", 1, 0.02), Winding("L2", "gnd", "b", 1, 0.02), (47e-6, 47e-6), 0.97
    )
    elements = [
        source(12.0), pair, Switch("S1", "a", "gnd", 0.015, BODY), Capacitor("Cs", "a", "b", 10e-6, 0.004),
        Diode("D1", "b", "out", 0.4, 0.01), *output(12.0),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: {"S1": on(0.0, 0.5)})


def current_fed() -> Circuit:
    windings = (
        Winding("T.a", "m", "a", 6), Winding("T.b", "b", "m", 6),
        Winding("T.c", "s1", "s2", 24),
    )  # fmt: skip
    rectifier = [
        Diode("D1", "s1", "out", 0.7, 0.02), Diode("D2", "gnd", "s1", 0.7, 0.02),
        Diode("D3", "s2", "out", 0.7, 0.02), Diode("D4", "gnd", "s2", 0.7, 0.02),
    ]  # fmt: skip
    elements = [
        source(24.0), Inductor("L", "in", "m", 50e-6, 0.01), Switch("S1", "a", "gnd", 0.01), Switch("S2", "b", "gnd", 0.01),
        IdealTransformer("T", windings), Inductor("Lm", "m", "a", 400e-6), *rectifier, *output(200.0, 20e-6),
    ]  # fmt: skip
    return Circuit(tuple(elements), T, lambda _: {"S1": on(0.0, 0.65), "S2": on(0.5, 1.15)})


CIRCUITS = {
    "push-pull": push_pull(),
    "half bridge": half_bridge(),
    "phase-shifted": phase_shifted(0.8, 0.0),
    "phase-shifted with output capacitances": phase_shifted(0.8, 300e-12),
    "phase-shifted with output capacitances, light": phase_shifted(8.0, 300e-12),
    "active-clamp forward": active_clamp_forward(),
    "active-clamp flyback": active_clamp_flyback(),
    "LLC": resonant(2.0),
    "LLC with output capacitances": resonant(2.0, 200e-12),
    "LLC light": resonant(60.0),
    "dual active bridge": dual_bridge(0.0),
    "dual active bridge, inner phase shifts": dual_bridge(0.06),
    "boost ringing in discontinuous conduction": ringing_boost(),
    "SEPIC with tight coupling": coupled_sepic(),
    "current-fed push-pull": current_fed(),
}


class FromZero(unittest.TestCase):
    def closes(self, recording: Recording) -> None:
        found = balance(recording)
        self.assertFalse(found.impulses)
        self.assertLess(max(found.energy, found.charge, found.volt_seconds), 1e-7)

    def test_every_circuit_has_a_state_that_closes_and_repeats(self) -> None:
        for name, circuit in CIRCUITS.items():
            with self.subTest(name):
                state = steady_state(circuit)
                recording = record(state)
                self.closes(recording)
                network = state.engine.network
                start = dict(zip(network.states, network.to_si @ state.start[: state.engine.n], strict=True))
                again, moved = settle(circuit, 25, start)
                self.assertLess(moved, 1e-7)
                for signal in ("load.v", "source.i"):
                    one, two = recording.measures(signal), again.measures(signal)
                    np.testing.assert_allclose(one.rms, two.rms, rtol=1e-6)

    def test_settling_from_zero_ends_there_too(self) -> None:
        circuit = CIRCUITS["active-clamp forward"]
        settled, _ = settle(circuit, 20_000)
        found = record(steady_state(circuit))
        self.assertAlmostEqual(
            settled.measures("load.v").average / found.measures("load.v").average, 1.0, places=6
        )
        self.assertAlmostEqual(
            settled.measures("S1.v").maximum / found.measures("S1.v").maximum, 1.0, places=5
        )
