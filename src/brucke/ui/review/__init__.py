"""Review: what they got."""
