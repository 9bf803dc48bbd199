"""A first cone: whom does the goose see, and why not?"""

import snelk

run = snelk.run(snelk.croft() / "night.toml")
for span in run.spans("goose-2", "fox"):
    print(f"{span.start:5.1f} to {span.end:4.1f} s  {span.text}")

answer = run.why("goose-2", "fox", at=40.0)
print(answer.headline)
print(answer.counterfactual.text if answer.counterfactual else answer.no_counterfactual)
