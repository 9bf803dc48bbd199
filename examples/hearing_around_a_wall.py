"""What the farmer hears of the fox: through walls that muffle, or on foot around them."""

import snelk

run = snelk.run(snelk.croft() / "night.toml")
heard = run.hearing[
    (run.hearing.agent == "farmer") & (run.hearing.target == "fox") & run.hearing.heard
]
for row in heard.iloc[::4].itertuples():
    straight = f"straight {row.straight:4.1f} m of {row.straight_limit:4.1f} m"
    on_foot = f"on foot {row.around:4.1f} m of {row.around_limit:4.1f} m"
    print(f"{row.t:5.1f} s  {row.kind:6}  {straight}, {on_foot}: strength {row.strength:.2f}")

answer = run.why("farmer", "fox", at=58.0)
print(answer.sense("hearing").gates[-1].text)
print("belief:", answer.belief.text)
