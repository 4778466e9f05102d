"""What editors read of a take that is handed on to them: every track, the picture, the cuts and the marks in place, as
OpenTimelineIO; and the picture itself, without its sound and without what a camera notes in its file."""

from contextlib import ExitStack
from pathlib import Path
from typing import Any

import av

from .broadcast_wav import UNSIGNED
from .edited import Sounds
from .edits import Stretch, after_edits_s, kept
from .film_copy import KINDS, copy_pictures, ending_for, opened_film
from .handed import Handed, HandedOn, Progress, free
from .marks import read_marks
from .take import FilmPiece
from .whole_file import whole_file

MS = 1000.0


def hand_on_picture(sounds: Sounds, home: Path, made: HandedOn, progress: Progress) -> Path | None:
    """The pictures of the take's film, as they are; None where it has none. Errors: TakeError, OSError, Stopped."""
    film = sounds.take.film
    if film is None:
        return None
    with ExitStack() as stack:
        file, pictures = stack.enter_context(opened_film(sounds.folder / film.file))
        ending = ending_for(pictures)
        target = free(home, "Picture", ending)
        path = stack.enter_context(whole_file(target))
        with av.open(str(path), "w", format=KINDS[ending], options=UNSIGNED) as out:
            seconds = copy_pictures(file, pictures, out, progress)
    made.files.append(Handed(target, seconds, 0))
    return target


def pictures_left(sounds: Sounds) -> list[tuple[Stretch, float]]:
    """(stretch of the film, when it is seen after the edits), in the order of what is left."""
    film, seconds, found = sounds.take.film, sounds.seconds, []
    for s in kept(sounds.take.edits, seconds):
        for piece in film.pieces if film is not None else ():
            begin, end = max(s.begin_s, piece.at_s), min(s.end_s, _end_s(piece))
            at = after_edits_s(sounds.take.edits, begin, seconds) if begin < end else None
            if at is not None:
                share = 1 + piece.drift_ppm * 1e-6
                own = piece.begin_s + (begin - piece.at_s) * share
                found.append((Stretch(own, own + (end - begin) * share), at))
    return sorted(found, key=lambda x: x[1])


def _end_s(piece: FilmPiece) -> float:
    """On the take's time."""
    return piece.at_s + (piece.end_s - piece.begin_s) * (1 - piece.drift_ppm * 1e-6)


def hand_on_timeline(
    sounds: Sounds, home: Path, made: HandedOn, tracks: list[tuple[str, Handed, int]], picture: Path | None
) -> None:
    """`tracks` are (name, file, its rate). Errors: OSError."""
    import opentimelineio as otio

    seconds = sum(s.end_s - s.begin_s for s in kept(sounds.take.edits, sounds.seconds))
    timeline = otio.schema.Timeline(name=sounds.take.setup.name)
    if picture is not None:
        timeline.tracks.append(_picture_track(otio, sounds, picture, seconds))
    for name, file, rate in tracks:
        whole = otio.opentime.TimeRange(duration=otio.opentime.RationalTime(round(file.seconds * rate), rate))
        clip = otio.schema.Clip(name, otio.schema.ExternalReference(file.path.name, whole), whole)
        timeline.tracks.append(otio.schema.Track(name, [clip], kind=otio.schema.TrackKind.Audio))
    for mark in read_marks(sounds.folder):
        at = after_edits_s(sounds.take.edits, mark.at_s, sounds.seconds)
        if at is not None:
            timeline.tracks.markers.append(otio.schema.Marker(mark.says, _range(otio, at, 0.0)))
    target = free(home, f"{sounds.take.setup.name} timeline", ".otio")
    with whole_file(target) as path:
        path.write_text(otio.adapters.write_to_string(timeline, "otio_json"), encoding="utf-8")
    made.files.append(Handed(target, seconds, 0))


def _range(otio: Any, begin_s: float, seconds: float) -> Any:
    time = otio.opentime.RationalTime
    return otio.opentime.TimeRange(time(round(begin_s * MS), MS), time(round(seconds * MS), MS))


def _picture_track(otio: Any, sounds: Sounds, picture: Path, seconds: float) -> Any:
    """Nothing where there is no picture of it."""
    track = otio.schema.Track("Picture", kind=otio.schema.TrackKind.Video)
    at = 0.0
    for own, begins in pictures_left(sounds):
        if begins - at > 0.5 / MS:
            track.append(otio.schema.Gap(source_range=_range(otio, 0.0, begins - at)))
        reference = otio.schema.ExternalReference(picture.name)
        track.append(otio.schema.Clip("Picture", reference, _range(otio, own.begin_s, own.end_s - own.begin_s)))
        at = begins + own.end_s - own.begin_s
    if seconds - at > 0.5 / MS:
        track.append(otio.schema.Gap(source_range=_range(otio, 0.0, seconds - at)))
    return track
