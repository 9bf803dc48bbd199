"""Step a simulation by hand, as a game loop would, and look into its arrays."""

import numpy as np

import snelk

simulation = snelk.Simulation(snelk.load(snelk.croft() / "night.toml"))
fox = simulation.names.index("fox")
nearest = np.full(len(simulation.agents), np.inf)
while not simulation.done:
    simulation.step()
    # (variant, agent, target): one variant, every agent, the fox
    nearest = np.fmin(nearest, simulation.sight.distance[0, :, fox])
for agent, metres in zip(simulation.agents, nearest, strict=True):
    if agent == "fox":
        continue
    print(f"{agent:9} was never nearer to the fox than {metres:4.1f} m")
