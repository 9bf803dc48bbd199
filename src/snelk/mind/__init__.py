"""An agent's mind: its meter, what it remembers and tells, and how it decides."""
