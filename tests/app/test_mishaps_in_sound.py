"""What goes wrong and is found in the sound itself: howls, the song in a microphone, clocks that run apart."""

from types import SimpleNamespace

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace
from scipy import signal

from brucke.app.measuring.clock_watch import SLID_S, Watched
from brucke.core.knowledge.evidence import Measurement
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.measure.live_drift import so_far
from brucke.core.timing.make_evidence import now as date
from brucke.demo import FOLDER
from brucke.ports.sounds.files import mono

from .played_hour import Hour


class Kept:
    """A link whose newest sound of any part is `sound`."""

    shape = SimpleNamespace(rate=48000)

    def __init__(self):
        self.sound = np.zeros(48000, np.float32)

    def track_rows(self, parts, _listeners):
        return {parts[0][0]: [parts[0][1]]}

    def newest(self, _rows, seconds):
        return self.sound[None, -round(seconds * 48000) :]


def with_loudspeaker(setup):
    """The first monitor is a loudspeaker two metres away, which the microphones hear."""
    listeners = tuple(replace(x, air_m=2.0) if x.kind == "monitor" else x for x in setup.listeners)
    return replace(setup, listeners=listeners)


def test_a_howl_is_said_and_holds_only_ones_own_loudspeaker_down_and_a_song_is_none(nightboat, tmp_path, monkeypatch):
    hour = Hour(with_loudspeaker(nightboat), tmp_path, monkeypatch)
    hour.running.link = kept = Kept()
    t, rng = np.arange(48000) / 48000, np.random.default_rng(8)
    for name in ("voice", "cello", "harp"):
        sound = mono(sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)[0].T)
        for begin in range(0, len(sound) - 48000, 24000):
            kept.sound = sound[begin : begin + 48000]
            hour.run(0.2)
    assert hour.said == [], "notes that are held and swell are none"
    for k in range(20):
        hz = rng.uniform(300, 6000)
        growing = 10 ** ((-45 + 30 * t) / 20) * np.sin(2 * np.pi * hz * t)
        kept.sound = (growing + 0.001 * rng.standard_normal(48000)).astype(np.float32)
        hour.run(0.4)
        text, holds = hour.said[-1]
        assert len(hour.said) == k + 1
        assert float(text.split(" Hz")[0].split()[-1]) == pytest.approx(hz, abs=12)
        assert holds()
        assert hour.session.live.dimmed
        kept.sound = np.zeros(48000, np.float32)
        hour.run(6.0)
        assert not hour.session.live.dimmed
        assert not holds()
        hour.run(60.0)


class Leaks(Kept):
    """The song, and a microphone that may pick it up, as far as the hour has come."""

    def __init__(self, hour, song, mic):
        super().__init__()
        self.hour, self.song, self.mic, self.order = hour, song, mic, {}

    def track_rows(self, parts, _listeners):
        return {f"parts/{id}": [i] for i, (id, _at, _n) in enumerate(parts)}

    def newest(self, _rows, seconds):
        end = round((self.hour.now - self.hour.began) * 48000)
        return np.stack([x[max(0, end - round(seconds * 48000)) : end] for x in (self.song, self.mic)])


def test_the_song_in_the_microphone_is_said_within_a_second_and_never_where_one_plays_along(hour, monkeypatch):
    monkeypatch.setattr("tests.app.played_hour.STEP_S", 0.05)
    songs = {
        name: mono(sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)[0].T)
        for name in ("harp", "cello", "voice")
    }
    hour.loud("harp", -20)
    hour.loud("voice", -20)
    rng = np.random.default_rng(3)
    for song, along in (("harp", "voice"), ("harp", "cello"), ("cello", "voice"), ("cello", "harp")):
        hour.began = hour.now - 1.0
        hour.running.link = Leaks(hour, songs[song], songs[along])
        hour.run(48)
    assert hour.said == [], "who plays exactly along is nobody's leak"
    room = np.concatenate([[1.0], 0.05 * rng.standard_normal(4000) * np.exp(-np.arange(4000) / 1500)])
    for number in range(1, 21):
        song = songs["harp"][rng.integers(12, 30) * 48000 :]
        late, begins = int(rng.integers(400, 4000)), 3 * 48000
        leak = 0.1 * signal.fftconvolve(song, room)[: len(song)]
        mic = 0.0005 * rng.standard_normal(len(song))
        stretch = slice(begins, begins + 4 * 48000)
        mic[stretch] += leak[begins - late : begins - late + 4 * 48000]
        hour.running.link = Leaks(hour, song.astype(np.float32), mic.astype(np.float32))
        hour.began = hour.now - 1.0
        hour.run(2.0)
        assert len(hour.said) == number - 1
        hour.run(1.0)
        text, holds = hour.said[-1]
        assert len(hour.said) == number, "within a second"
        assert float(text.split(" ms late")[0].split()[-1]) == pytest.approx(late / 48, abs=0.6)
        assert holds()
        hour.run(6.0)
        assert not holds()
        hour.running.link = None
        hour.run(60)


@pytest.mark.parametrize("seed", range(20))
def test_what_has_slid_out_of_step_is_said_within_a_second_of_that(hour, seed):
    """Looked at every five seconds, each look wrong by 20 µs. From the first minute on it is said between two looks,
    and it is gone once that is measured anew."""
    rng = np.random.default_rng(seed)
    ppm = float(rng.choice([-1, 1]) * rng.uniform(30, 150))
    pair, began = ("listeners/lounge_call", "parts/lounge"), hour.now
    w = hour.clocks.of[pair] = Watched(found_at=began)
    hour.clocks._began = began
    times = []

    def look(i):
        t = hour.now - began
        if i % 50 == 49:
            w.times_s.append(t)
            w.lags_s.append(0.31 + ppm * 1e-6 * t + 2e-5 * rng.standard_normal())
            w.drift, w.found_at = so_far(np.array(w.times_s), np.array(w.lags_s), 48000), hour.now
        times.append((t, len(hour.said)))

    out_s = SLID_S / abs(ppm * 1e-6)
    hour.run(out_s + 1.0, look)
    ((text, holds),) = hour.said
    assert ("and comes later" if ppm > 0 else "and comes sooner") in text
    assert next(t for t, said in times if said) > out_s - 2.0, "never long before"
    assert holds()
    setup = hour.session.setup
    table = next(ROUND_TRIP.subjects(setup))
    hour.session.learn(hour.session.knowledge.with_measurement(Measurement(
        key=ROUND_TRIP.key(*table), value_s=0.01, plus_minus_s=1e-5, date=date(), method="sweep", repeats=3, agreeing=3,
        fingerprint=ROUND_TRIP.fingerprint(setup, *table),
    )))  # fmt: skip
    hour.run(1.0)
    assert not holds()
