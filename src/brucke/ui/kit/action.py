"""One thing the window can do, as a record: its name, its words and its keys."""

import msgspec

MOMENT_KEYS = 9  # so many moments have a key of their own


class Action(msgspec.Struct, frozen=True):
    """`id` finds its handler and the user's own keys. `more` works as well, also while somebody hears and letters do
    not."""

    id: str
    text: str
    keys: str = ""
    more: str = ""
