"""Shape: how each sound is made, and what that costs in time."""
