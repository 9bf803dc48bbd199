"""What has been agreed, as a test would ask for it: it holds, or tells why not."""

import snelk

night = snelk.load(snelk.croft() / "night.toml")

agreed = {
    "unseen": {
        "each_of": ["gander", "goose-2"],
        "meter": {"target": "fox", "under": 0.3, "after": 26.0, "before": 32.0},
    }
}

for changes in ({}, {"profiles.goose.cones.wide.hold_range": 12.0,
                     "profiles.goose.cones.wide.range": 12.0}):  # fmt: skip
    for verdict in snelk.verify(night.changed({**changes, "expect": agreed})):
        print(verdict)
