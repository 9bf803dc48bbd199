"""Clock, batch and one tick."""
