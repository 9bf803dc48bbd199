"""What noises tell an agent about their makers; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import NewsColumns
from snelk.mind.memory import News
from snelk.senses.columns import EarStageColumns, HeardColumns, NoiseColumns
from snelk.senses.hearing import HEARD, NOBODY, Heard, Noises, Numbers
from snelk.senses.stage import EarStage


@door
def add_up(
    stage: EarStage,
    noises: Noises,
    heard: Heard,
    pairs: int,
    now: float,
    loudness: Numbers,
    news: News,
) -> None:
    """Add up how strong the noises of each maker are, and keep the newest that was heard.

    Args:
        stage: The ears.
        noises: The noises.
        heard: What became of them.
        pairs: How many pairs of noise and ear that is.
        now: The time of the tick, s.
        loudness: (variant, agent, target) strengths are added to it.
        news: Those of each target are overwritten by newer ones.
    """
    agree((0 <= pairs <= len(plain(heard).row),), (True,))
    agree(plain(stage).acuity.shape, loudness.shape[:2])
    agree(loudness.shape, plain(news).x.shape)
    _add_up(
        laid_out(EarStageColumns, stage), laid_out(NoiseColumns, noises),
        laid_out(HeardColumns, heard), pairs, now, loudness, laid_out(NewsColumns, news),
    )  # fmt: skip


def _add_up(
    stage: EarStage,
    noises: Noises,
    heard: Heard,
    pairs: int,
    now: float,
    loudness: Numbers,
    news: News,
) -> None:
    for pair in range(pairs):
        v, a, j = heard.variant[pair], heard.agent[pair], heard.by[pair]
        if heard.failed[pair] != HEARD or j == NOBODY:
            continue
        loudness[v, a, j] += heard.strength[pair]
        age = max(now - noises.t[heard.row[pair]], 0.0)
        if not news.age[v, a, j] <= age:
            news.x[v, a, j], news.y[v, a, j] = heard.x[pair], heard.y[pair]
            news.z[v, a, j] = noises.z[heard.row[pair]]
            news.age[v, a, j] = age
            news.blur[v, a, j] = stage.error[v, a] * heard.straight[pair]
