"""What somebody types or pastes, made fit to be written: the same table that a reader refuses by (`ranges.py`)."""

import unicodedata
from typing import Any

import msgspec

from .ranges import LONG_TEXTS, MAX_NAME, MAX_TEXT, text_problem
from .setup import Setup

NAMES = ("name", "note")


def clean_text(field: str, text: str) -> str:
    """Without what cannot be written, and no longer than may be; the same where it is fit."""
    if not text_problem(field, text):
        return text
    long = field in LONG_TEXTS
    allowed = "\n\t\r" if long else ""

    def fit(c: str) -> str:
        if unicodedata.category(c) not in ("Cc", "Cs") or c in allowed:
            return c
        # A page or a line ends there: a new line, or a space in a name.
        return ("\n" if long else " ") if c.isspace() else ""

    return "".join(map(fit, text))[: MAX_TEXT if long else MAX_NAME]


def cleaned(before: Setup, after: Setup) -> Setup:
    """`after` with fit names and notes in all that is another than in `before`."""
    made: Setup = _cleaned(before, after)
    return made


def _cleaned(before: Any, after: Any) -> Any:
    if after is before:
        return after
    if isinstance(after, msgspec.Struct):
        return _struct(before, after)
    if isinstance(after, tuple):
        known = {id(x): x for x in before} if isinstance(before, tuple) else {}
        items = tuple(_cleaned(known.get(id(x)), x) for x in after)
        return items if any(a is not b for a, b in zip(items, after, strict=True)) else after
    return after


def _struct(before: Any, after: Any) -> Any:
    changed = {}
    for field in after.__struct_fields__:
        value = getattr(after, field)
        if isinstance(value, str):
            new: Any = clean_text(field, value) if field in (*NAMES, *LONG_TEXTS) else value
        else:
            new = _cleaned(getattr(before, field, None), value)
        if new is not value:
            changed[field] = new
    return msgspec.structs.replace(after, **changed) if changed else after
