"""How hard is it: simulated players on their way past everybody, and what one number changes."""

import snelk

night = snelk.load(snelk.croft() / "night.toml")
blind = {"profiles.scarecrow.cones.stare.range": 9.0}

for words, scenario in (("as it is", night), ("a shorter stare", night.changed(blind))):
    found = snelk.players(scenario, to="hedge-gap", count=16, ignore=["owl"])
    most = found.noticers.iloc[0]
    print(f"{words}: {found.through:.0%} get through; mostly noticed by the {most.agent}")

shares = found.shares.set_index("care")
for care in ("reckless", "careful"):
    row = shares.loc[care]
    print(f"{care}: {row.unnoticed:.0%} unnoticed, {row['too late']:.0%} too late")
