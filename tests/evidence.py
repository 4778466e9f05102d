"""Evidence as if it had been measured."""

from brucke.core.knowledge.evidence import Measurement
from brucke.core.knowledge.quantities import PICTURE


def picture_at(setup, listener, ms, part="picture"):
    """The whole way of a picture to a listener, as claps tell it."""
    return Measurement(
        key=PICTURE.key(part, listener), value_s=ms / 1e3, plus_minus_s=4e-3, date="2026-11-24T19:00", method="claps",
        repeats=8, agreeing=8,
        fingerprint=PICTURE.fingerprint(setup, part, listener),
    )  # fmt: skip
