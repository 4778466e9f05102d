"""What the world process is told when it is started."""

import msgspec


class Options(msgspec.Struct, frozen=True):
    """`folders` are searched for the sounds that the people in this world play; `real` devices are not simulated."""

    setup: str
    folders: tuple[str, ...]
    seed: int = 1
    exact: bool = False
    real: tuple[str, ...] = ()
    roomy: bool = False  # whether more may come while it runs
