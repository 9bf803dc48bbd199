"""Checking, comparing and tuning scenarios."""
