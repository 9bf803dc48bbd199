"""Reactions and effects: a fox that takes its time, and whose fear grows each time it bolts."""

import snelk

changes = {
    "clock.end": 62.0,
    "profiles.fox.ladder.reaction": 0.6,
    "profiles.fox.ladder.states.bolting.then": {"add": {"own.fear": 1.0}},
}
run = snelk.run(snelk.croft() / "night.toml", overrides=changes)
told = run.events[run.events.kind.isin(("reacts", "ignored", "changed", "became"))]
for event in told[told.agent == "fox"].itertuples():
    print(f"{event.t:5.1f} s  {event.kind:8}  {event.text}")

first = told[(told.agent == "fox") & (told.kind == "reacts")].t.iloc[0]
answer = run.why_state("fox", at=first + 0.2)
print(f"at {first + 0.2:.1f} s: {'; '.join(answer.transitions[0].missing)}")
print(run.table("effects")[["t", "who", "attribute", "value", "cause"]].to_string(index=False))
