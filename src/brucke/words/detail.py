"""How much is said: plainly, for somebody who plays, or in numbers, with everything that is known.

What is said plainly has no units but ms, s, min and %, and no terms of measuring. Commands say it in numbers, but for
those that the window runs.
"""

import os
from typing import TypeVar

T = TypeVar("T")

PLAIN = "BRUCKE_PLAIN"  # in the environment of a command whose words somebody reads in the window

_detail = {"numbers": os.environ.get(PLAIN) != "1"}


def in_numbers() -> bool:
    return _detail["numbers"]


def say_numbers(on: bool) -> None:
    """From now on, everywhere in this process."""
    _detail["numbers"] = on


def choose(plain: T, numbers: T) -> T:
    """Whichever is asked for now."""
    return numbers if in_numbers() else plain
