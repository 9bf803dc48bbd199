"""Every reader, with files and texts that went wrong: see `fuzzing.py`, and scripts/fuzz.py."""

from __future__ import annotations

import warnings
from pathlib import Path

import fuzzing
import pytest

CASES = {"croft": 8, "--set": 40, "--vary": 40, "run folders": 40, "sweeps": 40}
"""How many of each are tried here; of the quicker ones more."""


@pytest.mark.parametrize("reader", fuzzing.READERS)
def test_what_went_wrong_is_refused_in_plain_lines(reader: str, tmp_path: Path) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for seed in range(CASES.get(reader, 100)):
            wrong = fuzzing.read_all(fuzzing.READERS[reader], seed, tmp_path)
            assert not wrong, f"{reader} {seed}: {wrong}"
