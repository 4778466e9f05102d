"""At home on the desktop: what of ours stands in the user's own folders, so that a menu, a double click and a shell
know us."""
