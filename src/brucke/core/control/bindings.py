"""Which pedal, key or controller does what. Pure.

A control is named by what it sends: “note 1 60” and “controller 1 64” are MIDI channel and number, “program 1 5” a
program change; OSC addresses are fixed, see `osc_message.py`.
"""

from collections.abc import Iterable

import msgspec

from ..files.safe_read import ReadProblem, convert, decode_json

# What obeys at once, in the thread that hears the control; the rest waits for the application.
AT_ONCE = ("mute_me", "silence", *(f"moment_{n}" for n in range(1, 10)))
ASKED_FOR = ("line_next", "line_back", "on_air", "goodbye", "heard")
ACTS = (*AT_ONCE, *ASKED_FOR)
MOST = 500


class Binding(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """`act` is done when `control` is pressed, or once it is `held` for HOLD_S."""

    control: str
    act: str
    held: bool = False


def bound(bindings: Iterable[Binding], new: Binding) -> tuple[Binding, ...]:
    """With `new` in place of what that control did in the same way."""
    kept = [b for b in bindings if (b.control, b.held) != (new.control, new.held)]
    return (*kept, new)[-MOST:]


def unbound(bindings: Iterable[Binding], old: Binding) -> tuple[Binding, ...]:
    return tuple(b for b in bindings if b != old)


def bindings_json(bindings: Iterable[Binding]) -> str:
    return msgspec.json.encode(list(bindings)).decode()


def read_bindings(text: str) -> tuple[Binding, ...]:
    """What was kept; of what cannot be read, or does nothing that is known, nothing."""
    try:
        found = convert(decode_json(text.encode()), list[Binding])
    except ReadProblem:
        return ()
    return tuple(b for b in found if b.act in ACTS and 0 < len(b.control) <= 100)[:MOST]
