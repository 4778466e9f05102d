"""A take handed on, by what it is for: into an editor, one film to send, the song to listen to, everything to keep.

Nothing of a take that is handed on names a person, a path or a program, but what the user called the parts.
"""

import csv
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile as sf

from ..core.measure.correlation import F32
from ..core.timing.origins import came_in
from ..core.timing.paths import Situation
from ..core.timing.uncertain import NOTHING_S, Uncertain
from .broadcast_wav import UNSIGNED, BroadcastWav, shifted, time_reference
from .contents import Asked, mix_of, parts_of
from .edited import Remix, Sounds
from .edits import after_edits_s
from .film_to_send import film_to_send
from .handed import Handed, HandedOn, Progress, free, gain_for, mixed, watched
from .marks import read_marks
from .sounds import track_frames
from .take import Take, TakeError
from .timeline import hand_on_picture, hand_on_timeline
from .whole_file import NAMELESS, whole_file


def hand_on(
    folder: Path, take: Take, home: Path, asked: Asked, progress: Progress = lambda _share: True,
    remix: Remix | None = None,
) -> HandedOn:  # fmt: skip
    """New files in `home`, never in the place of others, of a take after its edits; `remix` makes a mix anew where
    single tracks were edited. Errors: TakeError, OSError; Stopped where `progress` said no; of none of them anything is
    left behind."""
    made, sounds = HandedOn(), Sounds(folder, take, remix)
    if not sounds.seconds or not sounds.left_frames(48_000):
        raise TakeError(f"{sounds.folder.name}: nothing is left of it after what was left out")
    try:
        if asked.use in ("editor", "everything"):
            tracks = _parts(sounds, home, asked, made, progress)
            picture = hand_on_picture(sounds, home, made, progress)
            hand_on_timeline(sounds, home, made, tracks, picture)
        if asked.use in ("song", "everything"):
            _song(sounds, home, asked, made, progress)
        if asked.use == "film":
            film_to_send(sounds, home, asked, made, progress)
        if asked.use in ("editor", "everything"):
            _notes(sounds, home, made)
    except BaseException as e:
        for file in made.files:
            file.path.unlink(missing_ok=True)
        if isinstance(e, OSError) and str(e.filename or "").startswith(NAMELESS):
            raise OSError(e.errno, (e.strerror or str(e)).lower(), str(home)) from None
        raise
    return made


def in_step_frames(take: Take, rate_hz: int) -> dict[str, tuple[int, str]]:
    """By part: (by how many frames its track is moved, so that what was on one beat lies together; the kind of evidence
    for that, “unknown” where it stays where it is)."""
    known = Situation(take.setup, take.knowledge, moment=take.moment)
    lead = next((p for p in take.setup.parts if p.kind == "lead" and p.id in take.parts), None)
    base = came_in(known, lead.id) if lead is not None else None
    found = {}
    for part in take.setup.parts:
        came: Uncertain | None = came_in(known, part.id) if base is not None and part.kind != "far_end" else None
        if came is None or base is None:
            found[part.id] = (0, "unknown")
        else:
            later = came - base
            found[part.id] = (-round(later.value * rate_hz), later.weakest(NOTHING_S))
    return found


def _parts(
    sounds: Sounds, home: Path, asked: Asked, made: HandedOn, progress: Progress
) -> list[tuple[str, Handed, int]]:
    """Every part on a track of its own, from one common start, of one length: (its name, its file, its rate)."""
    folder, take = sounds.folder, sounds.take
    parts = parts_of(take, asked.far_ends)
    if not parts:
        raise TakeError(f"{folder.name}: the parts: none was recorded")
    tracks = [
        (part, files is take.processed, track_frames(folder, files[part.id]))
        for part in parts
        for files in (take.parts, take.processed)
        if part.id in files
    ]
    rates = {rate for _part, _processed, (there, rate) in tracks if there}
    if len(rates) != 1:
        raise TakeError(f"{folder.name}: the parts: missing, or at several rates")
    rate = rates.pop()
    moved, written = in_step_frames(take, rate), []
    for number, (part, processed, (there, _rate)) in enumerate(tracks):
        name = f"{part.name} processed" if processed else part.name
        if not there:
            made.says.append(f"missing {name}")
            continue
        target = free(home, f"{number + 1:02d} {name}", ".wav")
        file = _part(sounds, part.id, processed, moved[part.id][0], target, progress)
        made.files.append(file)
        written.append((name, file, rate))
        if moved[part.id][1] == "unknown" and part.kind != "far_end" and not processed:
            made.says.append(f"not_moved {name}")
    return written


