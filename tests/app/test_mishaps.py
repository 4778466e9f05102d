"""What goes wrong is said within a second, gone when mended, once a minute at most, never where nothing is wrong."""

from concurrent.futures import Future
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication, QSettings
from scipy import signal

from brucke.app.measuring.clock_watch import SLID_S, ClockWatch, Watched
from brucke.app.measuring.leak_watch import LeakWatch
from brucke.app.presence import mishaps
from brucke.app.presence.mishaps import LONG_S, Mishaps, Watches
from brucke.app.session.session import Session
from brucke.core.document.setup import Duck, OrderLine
from brucke.core.edits.route_edits import set_duck
from brucke.core.knowledge.evidence import Measurement
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.measure.live_drift import so_far
from brucke.core.timing.make_evidence import now as date
from brucke.demo import FOLDER
from brucke.ports.devices.computer import battery_percent
from brucke.ports.sounds.files import mono
from brucke.rehearse import equipment

from ..desktop_server import setup_here

STEP_S = 0.1


class Hour:
    """A clock, an engine and a desktop that are played by hand."""

    def __init__(self, setup, tmp_path, monkeypatch):
        QCoreApplication.instance() or QCoreApplication([])
        self.now = 1000.0
        monkeypatch.setattr(mishaps.time, "monotonic", lambda: self.now)  # the leak watch's, too
        self.session = Session(equipment)
        self.session.replace(setup)
        self.running = SimpleNamespace(
            state="running", part_peaks=np.zeros((len(setup.parts), 2)), inputs=SimpleNamespace(clips={}), link=None
        )
        self.clocks, self.order = ClockWatch(self.session, self.running), SimpleNamespace(line=None)
        self.pictures = SimpleNamespace(trouble=lambda _now: ("", 0), part=None)
        radio = SimpleNamespace(changed={})
        self.desktop = SimpleNamespace(consumers={}, radio=radio)
        self.leaks = LeakWatch(self.session, self.running)
        self.leaks._pool = SimpleNamespace(submit=self.at_once)
        self.taking = SimpleNamespace(state="idle", seconds_recorded=0.0)
        settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
        watches = Watches(self.clocks, self.leaks, self.pictures)
        self.it = Mishaps(self.session, self.running, self.desktop, self.taking, watches, self.order, settings)
        self.it._asked_at = 1e9  # this computer's own disk and battery are others
        self.said = []
        self.session.stands.connect(lambda text, _tone, holds: self.said.append((text, holds)))

    def run(self, seconds, each=None):
        for i in range(round(seconds / STEP_S)):
            self.now += STEP_S
            if each is not None:
                each(i)
            self.leaks.tick()
            self.it.tick()

    @staticmethod
    def at_once(do, *given):
        done = Future()
        done.set_result(do(*given))
        return done

    def live(self, **fields):
        self.session.set_live(replace(self.session.live, **fields))

    def loud(self, part, db):
        self.running.part_peaks[[p.id for p in self.session.setup.parts].index(part)] = 10 ** (db / 20)


@pytest.fixture
def hour(nightboat, tmp_path, monkeypatch):
    return Hour(nightboat, tmp_path, monkeypatch)


def test_singing_into_a_muted_microphone(hour):
    hour.loud("voice", -20)
    hour.run(5)
    assert hour.said == [], "it is not muted"
    hour.live(muted=frozenset({"voice"}))
    hour.run(1.0)
    ((text, holds),) = hour.said
    assert text.startswith("Voice is muted, and something comes in")
    assert holds()
    hour.live(muted=frozenset())
    hour.run(0.4)
    assert not holds(), "gone when mended"
    for _again in range(5):
        hour.live(muted=frozenset({"voice"}))
        hour.run(2)
        hour.live(muted=frozenset())
        hour.run(2)
    assert len(hour.said) == 1, "once a minute"
    hour.run(60)
    hour.live(muted=frozenset({"voice"}))
    hour.run(1.0)
    assert len(hour.said) == 2
    hour.live(muted=frozenset({"cello"}))
    hour.run(70)
    assert len(hour.said) == 2, "another one that is muted is meant"


