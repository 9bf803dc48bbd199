"""Two settings of one number, replayed on the same input: where do the runs part, and why?"""

import snelk

night = snelk.croft() / "night.toml"
sharper = {"profiles.goose.cones.wide.range": 9.0}

found = snelk.compare(snelk.run(night), snelk.run(night, overrides=sharper))

for each in found.inputs:
    print(f"{each.place}: {each.a} → {each.b}")

for difference in found.first_differences[:3]:
    print(f"{difference.t:.1f} s  {difference.agent}: {difference.kind} of {difference.target}")
    print(f"  A  {difference.a}")
    print(f"  B  {difference.b}")

rows = found.changed.set_index("key")
print(rows.loc[["goose-1.fox.time_in_view", "gander.transitions"], ["a", "b", "difference"]])
