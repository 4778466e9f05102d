"""What the stand-in player is told of the backing track and its count-in: each change once."""

from collections.abc import Sequence
from pathlib import Path

from ...core.document.setup import Setup
from ...core.storage.bundle import find_file
from ...engine.processes.link import EngineLink
from ...engine.processes.messages import CountIn, UseTrack


class Transport:
    def __init__(self) -> None:
        self._told: tuple[object, ...] = ()

    def tell(self, link: EngineLink, setup: Setup, folders: Sequence[Path]) -> None:
        """The player hears of another track, level or loop."""
        part = next((p for p in setup.parts if p.kind == "lead" and p.tracks), None)
        counting = next((p for p in setup.parts if p.source == "count_in"), None)
        told = (part and (part.tracks, part.track), counting and (counting.count_in_beats, counting.tempo_bpm))
        if told == self._told:
            return
        self._told = told
        if part is not None:
            track = part.tracks[part.track]
            link.tell_world(UseTrack(file=str(find_file(track.file, folders)), track=track))
        if counting is not None:
            link.tell_world(CountIn(beats=counting.count_in_beats, tempo_bpm=counting.tempo_bpm))
