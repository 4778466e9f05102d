"""What a looped source sounded like in a take, from the log of the track: loops, count-in, seeks and pauses."""

from collections.abc import Sequence

import msgspec
import numpy as np

from .correlation import F32

SILENT = -1


class TrackMark(msgspec.Struct, frozen=True, array_like=True):
    """From `frame` of the take on, the track plays from its frame `at`, or nothing plays (SILENT)."""

    frame: int
    at: int


def played(source: F32, marks: Sequence[TrackMark], frames: int, period: int) -> F32:
    """`source` [frames] (mono, on the beat, repeating after `period` frames) as it was played during a take. Returns
    [`frames`].

    Marks come in the order of their frames; before the first nothing plays."""
    sound = np.zeros(frames, np.float32)
    ends = [*(m.frame for m in marks[1:]), frames]
    for mark, end in zip(marks, ends, strict=True):
        begin, end = max(0, mark.frame), min(frames, end)
        if mark.at == SILENT or end <= begin:
            continue
        at = (mark.at + np.arange(begin - mark.frame, end - mark.frame)) % max(1, period)
        inside = at < len(source)
        sound[begin:end][inside] = source[at[inside]]
    return sound
