"""Change one number, replay the very same night, and compare."""

import snelk

cone = "profiles.goose.cones.wide"
night = snelk.load(snelk.croft() / "night.toml")
runs = snelk.run_batch(
    night,
    variants=[
        {f"{cone}.range": metres, f"{cone}.hold_range": metres * 1.2} for metres in (6.0, 8.0, 12.0)
    ],
)
for run in runs:
    saw = run.events[(run.events.kind == "saw") & run.events.agent.str.startswith("goose")]
    first = saw.t.min()
    print(
        f"range {run.info['changes'][f'{cone}.range']:4.1f} m: geese saw the fox {len(saw)} times, first at {first:.1f} s"
    )
