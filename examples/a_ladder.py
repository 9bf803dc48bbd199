"""An alert ladder: when the dog changed its state, why, and why it did not before."""

import snelk

run = snelk.run(snelk.croft() / "night.toml")
for row in run.states[run.states.agent == "dog"].itertuples():
    print(f"{row.t:5.1f} s  {row.state:10}  {row.reason if row.t > 0 else 'at the start'}")

answer = run.why_state("dog", at=56.0)
print(answer.headline)
for change in answer.transitions:
    print(f"  {change.name}: {'; '.join(change.missing)}")
