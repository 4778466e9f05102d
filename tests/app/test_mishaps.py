"""What goes wrong is said within a second, gone when mended, once a minute at most, never where nothing is wrong."""

from types import SimpleNamespace

import numpy as np
import pytest

from brucke.app.measuring.clock_watch import Watched
from brucke.app.presence.mishaps import LONG_S
from brucke.core.document.setup import Duck, OrderLine
from brucke.core.edits.route_edits import set_duck
from brucke.ports.devices.computer import battery_percent

from ..desktop_server import setup_here
from .played_hour import Hour


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


def test_the_song_in_the_microphone_a_disk_that_fills_and_a_battery(hour, tmp_path, monkeypatch):
    watched = Watched(lags_s=[0.011], found_at=hour.now)
    hour.clocks.of = {("parts/harp", "parts/voice"): watched}
    hour.run(2.0)
    assert hour.said == [], "once may be an accident"
    for lags in ([0.011, 0.025], [0.821, 0.8211]):
        watched.lags_s, watched.found_at = lags, hour.now
        hour.run(1.0)
        assert hour.said == [], "a tune that is played along, and a way that no microphone has"
    watched.lags_s = [0.011]
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


def test_in_twenty_hours_where_nothing_happens_nothing_is_said(nightboat, tmp_path, monkeypatch):
    hour = Hour(nightboat, tmp_path, monkeypatch)
    rng = np.random.default_rng(5)
    levels = rng.uniform(-60, -6, (1000, len(nightboat.parts)))
    monkeypatch.setattr("tests.app.played_hour.STEP_S", 0.25)

    def play(i):
        hour.running.part_peaks[:] = 10 ** (levels[i % 1000, :, None] / 20)
        if i % 400 == 0:
            hour.live(moment="talk" if i % 800 else "sing", on_air=i % 1600 > 0)

    hour.run(20 * 3600, play)
    assert hour.said == []


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
