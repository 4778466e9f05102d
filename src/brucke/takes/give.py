"""What one listener got, as one sound file that everybody can play."""

from pathlib import Path

import numpy as np
import soundfile as sf

from .sounds import track_blocks
from .take import Take, TakeError
from .whole_file import whole_file

ENDING = ".flac"


def give_away(folder: Path, take: Take, listener: str, home: Path, name: str) -> Path:
    """A new FLAC file (24 bits; stereo, or mono where there is one channel) in `home`, never in the place of another.
    Every part on its own track is heard together in it. Errors: TakeError, OSError, and nothing is left behind."""
    if listener not in take.listeners:
        raise TakeError("what this listener got was not kept")
    rate, channels, blocks = track_blocks(folder, take.listeners[listener])
    target = next(
        p for i in range(1, 10_000) if not (p := home / f"{name}{'' if i == 1 else f' {i}'}{ENDING}").exists()
    )
    try:
        with whole_file(target) as path, sf.SoundFile(path, "w", rate, min(channels, 2), "PCM_24", format="FLAC") as f:
            for block in blocks:
                both = block if channels <= 2 else np.repeat(block.sum(axis=1, keepdims=True), 2, axis=1)
                f.write(np.clip(both, -1.0, 1.0))
    except sf.LibsndfileError as e:
        raise OSError(str(e)) from e
    return target
