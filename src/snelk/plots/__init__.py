"""Figures of a run."""
