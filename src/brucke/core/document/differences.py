"""What is different between two setups, thing by thing, as paths and values; `words/documents.py` says it."""

from typing import Any

import msgspec

from .setup import Setup


class Difference(msgspec.Struct, frozen=True):
    """`thing` is setup, device, part, listener, route or moment; `id` which; `field` empty where the whole thing
    came (`before` None) or went (`after` None)."""

    thing: str
    id: str
    field: str
    before: Any
    after: Any


LISTS = {"devices": "device", "parts": "part", "listeners": "listener", "routes": "route", "moments": "moment"}


def item_key(thing: str, item: Any) -> str:
    return f"{item.part} → {item.listener}" if thing == "route" else str(item.id)


def differences(a: Setup, b: Setup) -> list[Difference]:
    """In the order of the document; nothing where both say the same."""
    found = [
        Difference("setup", "", f, getattr(a, f), getattr(b, f))
        for f in ("name", "rate_hz", "block_frames", "notes", "profiles", "order")
        if getattr(a, f) != getattr(b, f)
    ]
    for field, thing in LISTS.items():
        olds = {item_key(thing, x): x for x in getattr(a, field)}
        news = {item_key(thing, x): x for x in getattr(b, field)}
        for id in dict.fromkeys((*olds, *news)):
            old, new = olds.get(id), news.get(id)
            if old is None or new is None:
                found.append(Difference(thing, id, "", old, new))
            elif old != new:
                found += _fields(thing, id, old, new)
        if list(olds) != list(news) and set(olds) == set(news) and thing != "route":
            found.append(Difference(thing, "", "order", list(olds), list(news)))
    return found


def _fields(thing: str, id: str, old: Any, new: Any) -> list[Difference]:
    return [
        Difference(thing, id, f.name, getattr(old, f.name), getattr(new, f.name))
        for f in msgspec.structs.fields(type(old))
        if getattr(old, f.name) != getattr(new, f.name)
    ]
