"""A foot switch and OSC against a running engine, from outside and for real: a pseudo terminal in place of the kernel's
raw device, python-osc's client. The window's thread is blocked meanwhile: nothing here lets it go on."""

import socket
import time

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QSettings
from pythonosc.udp_client import SimpleUDPClient

from brucke.app.control.control_inputs import PORT, ControlInputs
from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.core.control.bindings import Binding
from brucke.core.routing.person import own_microphone
from brucke.demo import SETUP
from brucke.engine.processes.region import Head
from brucke.engine.step.live import moment_key
from brucke.engine.step.safety import Word
from brucke.rehearse import equipment

from ..home.desktop_bus import DesktopBus, can_be
from ..stolen import lost_s

pytestmark = pytest.mark.live
AT_ONCE_S = 0.030  # 2 blocks + 20 ms, and 5 ms for the message


def until(app, met, seconds=30):
    end = time.monotonic() + seconds
    while not met():
        app.processEvents()
        time.sleep(0.005)
        assert time.monotonic() < end


def blocked_until(met, seconds=2.0):
    """Seconds until something is so, while the window's thread does nothing else."""
    began = time.monotonic()
    while not met() and time.monotonic() - began < seconds:
        time.sleep(0.0005)
    return time.monotonic() - began


@pytest.fixture
def studio(app, tmp_path, data_home):
    session = Session(equipment)
    session.open(SETUP)
    studio = Studio(session, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    studio.running.start(play=True)
    until(app, lambda: studio.running.state == "running" and studio.running.out_peaks.max() > 0.01, 60)
    yield studio
    studio.end()


def test_osc_mutes_silences_and_calls_moments_up_while_the_window_hangs(app, studio):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    controls, session, region = studio.controls, studio.session, studio.running.link.region
    controls.switch_osc(True, port=port)
    until(app, lambda: controls.osc_port == port)
    client, words = SimpleUDPClient("127.0.0.1", port), region.safety.words
    for value in (1, 1, 0, 0, 0):
        client.send_message("/brucke/open", value)
        until(app, lambda: controls._queue.empty())
    blocked_until(lambda: False, 0.2)
    until(app, lambda: not session.live.on_air)
    blocked_until(lambda: False, 0.2)
    until(app, lambda: True)
    assert not session.live.on_air, "closed, however often it is asked for"
    mine = own_microphone(session.setup)
    row = next(i for i, p in enumerate(session.setup.parts) if p.id == mine.id)
    took, lost = [], lost_s()
    for address, value, met in (
        ("/brucke/silence", 1, lambda: words[Word.SILENT] == 1),
        ("/brucke/mute", 1, lambda: region.safety.muted[row] != 0),
        ("/brucke/moment", 2, lambda: words[Word.MOMENT] == moment_key(session.setup.moments[1].id)),
        ("/brucke/mute", 0, lambda: region.safety.muted[row] == 0),
    ):
        client.send_message(address, value)
        took.append(blocked_until(met))
    assert max(took) < AT_ONCE_S + lost_s() - lost, took
    blocked_until(lambda: False, 0.1)
    newest = region.get(Head.RECORDED) % region.sound("record_ring").shape[1]
    ring = np.roll(region.sound("record_ring"), -newest, axis=1)
    first = ring.shape[0] - len(session.setup.listeners) * studio.running.link.shape.channels
    assert not ring[first:, -512:].any(), "and it is heard: nobody gets anything"
    assert not session.live.silent, "the window's thread knows nothing of it yet"
    until(app, lambda: session.live.silent)
    assert session.live.moment == session.setup.moments[1].id
    assert mine.id not in session.live.muted
    assert words[Word.SILENT] == 1, "and what it tells from now on says the same"
    session.set_live(replace(session.live, silent=False))
    assert words[Word.SILENT] == 0


def test_ten_thousand_messages_and_strangers_change_nothing_that_was_not_asked_for(app, studio):
    controls, session = studio.controls, studio.session
    controls.switch_osc(True, port=0)
    until(app, lambda: controls.osc_port)
    client, before = SimpleUDPClient("127.0.0.1", controls.osc_port), session.live
    raw = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    began = time.monotonic()
    for k in range(10_000):
        client.send_message(("/brucke/mute", "/brucke/moment", "/x", "/brucke/silence")[k % 4], ("no", 2.5, k)[k % 3])
        if k % 100 == 0:
            raw.sendto(bytes([k % 256]) * (k % 1400), ("127.0.0.1", controls.osc_port))
    raw.close()
    until(app, lambda: time.monotonic() - began > 2.0)
    assert replace(session.live, silent=False, muted=frozenset()) == replace(before, silent=False, muted=frozenset())
    for _ in range(2000):  # asked for again and again while the window hangs: the last one counts
        client.send_message("/brucke/silence", 1)
    client.send_message("/brucke/silence", 0)
    client.send_message("/brucke/silence", 1)
    blocked_until(lambda: False, 1.0)
    until(app, lambda: session.live.silent, 5)
    controls.switch_osc(True, allowed="192.0.2.7", port=0)  # nobody of this computer (RFC 5737)
    until(app, lambda: controls.osc_port not in (0, client._port))
    SimpleUDPClient("127.0.0.1", controls.osc_port).send_message("/brucke/silence", 0)
    until(app, lambda: True)
    blocked_until(lambda: False, 0.5)
    until(app, lambda: True)
    assert session.live.silent, "a stranger is not listened to"


def test_a_foot_switch_is_learned_obeys_while_the_window_hangs_lights_its_lamp_and_may_vanish_while_held(
    app, studio, foot_switch
):
    controls, session = studio.controls, studio.session
    safety = studio.running.link.region.safety
    learned, said, pedal = [], [], foot_switch()
    session.noticed.connect(lambda text, tone: said.append(text))
    controls.heard.connect(learned.append)
    controls.switch_midi(True)
    until(app, lambda: any("feet" in name for name in controls.ports))
    controls.learns = True
    pedal.send([0xB0, 64, 127])
    until(app, lambda: learned)
    controls.learns = False
    assert learned == ["controller 1 64"]
    controls.bind((Binding(control=learned[0], act="mute_me"), Binding(control="note 1 60", act="silence")))
    mine = own_microphone(session.setup)
    row = next(i for i, p in enumerate(session.setup.parts) if p.id == mine.id)
    blocked_until(lambda: False, 0.1)
    lost, took = lost_s(), []
    for message, met in (
        ([0xB0, 64, 127], lambda: safety.muted[row] != 0),
        ([0xB0, 64, 0], lambda: safety.muted[row] == 0),
        ([0x90, 60, 100], lambda: safety.words[Word.SILENT] == 1),
    ):
        pedal.send(message)
        took.append(blocked_until(met))
        blocked_until(lambda: False, 0.5)  # held for longer than a tap
    assert max(took) < AT_ONCE_S + lost_s() - lost, took
    until(app, lambda: session.live.silent)
    until(app, lambda: [0x90, 60, 127] in pedal.lamps, 5)
    pedal.send([0x90, 60, 0], [0xB0, 64, 127])
    until(app, lambda: mine.id in session.live.muted)
    pedal.unplug()
    until(app, lambda: any("has gone while its pedal was held" in text for text in said))
    assert mine.id in session.live.muted, "nobody hears what was not meant for them"
    again = foot_switch()
    until(app, lambda: any("feet" in name for name in controls.ports))
    until(app, lambda: [0xB0, 64, 127] in again.lamps, 5)
    for _ in range(100):
        again.send(*[[0x90, 60, 100], [0x90, 60, 0]] * 30)  # a flood of one key
    blocked_until(lambda: False, 1.0)
    until(app, lambda: True)
    assert studio.running.state == "running"


@pytest.fixture
def bus(monkeypatch):
    if not can_be():
        pytest.skip("no such desktop on this computer")
    bus = DesktopBus()
    for name, value in bus.env.items():
        monkeypatch.setenv(name, value)
    yield bus
    bus.end()


def test_keys_of_the_desktop_obey_while_the_window_hangs_and_a_desktop_without_them_says_so(app, studio, bus):
    """The portal's interface (xdg-desktop-portal, GlobalShortcuts version 1; from memory), by a stand-in on a bus of
    our own."""
    controls, session = studio.controls, studio.session
    safety = studio.running.link.region.safety
    controls.switch_portal(True)
    until(app, lambda: controls.portal_state == "none")
    controls.switch_portal(False)
    bus.offer("portal-no")
    controls.switch_portal(True)
    until(app, lambda: controls.portal_state == "refused")
    bus.offer("portal")
    controls.switch_portal(True)
    until(app, lambda: controls.portal_state == "listening")
    assert "CTRL+ALT+m" in controls.portal_keys
    assert dict(bus.do("bound"))["silence"]["description"]
    took, lost = [], lost_s()
    for down, met in ((True, 1), (False, 1), (True, 0)):
        bus.do("key", id="silence", down=down)
        took.append(blocked_until(lambda met=met: safety.words[Word.SILENT] == met))
    assert max(took) < AT_ONCE_S + lost_s() - lost, took
    bus.do("key", id="mute_me", down=True)
    mine = own_microphone(session.setup)
    until(app, lambda: mine.id in session.live.muted)
    time.sleep(0.5)
    bus.do("key", id="mute_me", down=False)
    until(app, lambda: mine.id not in session.live.muted)
    bus.withdraw()
    until(app, lambda: controls.portal_state == "gone")
    assert studio.running.state == "running"


def test_what_listens_and_ends_again_and_again_is_said(app, tmp_path, data_home, monkeypatch):
    session, said = Session(equipment), []
    session.open(SETUP)
    session.noticed.connect(lambda text, _tone: said.append(text))
    studio = Studio(session, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    monkeypatch.setattr("sys.executable", "/bin/false")
    studio.controls.switch_midi(True)
    until(app, lambda: any(text.startswith("MIDI cannot be listened to") for text in said))
    studio.end()


def test_nothing_listens_until_it_is_switched_on(app, tmp_path, data_home):
    session = Session(equipment)
    session.open(SETUP)
    studio = Studio(session, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    controls = studio.controls
    assert isinstance(controls, ControlInputs)
    for kept, port in (("9001", 9001), ("99999", PORT), ("-1", PORT), ("nine", PORT), ("²", PORT)):
        controls.settings.setValue("control/osc_port", kept)
        assert controls.wanted_port == port
    assert (controls.midi, controls.osc, controls.ports, controls.osc_port) == (False, False, (), 0)
    studio.end()