def test_a_cough_or_a_quiet_room_behind_a_mute_is_none_and_silence_is_meant(hour):
    hour.live(muted=frozenset({"voice"}))
    hour.loud("voice", -50)
    hour.run(30)
    for _cough in range(10):
        hour.loud("voice", -10)
        hour.run(0.1)
        hour.loud("voice", -60)
        hour.live(muted=frozenset())
        hour.run(0.4)
        hour.live(muted=frozenset({"voice"}))
        hour.run(5)
    hour.live(silent=True)
    hour.loud("voice", -10)
    hour.run(30)
    assert hour.said == []


def test_an_input_that_clips_and_a_recording_that_was_forgotten(hour):
    hour.running.inputs.clips = {"voice": 3}
    hour.run(5)
    assert hour.said == [], "what had come before is told in Gather"
    hour.running.inputs.clips = {"voice": 4}
    hour.run(0.4)
    ((text, holds),) = hour.said
    assert text.startswith("Voice is too loud at its input")
    hour.run(4)
    assert not holds()
    hour.taking.state, hour.taking.seconds_recorded = "recording", LONG_S + 10
    hour.run(0.4)
    assert hour.said[-1][0].startswith("Recording for 3 h now")
    hour.taking.state = "idle"
    hour.run(0.4)
    assert not hour.said[-1][1]()


def test_a_door_that_leads_to_nobody_and_a_program_that_left(tmp_path, monkeypatch):
    hour = Hour(setup_here(), tmp_path, monkeypatch)
    hour.run(5)
    assert hour.said == [], "nobody was let hear"
    hour.live(on_air=True)
    hour.run(1.0)
    assert [t for t, _h in hour.said] == ["Lounge call is open, and no program has chosen it: nobody hears it there."]
    hour.desktop.consumers = {"lounge": (SimpleNamespace(program="Call Program", flows=True),)}
    hour.run(1.0)
    assert not hour.said[0][1]()
    hour.desktop.consumers = {}
    hour.run(61.0)
    assert hour.said[-1][0].startswith("Call Program has left Lounge call")
    hour.it.switch("nobody", False)
    hour.run(120)
    assert len(hour.said) == 2, "it was switched off"


def test_a_program_that_has_chosen_it_and_takes_no_sound(tmp_path, monkeypatch):
    hour = Hour(setup_here(), tmp_path, monkeypatch)
    hour.live(on_air=True)
    hour.desktop.consumers = {"lounge": (SimpleNamespace(program="Call Program", flows=False),)}
    hour.run(1.0)
    ((text, holds),) = hour.said
    assert text.startswith("Call Program has chosen Lounge call and takes no sound from it")
    hour.desktop.consumers = {"lounge": (SimpleNamespace(program="Call Program", flows=True),)}
    hour.run(0.4)
    assert not holds()


def sings_muted(hour, on):
    hour.loud("voice", -20 if on else -70)
    hour.live(muted=frozenset({"voice"}))


def clips(hour, on):
    if on:
        hour.running.inputs.clips = {"voice": hour.running.inputs.clips.get("voice", 0) + 1}


def open_for_nobody(hour, on):
    hour.live(on_air=True)
    hour.desktop.consumers = {} if on else {"lounge": (SimpleNamespace(program="Call Program", flows=True),)}


def paused(hour, on):
    hour.live(on_air=True)
    hour.desktop.consumers = {"lounge": (SimpleNamespace(program="Call Program", flows=not on),)}


def forgotten(hour, on):
    hour.taking.state, hour.taking.seconds_recorded = ("recording", LONG_S + 1) if on else ("idle", 0.0)


def disk(hour, on):
    hour.taking.state, hour.it.free = "recording", 10**7 if on else 10**12


def battery(hour, on):
    hour.it.battery = 9 if on else 80


def talks_over(hour, on):
    """The song goes on as loud under what is said."""
    hour.live(on_air=True)
    hour.desktop.consumers = {"lounge": (SimpleNamespace(program="Call Program", flows=True),)}
    hour.order.line = OrderLine(kind="talk", name="Between two songs")
    hour.loud("voice", -20)
    hour.loud("song", -18 if on else -90)


def headset(hour, on):
    hour.desktop.radio.changed = {"table": ("a2dp-sink (sbc)", "headset-head-unit (msbc)")} if on else {}


