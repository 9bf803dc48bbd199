"""Tables, events and reasons of a replay."""
