"""Who is in the simulated world."""

import msgspec

from .camera import Scene
from .performer import Performer


class People(msgspec.Struct, frozen=True):
    """Performers and scenes by part, made ready before they come into the world."""

    performers: dict[str, Performer]
    scenes: dict[str, Scene]
