"""What the persons at two computers are asked while these get to know each other."""

import msgspec


class Talking(msgspec.Struct, frozen=True):
    """What the persons at both computers are asked now. `name` is the other computer, `shows` are digits to be typed
    there, `types` how many tries are left to type those that stand there; `waits`: the other one has to answer."""

    name: str = ""
    shows: str = ""
    types: int = 0
    waits: bool = False
