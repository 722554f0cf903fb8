"""A circuit of one's own, its waveforms and spectrum as arrays: python docs/scripts/circuit.py"""

import numpy as np

import jump_lane as jl

CIRCUIT = """
title     = "Lamp driver"
frequency = "150 kHz"
hold      = { signal = "load.v", average = "9 V" }

[element]
source = { kind = "voltage-source", nodes = ["in", "gnd"], voltage = "24 V" }
S1     = { kind = "switch", nodes = ["in", "sw"], resistance = "30 mΩ", gate = [[0, "D"]] }
D1     = { kind = "diode", nodes = ["gnd", "sw"], forward_voltage = "0.4 V" }
L1     = { kind = "inductor", nodes = ["sw", "out"], inductance = "68 µH" }
C1     = { kind = "capacitor", nodes = ["out", "gnd"], capacitance = "22 µF" }
load   = { kind = "resistor", nodes = ["out", "gnd"], resistance = "9 Ω" }
"""

with open("lamp.toml", "w", encoding="utf-8") as file:
    file.write(CIRCUIT)

lamp = jl.run_circuit("lamp.toml")
print(lamp)
point = lamp.simulation
waves = point.waveforms(["L1.i", "@sw"])
print("ripple of L1:", np.ptp(waves["L1.i"]), "held with D =", point.control)
for line in point.spectrum("L1.i", highest=3):
    print(line.order, line.frequency, line.amplitude)
point.figure().savefig("lamp.png")
