"""Importing a foreign recording: centimetres, y up, yaw clockwise from forward."""

from pathlib import Path

import pandas as pd

import snelk

fox = pd.read_csv(snelk.croft() / "fox.csv")
game = pd.DataFrame(
    {"ms": fox.t * 1000, "X": fox.x * 100, "Z": fox.y * 100, "yaw": 90 - fox.heading}
)
game.to_csv("game.csv", index=False)

columns = {"t": "ms", "x": "X", "y": "Z", "heading": "yaw"}
wrong = snelk.import_tracks("game.csv", {"name": "fox", "time": 0.001, "columns": columns})
for warning in snelk.import_warnings(wrong):
    print("warning:", warning)

right = snelk.import_tracks(
    "game.csv",
    {"name": "fox", "time": 0.001, "length": 0.01, "turn": "cw", "zero": "+y", "columns": columns},
)
print("warnings:", snelk.import_warnings(right))
print("written:", right.write(Path("fox.csv")))