@pytest.mark.parametrize(
    ("mishap", "here"),
    [
        (sings_muted, False), (clips, False), (open_for_nobody, True), (paused, True), (forgotten, False),
        (disk, False), (battery, False), (talks_over, True), (headset, True),
    ],
)  # fmt: skip
def test_each_is_said_within_a_second_and_gone_when_mended_twenty_times_of_twenty(
    mishap, here, nightboat, tmp_path, monkeypatch
):
    hour = Hour(setup_here() if here else nightboat, tmp_path, monkeypatch)
    mishap(hour, False)
    hour.run(3.0)
    for number in range(1, 21):
        mishap(hour, True)
        hour.run(1.0)
        assert len(hour.said) == number
        assert hour.said[-1][1]()
        mishap(hour, False)
        hour.run(4.0)
        assert not hour.said[-1][1]()
        hour.run(60.0)


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


def test_the_song_in_the_microphone_a_disk_that_fills_and_a_battery(hour, tmp_path, monkeypatch):
    watched = Watched(lags_s=[0.011], found_at=hour.now)
    hour.clocks.of = {("parts/harp", "parts/voice"): watched}
    hour.run(2.0)
    assert hour.said == [], "once may be an accident"
    watched.lags_s.append(0.0112)
    watched.found_at = hour.now
    hour.run(1.0)
    assert hour.said[0][0].startswith("Voice picks up harp, 11 ms late")
    hour.run(13.0)
    assert not hour.said[0][1](), "it does not any more"
    hour.it.free, hour.it.battery = 50 * 10**6, 12
    hour.run(0.4)
    assert hour.said[1][0].startswith("The battery is at 12 %")
    hour.taking.state = "recording"
    hour.run(0.4)
    assert hour.said[2][0].startswith("Only 0 min of recording fit")
    supply = tmp_path / "BAT0"
    supply.mkdir()
    for name, text in (("type", "Battery"), ("status", "Discharging"), ("capacity", "14")):
        (supply / name).write_text(text + "\n")
    assert battery_percent(tmp_path) == 14
    (supply / "status").write_text("Charging")
    assert battery_percent(tmp_path) is None


def test_talking_over_music_is_none_where_it_goes_down_or_is_not_heard_or_one_sings(tmp_path, monkeypatch):
    hour = Hour(setup_here(), tmp_path, monkeypatch)
    talks_over(hour, True)
    hour.order.line = OrderLine(kind="song", name="A song")
    hour.run(30)
    hour.order.line = OrderLine(kind="talk", name="Talk")
    hour.session.replace(set_duck(hour.session.setup, "song", "lounge", Duck(under="voice")))
    hour.live(on_air=True)
    hour.run(30)
    hour.session.replace(set_duck(hour.session.setup, "song", "lounge", None))
    hour.live(on_air=True, muted=frozenset({"song"}))
    hour.run(30)
    assert hour.said == []
    hour.live(muted=frozenset())
    hour.run(1.0)
    assert hour.said[0][0].startswith("You talk, and Lounge call hears song as loud as before.")


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
    monkeypatch.setattr("tests.app.test_mishaps.STEP_S", 0.05)
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


def test_in_twenty_hours_where_nothing_happens_nothing_is_said(nightboat, tmp_path, monkeypatch):
    hour = Hour(nightboat, tmp_path, monkeypatch)
    rng = np.random.default_rng(5)
    levels = rng.uniform(-60, -6, (1000, len(nightboat.parts)))
    monkeypatch.setattr("tests.app.test_mishaps.STEP_S", 0.25)

    def play(i):
        hour.running.part_peaks[:] = 10 ** (levels[i % 1000, :, None] / 20)
        if i % 400 == 0:
            hour.live(moment="talk" if i % 800 else "sing", on_air=i % 1600 > 0)

    hour.run(20 * 3600, play)
    assert hour.said == []


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


def test_a_computer_that_may_go_to_sleep_is_said_each_time_once_a_minute(hour):
    ahead = ""
    hour.it.sleep_ahead = lambda: ahead
    for i in range(20):
        hour.run(61.0)
        assert len(hour.said) == i
        ahead = "Nothing on this desktop keeps it awake, though Lounge call hears you."
        hour.run(1.0)
        assert hour.said[-1][0] == ahead
        assert hour.said[-1][1]()
        ahead = ""
        hour.run(0.4)
        assert not hour.said[-1][1]()
        ahead = "Nothing on this desktop keeps it awake, though Lounge call hears you."
        hour.run(1.0)
        ahead = ""
    hour.it.switch("sleep", False)
    ahead = "Nothing on this desktop keeps it awake."
    hour.run(70.0)
    assert len(hour.said) == 20, "switched off"
