"""A live loop: the game pushes poses with each tick, and reads events and beliefs."""

import snelk

live = snelk.Live(snelk.croft() / "night.toml", duration=60.0)
for frame in range(120):
    # What the game knows: here a fox that creeps eastwards along the wall.
    live.push("fox", x=20.0 + 0.12 * frame, y=18.5, heading_deg=0.0, gait="creeping")
    for event in live.step():
        if event.kind in ("saw", "changed") and event.agent.startswith("go"):
            print(f"{event.t:4.1f} s  {event.text}")

belief = live.belief("goose-1", "fox")
if belief is not None:
    print(f"goose-1 believes the fox at ({belief.x:.1f}, {belief.y:.1f}): {belief.source}")
