"""Other computers: who is found, who is known, who is open, and what goes to and fro."""
