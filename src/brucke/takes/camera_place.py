"""Where the picture that was recorded with a take stands in its folder, and how much later than sound it came in."""

from collections.abc import Sequence
from pathlib import Path

from ..core.document.setup import Part
from ..core.timing.paths import Situation, camera_stage, capture_stages, path_latency
from ..core.timing.uncertain import Uncertain
from .take import Take

FOLDER, WHOLE = "film", "film/camera.mkv"


def camera_files(folder: Path) -> list[tuple[int, Path]]:
    """(frame of the recorder's ring at its first picture, file), in their order. See `engine/processes/picture.py`."""
    found = []
    for path in sorted((folder / FOLDER).glob("camera *.mkv")):
        number = path.stem.partition(" ")[2]
        if number.isdecimal() and path.is_file() and path.stat().st_size:
            found.append((int(number), path))
    return found


def later_than_sound(take: Take) -> Uncertain:
    """How much later than the sound of the part it shows the camera's picture comes in."""
    known = Situation(take.setup, take.knowledge, moment=take.moment)
    picture = recorded_picture(take.setup.parts)
    if picture is None:
        return Uncertain(0.0)
    camera = take.setup.device(picture.device)
    seen = camera_stage(known, camera).latency
    shown = next((p for p in take.setup.parts if p.id == picture.shows), None)
    # A picture stands for all the time until the next one.
    late = seen + Uncertain(0.0, {"picture": 0.5 / camera.pictures_per_s})
    return late - path_latency(tuple(capture_stages(known, shown))) if shown is not None else late


def recorded_picture(parts: Sequence[Part]) -> Part | None:
    """Which of them is recorded: the first."""
    return next((p for p in parts if p.kind == "picture"), None)
