"""The other side: a game in any language that talks to Snelk in messages."""
