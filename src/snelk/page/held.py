"""What a game's own code sensed, for a page that compares a run with it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from snelk.runs.run import Run
    from snelk.tuning.parity import Parity
    from snelk.tuning.sensed import Log


def facts_of(run: Run, log: Log, parity: Parity) -> dict[str, Any]:
    """When the game sensed whom, in s, and the mismatches, as plain data.

    By agent, target and sense, joined by a tab: the stretches, from and to; of hearing moments.
    """
    dt = run.setup.clock.dt
    sensed: dict[str, list[list[float]]] = {}
    for key, says in log.pairs.items():
        edges = np.flatnonzero(np.diff((says == 1).astype(np.int8), prepend=0, append=0))
        sensed["\t".join(key)] = [
            [_time(run.times[a]), _time(run.times[b - 1] + dt)] for a, b in edges.reshape(-1, 2)
        ]
    for (agent, target), times in log.heard.items():
        sensed[f"{agent}\t{target}\thearing"] = [[_time(t), _time(t)] for t in times]
    causes = {id(each): cause for cause in parity.causes for each in cause.explained}
    return {
        "end": parity.end,
        "agree": parity.agree if parity.pairs else None,
        "sensed": sensed,
        "mismatches": [
            {
                "agent": each.agent, "target": each.target, "sense": each.sense,
                "start": _time(each.start), "end": _time(each.end), "senses": each.senses,
                "reason": each.reason,
                "cause": causes[id(each)].text if id(each) in causes else "",
            }
            for each in parity.mismatches
        ],
    }  # fmt: skip


def _time(t: float) -> float:
    return round(float(t), 3)
