"""A camera before the singer: small pictures whose hands meet on a clap. Only its timing matters here."""

import time
from collections.abc import Iterator, Mapping

import numpy as np
import numpy.typing as npt

from ..core.document.setup import Device, Part, Setup
from .camera_pipe import U8, CameraPipe

WIDTH, HEIGHT = 160, 90
_COLUMNS = np.arange(WIDTH, dtype=np.float32)
_HANDS = slice(50, 63)
_SKIN = np.array([232, 201, 160], np.float32)
CLAP_S = 0.14  # from rest to the hands meeting, and back


class Scene:
    """Draws the singer; `claps` and `loudness` (100 values a second) belong to the part that is shown."""

    def __init__(self, claps_s: npt.NDArray[np.float64], loudness: npt.NDArray[np.float32]):
        self._claps, self._loudness = claps_s, loudness
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
        image = np.empty((HEIGHT, WIDTH, 3), np.uint8)
        image[:] = (38, 52, 60)
        image[(y > 78)] = (52, 46, 40)
        image[(np.abs(x - 64) < 15) & (y > 36)] = (116, 52, 96)
        image[(x - 64) ** 2 + (y - 25) ** 2 < 110] = (232, 201, 160)
        image[(np.abs(x - 112) < 9) & (y > 30)] = (92, 74, 150)
        self._rest = image

    def draw(self, position_s: float | None) -> U8:
        """The picture at a position in the part, shape (height, width, 3); at rest when None."""
        image = self._rest.copy()
        apart = 1.0
        if position_s is not None:
            if len(self._claps):
                apart = min(1.0, float(np.min(np.abs(self._claps - position_s))) / CLAP_S)
            loud = float(self._loudness[int(position_s * 100) % len(self._loudness)])
            mouth = 1 + round(4 * min(1.0, loud * 5))
            image[29 : 29 + mouth, 61:68] = (120, 40, 50)
        reach = 26 * apart
        share = np.zeros(WIDTH, np.float32)
        for side in (-1, 1):
            # Edges are drawn in shares of a pixel, as a lens does, so that movement is smooth.
            share += np.clip(5.0 - np.abs(_COLUMNS - 64 - side * (4 + reach)), 0, 1)
        blend = np.minimum(share, 1.0)[None, :, None]
        image[_HANDS] = image[_HANDS] * (1 - blend) + blend * _SKIN
        return image


def loudness_of(stem: npt.NDArray[np.float32], rate: int) -> npt.NDArray[np.float32]:
    """RMS in steps of 10 ms."""
    step = rate // 100
    return np.sqrt(np.add.reduceat(stem**2, np.arange(0, len(stem) - step, step)) / step)


class Cameras:
    """Every camera at its own pace, on the engine's frames; `share` of their pictures come through pipes."""

    def __init__(self, rate: int):
        self.rate, self.share = rate, 1.0
        self._left_out = 0.0
        self._pipes: dict[str, CameraPipe] = {}
        self._looking: dict[str, tuple[Part, Device, Scene]] = {}
        self._next: dict[str, float] = {}

    def __contains__(self, part: str) -> bool:
        return part in self._looking

    def settle(self, setup: Setup, scenes: Mapping[str, Scene], now: int) -> None:
        """Those of the setup look from frame `now` on, with new `scenes` by part, and no others."""
        looking = {}
        for i, part in enumerate(p for p in setup.parts if p.kind == "picture"):
            scene = scenes.get(part.id) or (self._looking[part.id][2] if part.id in self._looking else None)
            if scene is not None:
                looking[part.id] = (part, setup.device(part.device), scene)
                # No two begin to look at the same moment.
                self._next.setdefault(part.id, now + (0.37 + 0.21 * i) * self.rate / 30)
        self._looking = looking

    def take(self, now: int, frames: int) -> Iterator[tuple[Part, Device, Scene, float]]:
        """Whoever looks within the `frames` from `now` on, and at which frame."""
        for id, (part, device, scene) in self._looking.items():
            at = self._next[id]
            if at < now + frames:
                self._next[id] = at + self.rate / device.pictures_per_s
                yield part, device, scene, at

    def look_through(self, part: str, pipe: CameraPipe) -> None:
        """From now on `pipe` gives what this camera sees."""
        if part in self._pipes:
            self._pipes[part].close()
        self._pipes[part] = pipe

    def looked_at(self, part: str) -> bool:
        """Whether somebody reads what this camera gives through a pipe."""
        if part in self._pipes and not self._pipes[part].open:
            del self._pipes[part]
        return part in self._pipes

    def give(self, part: str, later_s: float, picture: U8) -> None:
        """A picture that is there so much later than now."""
        if part not in self._pipes:
            return
        self._left_out += 1 - self.share
        if self._left_out >= 1:
            self._left_out -= 1
            return
        self._pipes[part].take(time.monotonic() + later_s, picture)
