"""A converter from its specification to values that are proven: python docs/scripts/design.py

The supply of a hydrophone of the Skerry buoy: what is asked stands here, the file is written once it holds.
"""

import jump_lane as jl

ASKED = {
    "title": "Hydrophone supply",
    "input.voltage": "44 V..51.2 V..58.4 V",
    "output.voltage": "15 V",
    "output.current": "50 mA..0.5 A..1 A",
    "output.voltage_ripple": "15 mV",
    "switching.frequency": "300 kHz",
    "switching.current_ripple": "40 %",
}

text = jl.new("buck", ASKED)
with open("hydrophone.toml", "w", encoding="utf-8") as file:
    file.write(text)

supply = jl.load("hydrophone.toml")
derived = jl.derive(supply)
print(derived)
print(*derived.formula("L"), sep="\n")

sized = jl.size(supply)  # so that the simulated circuit just keeps every limit
print(sized)

chosen = supply.set(sized.values)
checked = jl.check(chosen)
print("holds:", checked.holds)
print(checked.frame().query("symbol == 'dV_o'")[["input.voltage [V]", "loads", "simulated", "asked"]])

point = jl.simulate(chosen, load="0.5 A")
waves = point.waveforms(["L.i", "load.v"])
print("samples:", waves["time"].size, "peak of L:", waves["L.i"].max())
point.figure().savefig("hydrophone.png")
