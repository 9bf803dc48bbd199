"""What goes on in an agent: how its suspicion fills, what it remembers and tells."""
