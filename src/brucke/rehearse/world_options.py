"""What the world process is told when it is started."""

import msgspec


class Options(msgspec.Struct, frozen=True):
    """`sounds` is the folder of the on-the-beat sounds that the people in this world play."""

    setup: str
    sounds: str
    seed: int = 1
    exact: bool = False
