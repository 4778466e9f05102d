"""Brucke carries every sound of a live performance to everyone who listens, and makes them arrive together."""
