"""What agents do: moving, and the activities of their alert states."""
