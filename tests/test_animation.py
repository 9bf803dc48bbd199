"""Moving pictures: each shows what the tables say for its time, for as long as it should."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import snelk
from snelk.cli.main import app_for
from snelk.plots.animation import Animation


@pytest.fixture(scope="module")
def folder(night: snelk.Run, tmp_path_factory: pytest.TempPathFactory) -> Path:
    place = tmp_path_factory.mktemp("runs") / "night"
    night.save(place)
    return place


def test_each_picture_shows_its_moment(night: snelk.Run) -> None:
    film = Animation(night, start=55.0, end=70.0, target="fox", size=(640, 480))
    pictures = []
    for t in (56.0, 66.5, 56.0):
        pictures.append(film.picture(t))
        assert pictures[-1].shape == (480, 640, 4)
        rows = night.poses[np.isclose(night.poses.t, t) & night.poses.present]
        shown = {tuple(np.round([*b.get_xdata(), *b.get_ydata()], 6)) for b in film.shown["bodies"]}
        assert shown == {tuple(np.round([r.x, r.y], 6)) for r in rows.itertuples()}
        (cursor,) = film.shown["cursor"]
        assert list(cursor.get_xdata()) == [t, t]
        beliefs = night.beliefs[np.isclose(night.beliefs.t, t) & night.beliefs.source.notna()]
        unseen = beliefs[~beliefs.source.isin(["sensed", "grace"])]
        assert len(film.shown.get("beliefs", [])) == len(unseen) > 0
    assert not np.array_equal(pictures[0], pictures[1])
    assert np.array_equal(pictures[0], pictures[2])  # nothing of another moment is left over


def test_a_gif_lasts_as_long_as_it_should(folder: Path) -> None:
    words = ["animate", str(folder), "--from", "60", "--to", "61", "--speed", "0.5", "--fps", "2"]
    done = subprocess.run(
        [sys.executable, "-m", "snelk", *words, "--size", "401x300"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    path = folder.with_name("night.gif")
    assert str(path) in done.stdout
    with Image.open(path) as picture:
        assert picture.size == (401, 300)
        assert picture.n_frames == 5  # 1 s at half the speed are 2 s, and the last one
        lasts = []
        for n in range(picture.n_frames):
            picture.seek(n)
            lasts.append(picture.info["duration"])
    assert sum(lasts) == pytest.approx(5 / 2 * 1000, abs=10)


def test_an_mp4_has_the_same_pictures(night: snelk.Run, tmp_path: Path) -> None:
    if shutil.which("ffprobe") is None:
        if os.environ.get("SNELK_NEEDS_BROWSER"):
            pytest.fail("no ffmpeg on this machine")
        pytest.skip("no ffmpeg on this machine")
    path = snelk.animate(
        night, tmp_path / "night.mp4", start=60.0, end=60.5, fps=10, size=(401, 300)
    )
    words = ["ffprobe", "-v", "error", "-count_frames", "-show_streams", "-of", "json", str(path)]
    (stream,) = json.loads(subprocess.run(words, capture_output=True, check=True).stdout)["streams"]
    assert (stream["width"], stream["height"], stream["nb_read_frames"]) == (400, 300, "6")
    assert stream["avg_frame_rate"] == "10/1"


MISTAKES = {
    "animate RUN --from 30 --to 12": "end: must come after the start (given: 12 s)",
    "animate RUN --to 200": "time: must lie within the run, 0 to 90 s (given: 200 s)",
    "animate RUN --fps 60 --speed 0.1": "would be more than 5,000 pictures (given: 54,001 pictures)",
    "animate RUN --fps 0": "fps: must be 1 to 60 (given: 0 frames per second)",
    "animate RUN --size 9": '--size: must be width x height (given: "9"); such as 960x640',
    "animate RUN --size 100x100": "size: must be 240 to 4000 (given: 100 pixels)",
    "animate RUN --target fxo": 'target: no such character (given: "fxo"); did you mean "fox"?',
    "animate RUN --out x.webp": "x.webp: unknown format (given: .webp); use .gif or .mp4",
    "page RUN --out x.pdf": "x.pdf: unknown format (given: .pdf); use .html",
    "page RUN --agent ow": 'agent: no such agent (given: "ow"); did you mean "owl"?',
    "page RUN --at 200": "time: must lie within the run, 0 to 90 s (given: 200 s)",
    "page RUN nothing": "nothing: no such run",
}


@pytest.mark.parametrize("line", MISTAKES)
def test_a_mistake_is_one_clear_line(line: str, folder: Path) -> None:
    words = line.replace("RUN", str(folder)).split()
    with pytest.raises(snelk.InputError) as told:
        app_for(words)(words, standalone_mode=False)
    assert MISTAKES[line] in str(told.value)
