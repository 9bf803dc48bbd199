"""Geometry: walls in a grid, casting rays, visible regions."""
