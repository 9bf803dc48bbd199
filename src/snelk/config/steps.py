"""How bodies step over and pass below things."""

STEP = 0.5
"""A floor that is no more than this above somebody's feet is stepped onto, m."""

HEADROOM = 2.0
"""A wall whose base is so far above somebody's feet, or farther, is no bar to them, m."""
