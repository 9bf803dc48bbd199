"""The mill: what happens on which floor, who opens which door, and who sees to what."""

import snelk

run = snelk.run(snelk.mill() / "night.toml")
kinds = ["opened", "shut", "lit", "darkened", "seen_to", "alarm"]
for event in run.events[run.events.kind.isin(kinds)].itertuples():
    print(f"{event.t:5.1f} s  {event.text}")

poses = run.poses[run.poses.id == "boy"].set_index("t")
print("\nThe boy comes down:")
for t in (48.0, 53.0, 57.0, 64.0, 66.0):
    x, y, z = poses.loc[t, ["x", "y", "z"]]
    on = "on the ladder" if 2.8 < z < 5.4 else run.level.floor_at(x, y, z)
    print(f"{t:5.1f} s  ({x:4.1f}, {y:4.1f}), {z:.1f} m up, {on}")

# Why he did not see the open door at first, and what the miller has to do with it.
print("\n" + run.why("boy", "store open", at=52.0).headline)
print(run.why("miller", "store open", at=60.0).lacks[-1])

# The same night with a store door that falls shut: nothing to see, no alarm.
shut = {'doors."store door".shuts': 4.0}
other = snelk.run(snelk.mill() / "night.toml", overrides=shut)
alarms = [len(night.events[night.events.kind == "alarm"]) for night in (run, other)]
print(f"\nalarms: {alarms[0]}; with a door that falls shut: {alarms[1]}")
