"""The way to another computer: who is there, who may, and what carries the sound."""
