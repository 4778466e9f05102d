"""The soundcheck: what would go wrong, why, and what mends it."""
