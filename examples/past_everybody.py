"""Sneaking: the least noticed ways to the coop, as the whole night replays them; and fairness."""

import snelk

night = snelk.croft() / "night.toml"
harmless = ["owl", "scarecrow"]  # may well notice the fox

found = snelk.sneak(night, to="coop-door-north", ignore=harmless, cell=3.5)
for passage in found.passages:
    who = f"{passage.agent} at {passage.at:g} s" if passage.agent else "nobody"
    print(f"there at {passage.arrives:g} s, most noticed by {who}: {passage.highest:.2f}", end="")
    print(", as replayed" if passage.holds else ", but somebody reacts")

run = snelk.run(found.with_track(found.passages[-1]))
seen = run.events[(run.events.kind == "saw") & (run.events.target == "fox")]
print("seen by:", ", ".join(sorted(set(seen.agent))))

fair = snelk.fairness(night, ignore=harmless, cell=3.5, every=15.0)
print(f"where the fox is noticed, it cannot get away in {fair.share:.0%} of the cases")
