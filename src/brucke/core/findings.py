"""A finding is a code and its values; `words/` makes the sentence."""

from typing import Literal

import msgspec

Value = str | float | int | bool


class Finding(msgspec.Struct, frozen=True, kw_only=True):
    """`needs` is “you” where it has to be mended and “look” where it is worth knowing."""

    code: str
    part: str = ""
    listener: str = ""
    device: str = ""
    needs: Literal["you", "look"] = "you"
    values: dict[str, Value] = {}


VerdictCode = Literal["in_step", "early", "late", "own_sound", "picture_first", "nothing_routed", "not_aligned"]


class Verdict(msgspec.Struct, frozen=True, kw_only=True):
    """An arrival against its listener's target; one per listener, computed in one place.

    `off_s` is signed, negative when early; `part` the part it speaks of. `sure` is False while any stage that matters
    is only calculated; `as_of` is the date of the oldest measurement that is unconfirmed, empty where none is.
    `on_purpose` is the moment that asks for the least delay and not for being in step; `at_limit` that nothing there
    may wait any longer; `wide` that it is in step only as far as a large ± can tell; `picture_unknown` that there is a
    picture, and nobody measured its way: what is said is said of the sounds.
    """

    code: VerdictCode
    listener: str
    part: str = ""
    off_s: float = 0.0
    plus_minus_s: float = 0.0
    sure: bool = True
    as_of: str = ""
    least_delay: bool = False
    on_purpose: str = ""
    at_limit: bool = False
    wide: bool = False
    picture_unknown: bool = False
