"""Clocks watched from the music itself, on a link that gives back what it was given: later, sliding, and once with a
jump."""

import time

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace

from brucke.app.measuring import clock_watch
from brucke.app.measuring.clock_watch import ClockWatch, pairs
from brucke.app.session.session import Session
from brucke.core.measure.live_drift import came_back
from brucke.core.storage.setup_file import load
from brucke.demo import FOLDER, SETUP
from brucke.rehearse import equipment

RATE, SPAN = 48_000, round(clock_watch.SPAN_S * 48_000)


def harp():
    sound, _ = sf.read(FOLDER / "harp.flac", dtype="float32")
    return np.tile(sound if sound.ndim == 1 else sound.mean(axis=1), 3)


def heard_again(sound, lag_s, noise=0.0):
    """Later by any fraction of a frame."""
    n = len(sound)
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(n, 1 / RATE) * lag_s)
    late = np.fft.irfft(np.fft.rfft(sound) * turn, n)
    return (0.1 * late + noise * np.random.default_rng(1).standard_normal(n)).astype(np.float32)


class Link:
    """`lag(t)` in seconds at each second of the song."""

    restarts = 0

    def __init__(self, setup, lag):
        self.setup, self.lag, self.sound, self.at = setup, lag, harp(), 0.0

    track_rows = staticmethod(
        lambda parts, listeners: {
            f"{k}/{id}": [k, id] for k, of in (("parts", parts), ("listeners", listeners)) for id, _i, _n in of
        }
    )

    def newest(self, rows, _seconds):
        kind, id = rows
        begin = round(self.at * RATE) % (len(self.sound) - SPAN)
        now = self.sound[begin : begin + SPAN]
        if kind == "parts" and self.setup.part(id).returns_from == "lounge_call":
            return heard_again(now, self.lag(self.at), 0.003)[None]
        return np.stack([now, now]) if id == "lounge_call" else np.zeros((1, SPAN), np.float32)


class Running:
    def __init__(self, link):
        self.link, self.state = link, "running"


def watched(monkeypatch, lag, looks=60):
    monkeypatch.setattr(clock_watch, "EVERY_S", 0.0)
    session = Session(equipment)
    session.replace(load(SETUP)[0])
    said = []
    session.noticed.connect(lambda text, _tone: said.append(text))
    link = Link(session.setup, lag)
    watch = ClockWatch(session, Running(link))
    far = next(p.id for p in session.setup.parts if p.returns_from)
    for i in range(looks):
        link.at = 5.0 * i
        watch.tick()
        watch._at = link.at
        until = time.monotonic() + 20
        while watch._answer is not None and time.monotonic() < until:
            watch.tick()
    watch.tick()
    watch.close()
    watch.tick()  # nothing is asked of what was under way when the window went
    return watch.of["listeners/lounge_call", f"parts/{far}"], said


def test_what_slides_is_told_while_it_plays(app, monkeypatch):
    """24 ppm, from five minutes of music at the far end."""
    w, said = watched(monkeypatch, lambda t: 0.31 + 24e-6 * t)
    assert w.drift.ppm == pytest.approx(24, abs=1.0)
    assert abs(w.drift.ppm - 24) <= w.drift.ppm_error
    assert w.lags_s[-1] == pytest.approx(0.31 + 24e-6 * 295, abs=5e-5)
    assert not said
    assert w.slid_s(295.0) == pytest.approx(24e-6 * 295, abs=3e-4)


def test_a_jump_is_said_once_and_is_no_drift(app, monkeypatch):
    w, said = watched(monkeypatch, lambda t: 0.31 + (0.021 if t > 150 else 0.0))
    assert [s.seconds for s in w.drift.steps] == pytest.approx([0.021], abs=1e-4)
    assert abs(w.drift.ppm) <= w.drift.ppm_error + 0.1
    assert len(said) == 1
    assert "21.0 ms later than before" in said[0]


def test_what_does_not_come_in_again_is_never_found(app):
    rng = np.random.default_rng(2)
    song = harp()
    for _trial in range(20):
        a, b = rng.integers(0, len(song) // 3 - SPAN, 2)
        other = rng.standard_normal(SPAN).astype(np.float32) * 0.05
        assert came_back(song[a : a + SPAN], other, RATE, None) is None
        assert came_back(np.zeros(SPAN, np.float32), song[b : b + SPAN], RATE, None) is None
    assert came_back(song[:1000], song[:1000], RATE, 0.1) is None


def test_what_is_watched_is_what_returns_and_who_sings_to_a_lead(nightboat):
    assert ("listeners/lounge_call", "parts/lounge") in pairs(nightboat)
    assert ("parts/harp", "parts/voice") in pairs(nightboat)
    assert pairs(replace(nightboat, parts=())) == []


def test_singing_that_begins_anew_is_no_jump(app, monkeypatch):
    """“Again in Voice: 2889 ms sooner”: another place in the song that sounds alike."""
    w, said = watched(monkeypatch, lambda t: 3.2 if t <= 150 else 0.311)
    assert [s.seconds for s in w.drift.steps] in ([], [-2.889]) or abs(w.drift.steps[0].seconds + 2.889) < 1e-3
    assert said == []
