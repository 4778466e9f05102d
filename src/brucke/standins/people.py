"""Who is in the simulated world."""

from dataclasses import dataclass

from .camera import Scene
from .performer import Performer


@dataclass(frozen=True)
class People:
    """Performers and scenes by part, made ready before they come into the world."""

    performers: dict[str, Performer]
    scenes: dict[str, Scene]
