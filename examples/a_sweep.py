"""A number over a range, with three seeds each: what does it do to whom?"""

import tempfile
from pathlib import Path

import snelk

key = "profiles.dog.ladder.states.asleep.senses.hearing"

if __name__ == "__main__":  # other processes work at it, and read this file
    with tempfile.TemporaryDirectory() as folder:
        sweep = snelk.sweep(
            snelk.croft() / "night.toml",
            {key: [0.3, 0.5, 0.6, 0.7]},
            seeds=3,
            out=Path(folder) / "night.parquet",
        )
        shown = ["dog.time_in.asleep", "catches", "expect.dog-hears-the-gravel"]
        print(sweep.table.groupby(key)[shown].mean().round(2).to_string())
