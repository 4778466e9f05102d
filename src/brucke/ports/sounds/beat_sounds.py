"""The sounds a setup names, found in the folders where its files may stand, and read at its rate."""

from collections.abc import Sequence
from pathlib import Path

from ...core.document.setup import Setup
from ...core.storage.bundle import find_file
from .any_sound import read_any
from .files import F32


def read_beat(path: Path, rate_hz: int, most_s: float) -> F32:
    """A sound at the setup's rate; one at another rate or in another coding is converted."""
    return read_any(path, rate_hz)[0][:, : round(most_s * rate_hz)]


def beat_sounds(setup: Setup, folders: Sequence[Path], most_s: float = 1200.0) -> dict[str, F32]:
    """Every part's on-the-beat sound, where it has one, by part. Errors: SoundFileError."""
    return {
        p.id: read_beat(find_file(p.beat_source, folders), setup.rate_hz, most_s) for p in setup.parts if p.beat_source
    }
