"""A meter with curves: how fast suspicion grows near and far, in the open and behind a hedge."""

import snelk

curves = {
    "profiles.goose.meter.distance": [[0.0, 1.0], [0.5, 0.6], [1.0, 0.2]],  # x: share of the range
    "profiles.goose.meter.crouched": 0.5,
}
run = snelk.run(snelk.croft() / "night.toml", overrides=curves)
meter = run.meters[(run.meters.agent == "goose-2") & (run.meters.target == "fox")]
filling = meter[meter.state == "filling"]
for row in filling.iloc[:: max(len(filling) // 6, 1)].itertuples():
    print(
        f"{row.t:5.1f} s  {row.value:.2f}, rate {row.rate:.2f}"
        f" = distance {row.distance_factor:.2f} x posture {row.posture_factor:.2f} x ..."
    )
print(run.why("goose-2", "fox", at=float(filling.t.iloc[0])).meter.text)
