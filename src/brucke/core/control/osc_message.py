"""What an OSC message asks for. Pure. Addresses are fixed: `/brucke/next`, `/back`, `/mute`, `/silence`, `/moment`,
`/open`, `/goodbye`, `/heard`."""

import math
from collections.abc import Sequence

ADDRESSES = {
    "next": "line_next", "back": "line_back", "mute": "mute_me", "silence": "silence", "open": "on_air",
    "goodbye": "goodbye", "heard": "heard",
}  # fmt: skip
SET = ("mute_me", "silence", "on_air")  # 1 and 0 say how it is to be, nothing changes it over
ROOT = "/brucke/"


def osc_act(address: str, values: Sequence[object]) -> tuple[str, bool | None] | None:
    """(act, how it is to be or None to change it over); None for what is no address of ours, or a value that is none.
    Without a value, or with 1, a thing is done; with 0 a button was let go and nothing is."""
    if not address.startswith(ROOT):
        return None
    name, _, rest = address.removeprefix(ROOT).partition("/")
    if name == "moment":
        number = rest if rest else _number(values)
        if number is None or not str(number).isdigit() or not 1 <= int(number) <= 9:
            return None
        return (f"moment_{int(number)}", None) if not rest or _pressed(values) else None
    act = ADDRESSES.get(name)
    if act is None or rest or len(values) > 1:
        return None
    if not values:
        return act, None
    value = _number(values)
    if value not in (0, 1):
        return None
    if act in SET:
        return act, value == 1
    return (act, None) if value == 1 else None


def _pressed(values: Sequence[object]) -> bool:
    return not values or _number(values) == 1


def _number(values: Sequence[object]) -> int | None:
    """A single whole number, of whichever type it came in."""
    if len(values) != 1:
        return None
    (value,) = values
    if isinstance(value, bool):
        return int(value)
    if isinstance(value, int):
        return value
    if isinstance(value, float) and math.isfinite(value) and value == int(value):
        return int(value)
    return None
