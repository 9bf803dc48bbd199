"""An activity of one's own: a goose that circles its home instead of grazing."""

import math

import snelk


@snelk.activity("circle home")
def circle(me: snelk.Situation) -> snelk.Move:
    """Walk around home, a sixth of a turn at a time."""
    x, y = me.home
    angle = me.memo.setdefault("angle", 0.0)
    if me.arrived:
        angle = me.memo["angle"] = angle + math.pi / 3
    return snelk.Move(to=(x + 2.0 * math.cos(angle), y + 2.0 * math.sin(angle)), again=0.2)


snelk.check_activity(circle)
state = "profiles.goose.ladder.states.grazing"
run = snelk.run(
    snelk.croft() / "night.toml",
    overrides={state: {"call": {"activity": "circle home"}}, "clock.end": 20.0},
)
goose = run.poses[run.poses.id == "goose-1"]
for row in goose[goose.t % 5 == 0].itertuples():
    print(f"{row.t:4.1f} s  {math.hypot(row.x - 37.0, row.y - 19.8):.1f} m from home")
