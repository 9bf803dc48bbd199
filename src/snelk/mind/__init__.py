"""What goes on in an agent: so far, how its suspicion fills."""
