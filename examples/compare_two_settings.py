"""Two settings of one number, replayed on the same input: where do the runs part, and why?"""

import snelk

night = snelk.croft() / "night.toml"
sharper = {"profiles.goose.cones.wide.range": 9.0}

found = snelk.compare(snelk.run(night), snelk.run(night, overrides=sharper))

for each in found.inputs:
    print(f"{each.place}: {each.a} → {each.b}")

for parting in found.partings[:3]:
    print(f"{parting.t:.1f} s  {parting.agent}: {parting.kind} of {parting.target}")
    print(f"  A  {parting.a}")
    print(f"  B  {parting.b}")

rows = found.changed.set_index("key")
print(rows.loc[["goose-1.fox.time_in_view", "gander.transitions"], ["a", "b", "difference"]])
