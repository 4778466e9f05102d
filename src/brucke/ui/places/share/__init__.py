"""Share: who hears what."""
