"""How loud a part should come in, and what a trim can do about it. Common practice, no source."""

import msgspec

from ..document.ranges import held_to
from ..document.setup import Part

GOOD_DB = (-18.0, -9.0)  # where the loudest moments should peak, after the trim
AIM_DB = -12.0
CLIPPED_DB, NOTHING_DB = -0.1, -60.0
LISTEN_S = 5.0


class LevelAdvice(msgspec.Struct, frozen=True):
    """`code`: set, clipped (a trim cannot mend that) or nothing; `trim_db` is what the trim should be."""

    code: str
    trim_db: float = 0.0


TARGET_S = 15.0  # so long a listener's sound is listened to before its loudness is set
CLOSE_LU = 0.5  # near enough


def level_advice(part: Part, loudest_db: float) -> LevelAdvice:
    """From the loudest sample that came in before the trim, in dBFS."""
    if loudest_db >= CLIPPED_DB:
        return LevelAdvice("clipped", part.trim_db)
    if loudest_db <= NOTHING_DB:
        return LevelAdvice("nothing", part.trim_db)
    return LevelAdvice("set", round(held_to("Part", "trim_db", AIM_DB - loudest_db), 1))