def _part(sounds: Sounds, part: str, processed: bool, by: int, target: Path, progress: Progress) -> Handed:
    """One track, moved `by` frames and after its edits, as broadcast WAV."""
    rate, channels, blocks = sounds.part(part, processed)
    frames, date = sounds.left_frames(rate), sounds.take.date
    moved = shifted((b.T for b in blocks), by, round(sounds.seconds * rate))
    with BroadcastWav(target, channels, rate, time_reference(date, rate), date) as out:
        for block in watched(sounds.left(rate, moved), frames, progress):
            out.write(block)
    return Handed(target, frames / rate, channels)


def _song(sounds: Sounds, home: Path, asked: Asked, made: HandedOn, progress: Progress) -> None:
    """What one listener got, as FLAC to keep, or as Opus to listen to."""
    take = sounds.take
    try:
        listener = mix_of(take, asked.mix, asked.far_ends)
    except TakeError:
        if asked.use == "song":
            raise
        made.says.append("no_song")  # the parts go along all the same
        return
    gain = gain_for(sounds, listener, asked.loudness_lufs, made, progress)
    rate, frames, blocks = mixed(sounds, listener)
    whole = asked.use == "everything"
    if sounds.remixed(listener):
        made.says.append("mixed_anew")
    target = free(home, f"{take.setup.name} song", ".flac" if whole else ".opus")
    try:
        with whole_file(target) as path:
            if whole:
                with sf.SoundFile(path, "w", rate, 2, "PCM_24", format="FLAC") as f:
                    for block in watched(blocks, frames, progress):
                        f.write(np.clip(gain * block.T, -1.0, 1.0))
            else:
                _opus(path, rate, (gain * b for b in watched(blocks, frames, progress)))
    except sf.LibsndfileError as e:
        raise OSError(str(e)) from e
    made.files.append(Handed(target, frames / rate, 2))


def _opus(path: Path, rate: int, blocks: Iterator[F32]) -> None:
    import av

    with av.open(str(path), "w", format="ogg", options=UNSIGNED) as out:
        stream = out.add_stream("libopus", rate=48000)
        stream.bit_rate = 192_000
        stream.layout = "stereo"
        resampler = av.AudioResampler(
            format=stream.codec_context.format.name, layout="stereo", rate=48000, frame_size=960
        )
        at = 0
        for block in blocks:
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block, np.float32), format="fltp", layout="stereo")
            frame.sample_rate, frame.pts = rate, at
            at += block.shape[1]
            for part in resampler.resample(frame):
                out.mux(stream.encode(part))
        for part in resampler.resample(None):
            out.mux(stream.encode(part))
        out.mux(stream.encode(None))


def _notes(sounds: Sounds, home: Path, made: HandedOn) -> None:
    """Marks, and by how much every part was moved, as a table."""
    folder, take = sounds.folder, sounds.take
    rate = next((r for n, r in (track_frames(folder, f) for f in take.parts.values()) if n), 48000)
    target = free(home, f"{take.setup.name} notes", ".csv")
    with whole_file(target) as path:
        _write_notes(sounds, path, rate)
    made.files.append(Handed(target, 0.0, 0))


def _write_notes(sounds: Sounds, file: Path, rate: int) -> None:
    folder, take, seconds = sounds.folder, sounds.take, sounds.seconds
    with file.open("w", newline="", encoding="utf-8") as f:
        table = csv.writer(f)
        table.writerow(["what", "name", "seconds", "milliseconds", "evidence"])
        for part, (frames, kind) in in_step_frames(take, rate).items():
            if part in take.parts:
                table.writerow(["moved", take.setup.part(part).name, "", f"{1e3 * frames / rate:.3f}", kind])
        for mark in read_marks(folder):
            at = after_edits_s(take.edits, mark.at_s, seconds)
            if at is not None:
                table.writerow(["mark", mark.says, f"{at:.3f}", "", ""])
        for id, proof in take.proof.items():
            for name, left in proof.left.items():
                if left.windows:
                    what = f"{take.setup.listener(id).name}: {take.setup.part(name).name}"
                    table.writerow(["left", what, "", f"{left.median_ms:.3f}", ""])
