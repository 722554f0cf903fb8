"""What a value does to ripple, loss and verdict, as a data frame: python docs/scripts/sweep.py"""

import jump_lane as jl

rail = jl.load(jl.new("buck"))  # the instrument rail of the Skerry buoy

swept = jl.sweep(rail, ["L=15uH..60uH/10"], measure=["dI_L", "efficiency", "verdict"])
frame = swept.frame()
print(frame)
smallest = frame.loc[frame["verdict"] == "holds", "chosen.L [H]"].min()
print("smallest inductance that holds at nominal input and full load:", smallest)
swept.figure().savefig("inductance.png")

parts = jl.sweep(
    rail, ["S1=sample-fet-80v-24m,sample-gan-100v-10m"], measure=["loss", "hottest", "hottest_part"]
)
print(parts.frame())

light = jl.check(rail.set({"L": "/10", "C_o": "/2"}), compare=True)
print(light)
