"""A name from another computer, as it may be shown. Pure."""

import unicodedata

MOST_NAME = 60


def plain_name(text: str) -> str:
    """Letters, digits, signs and single spaces of it, at most MOST_NAME; “” where nothing is left."""
    kept = "".join(c for c in text if unicodedata.category(c)[0] in "LNPSZ" and c not in "\u2028\u2029")
    return " ".join(kept.split())[:MOST_NAME]
