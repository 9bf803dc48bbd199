"""The gates between an agent and a target."""
