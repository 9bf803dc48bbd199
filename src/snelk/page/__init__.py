"""The replay page: one HTML file with a whole run in it."""
