"""Two computers for long: clocks 167 ppm apart that began a thousand seconds from each other, one packet in a hundred
lost. What comes lies where it is said to lie. `BRUCKE_LONG_MIN` says for how many minutes."""

import os
import time

import numpy as np
import pytest
import soxr

from .namespaces import Side, missing, shaped_wire
from .pairs import agree, begin, hear_each_other, keep, later, small_setup

pytestmark = [pytest.mark.live, pytest.mark.skipif(bool(missing()), reason=missing() or "-")]
MINUTES = float(os.environ.get("BRUCKE_LONG_MIN", "1"))
RATES = {"Desk": 24000, "Stage": 24004}  # half the usual, so that two whole computers run here beside each other
BEGAN_S = {"Desk": 0.0, "Stage": 1000.0}
NEXT_S, KEPT_S = 13.0, 4.0


def engine_line(pairs, at_s, rate, near_s=60.0):
    """(frames an engine had done at `at_s`, frames a second, how far seconds lie off that line in seconds) by all its
    counts near that second. Whatever else the machine does makes blocks late, never early: of every second the
    promptest count, and of the seconds, too."""
    pairs = pairs[np.abs(pairs[:, 1] - at_s) < near_s]
    before, second = pairs[:, 0] - (pairs[:, 1] - at_s) * rate, np.floor(pairs[:, 1] - at_s)
    seconds = [s for s in np.unique(second) if (second == s).sum() > 100]
    x = np.array(seconds) + 0.5
    y = np.array([np.percentile(before[second == s], 99) for s in seconds])
    prompt = np.ones(len(x), bool)
    for _ in range(8):
        slope, there = np.polyfit(x[prompt], y[prompt], 1)
        late = slope * x + there - y
        prompt = late <= np.percentile(late[prompt], 70)
        if prompt.sum() < 12:
            break
    return there, rate + slope, float(np.std(late[prompt])) / rate


def looked(there, here, device, counts, tmp):
    """One window of what `here` has of what `there` plays: frame and second of each, frames later, set point before
    and after, its ±, blocks that were late. The engines' counts go into `counts`."""
    set_before = here.state()["matched"][device][0]
    played, heard = keep(there, "song", KEPT_S, tmp), keep(here, f"song_{device}", KEPT_S, tmp)
    for side, kept in ((there, played), (here, heard)):
        counts[side.name].update({second: frames for frames, second in kept[2]})
    state = here.state()
    set_point, _out, _ppm, _wander, late = state["matched"][device]
    ended = []
    for side, (x, first, pairs) in ((there, played), (here, heard)):
        ended.append(pairs[-1, 1] + (first + len(x) - pairs[-1, 0]) / RATES[side.name] - BEGAN_S[side.name])
    about = (set_point - (ended[1] - ended[0])) * RATES[here.name]
    resampled = soxr.resample(played[0], RATES[there.name], RATES[here.name])
    frames, share = later(heard[0], resampled, about + len(heard[0]) - len(resampled))
    return {"here": here.name, "there": there.name, "heard": (heard[1], heard[2][-1, 1]), "share": share,
            "played": (played[1], played[2][-1, 1]), "frames": frames, "before": set_before, "set_point": set_point,
            "plus_minus": state["networks"][device][0], "late": late}  # fmt: skip


def error_s(window, counts):
    """Seconds by which what was heard lay later than said; NaN where a machine that stood still has left frames out
    near by, so that nobody can say when a frame was."""
    began = {}
    for which, name in (("heard", window["here"]), ("played", window["there"])):
        first, second = window[which]
        done, a_second, off_s = engine_line(counts[name], second, RATES[name])
        if off_s > 1e-4:
            return np.nan
        began[which] = second - BEGAN_S[name] + (first - done) / a_second
    return began["heard"] - began["played"] + window["frames"] / RATES[window["here"]] - window["set_point"]


def test_what_comes_lies_where_it_is_said_for_long(tmp_path):
    setups = {name: small_setup(tmp_path, song, RATES[name]) for name, song in
              (("Desk", "harp.flac"), ("Stage", "cello.flac"))}  # fmt: skip
    with shaped_wire(delay_ms=[0.2, 0.2], jitter_ms=0.05, loss=0.01) as ((na, nb), _change):
        a = Side(na, "Desk", setups["Desk"], tmp_path / "a")
        shifted = ("unshare", "-T", "--monotonic", "1000", "--boottime", "1000")
        b = Side(nb, "Stage", setups["Stage"], tmp_path / "b", before=shifted)
        try:
            begin(a, b)
            agree(a, b)
            hear_each_other(a, b)
            counts, windows, end = {"Desk": {}, "Stage": {}}, [], time.monotonic() + 60 * MINUTES
            while time.monotonic() < end:
                time.sleep(NEXT_S)
                for there, here, device in ((b, a, "stage"), (a, b, "desk")):
                    windows.append(looked(there, here, device, counts, tmp_path))
        finally:
            a.end()
            b.end()
    counts = {name: np.array([(frames, second) for second, frames in sorted(c.items())]) for name, c in counts.items()}
    # What was heard while a set point grew is of both, and a song has pauses.
    held = [w for before, w in zip(windows, windows[2:], strict=False)
            if w["share"] > 0.5 and before["set_point"] == w["before"] == w["set_point"]]  # fmt: skip
    errors = np.array([error_s(w, counts) for w in held])
    held = [w for w, e in zip(held, errors, strict=True) if np.isfinite(e)]
    errors = errors[np.isfinite(errors)]
    last = windows[-2:]
    print(len(errors), "of", len(windows), "windows: µs", np.round(errors * 1e6))
    print("late blocks", [w["late"] for w in last], "set points", [w["set_point"] for w in last])
    assert len(errors) > len(windows) / 4
    assert np.abs(errors).max() < min(w["plus_minus"] for w in held)
    assert np.quantile(np.abs(errors), 0.9) < 1e-4
