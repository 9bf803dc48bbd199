"""Change one number, replay the very same night, and compare."""

import snelk

CONE = "profiles.goose.cones.wide"

night = snelk.load(snelk.croft() / "night.toml")
variants = [{f"{CONE}.range": m, f"{CONE}.hold_range": 1.2 * m} for m in (6.0, 8.0, 12.0)]
for run in snelk.run_batch(night, variants=variants):
    saw = run.events[(run.events.kind == "saw") & run.events.agent.str.startswith("goose")]
    metres, first = run.info["overrides"][f"{CONE}.range"], saw.t.min()
    print(f"range {metres:4.1f} m: {len(saw):2} sightings by geese, the first at {first:.1f} s")
