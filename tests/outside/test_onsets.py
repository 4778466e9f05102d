"""When something begins in a sound: ours against librosa's, both scored by mir_eval against the beats that were
played."""

import warnings

import mir_eval
import numpy as np
import pytest
from scipy import signal

from brucke.core.measure.phrases import HOP_S, beginnings, phrase_offsets

from ..paths import RATE
from .test_between_recordings import notes

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import librosa


def ours(sound):
    curve = beginnings(sound, RATE)
    peaks, _ = signal.find_peaks(curve, height=0.15 * curve.max(), distance=round(0.06 / HOP_S))
    return peaks * HOP_S


def theirs(sound):
    return librosa.onset.onset_detect(y=sound, sr=RATE, hop_length=256, units="time")


def played(rng, rise_s, count=60):
    beats = 0.5 + np.cumsum(rng.uniform(0.2, 0.6, count))
    sound = notes(beats, beats[-1] + 1, rng, rise_s=rise_s)
    return beats, sound + 0.001 * rng.standard_normal(len(sound)).astype(np.float32)


@pytest.mark.parametrize("rise_s", [0.003, 0.03])
def test_what_begins_is_found_as_well_as_librosa_finds_it(rng, rise_s):
    """mir_eval's F-measure within 50 ms (its default window); nobody's onsets are exactly the beats of what rises
    slowly."""
    beats, sound = played(rng, rise_s)
    mine, other = (mir_eval.onset.f_measure(beats, found)[0] for found in (ours(sound), theirs(sound)))
    assert mine > 0.9
    assert mine >= other - 0.05


def test_the_offset_of_two_parts_is_that_of_librosas_onsets(rng):
    """The same beats played twice with other notes, one 73 ms later: the median distance of matched onsets of theirs
    lies within what we state."""
    beats, music = played(rng, 0.004)
    voice = np.concatenate([np.zeros(round(0.073 * RATE), np.float32), notes(beats, beats[-1] + 1, rng, 330.0, 0.004)])
    found = phrase_offsets(voice[: len(music)], music, RATE)
    a, b = theirs(music), theirs(voice[: len(music)])
    pairs = mir_eval.util.match_events(a, b, 0.15)
    apart = np.median([b[j] - a[i] for i, j in pairs])
    assert apart == pytest.approx(0.073, abs=0.012)
    assert abs(found.seconds - 0.073) <= found.plus_minus_s
    assert abs(found.seconds - apart) <= found.plus_minus_s + 0.012
