"""Geometry: walls in a grid, the walk of a ray, visible regions."""
