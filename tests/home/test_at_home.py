"""Kept awake, closed when nobody may be sitting here, told while hidden: against a desktop's buses of our own."""

import random

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QSettings

from brucke.app.engine.live_engine import LiveEngine
from brucke.app.presence.at_home import AtHome
from brucke.app.presence.goodbye import Goodbye
from brucke.app.recording.take_recorder import TakeRecorder
from brucke.app.session.session import Session
from brucke.app.sound_server.desktop import Desktop
from brucke.core.document.setup import OF_THIS_COMPUTER
from brucke.core.edits.route_edits import change_device
from brucke.demo.make_setup import nightboat
from brucke.engine.step.live import doors, open_doors, with_door
from brucke.home.bus import Bus
from brucke.home.tray_host import TrayHost
from brucke.rehearse import equipment
from brucke.words.at_home import CHOICES

from ..ui.conftest import wait
from .desktop_bus import DesktopBus, can_be

CALL, STREAM = "lounge_call", "shore_stream"


@pytest.fixture
def bus(monkeypatch):
    if not can_be():
        pytest.skip("no desktop's bus can be made on this computer")
    bus = DesktopBus()
    bus.offer()
    for name, value in bus.env.items():
        monkeypatch.setenv(name, value)
    yield bus
    bus.end()


class House:
    """Everything at home but the window; the engine only says that it runs."""

    def __init__(self, folder):
        self.session = Session(equipment)
        here = nightboat()
        for device in (CALL, STREAM):
            here = change_device(here, here.listener(device).device, card=OF_THIS_COMPUTER)
        self.session.replace(here)
        self.running = LiveEngine(self.session)
        self.running.state = "running"
        self.taking = TakeRecorder(self.session, self.running)
        self.desktop = Desktop(self.session)
        settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
        self.own, self.system = Bus("session"), Bus("system")
        self.home = AtHome(self.session, self.running, self.taking, self.desktop, settings, self.own, self.system)
        self.goodbye = Goodbye(self.session, self.running, self.taking)
        self.said = []
        self.session.noticed.connect(lambda text, _tone: self.said.append(text))

    @property
    def open(self):
        return set(open_doors(self.session.setup, self.session.live))

    def hand(self, listener, is_open):
        self.running.set_doors(with_door(self.session.setup, self.session.live, listener, is_open))

    def end(self):
        self.home.end()
        self.own.end()
        self.system.end()


@pytest.fixture
def house(bus, data_home, app):
    house = House(data_home)
    yield house
    house.end()


def test_what_is_open_or_recorded_keeps_the_computer_awake_and_says_why(house, bus):
    house.home.tick()
    delays = [h for h in bus.do("held")["login"] if h["mode"] == "block"]
    assert delays == [], "nobody is open yet"
    assert "may go to sleep" in house.home.awake_text
    house.hand(CALL, True)
    house.home.tick()
    wait(lambda: house.home.awake.kept and not house.home.awake.asked, 5)
    held = bus.do("held")
    assert [h for h in held["login"] if h["mode"] == "block"] == [
        {"what": "sleep:idle", "who": "Brucke", "why": "Lounge call hears you", "mode": "block"}
    ]
    assert held["saver"] == ["Brucke: Lounge call hears you"]
    assert house.home.awake_text == "Kept awake: Lounge call hears you."
    house.hand(CALL, False)
    house.home.tick()
    wait(lambda: not [h for h in bus.do("held")["login"] if h["mode"] == "block"], 5)
    wait(lambda: not bus.do("held")["saver"], 5)
    assert not house.home.awake.kept


def test_where_nobody_keeps_it_awake_that_is_said(data_home, app, monkeypatch):
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", f"unix:path={data_home}/none")
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", f"unix:path={data_home}/none")
    house = House(data_home)
    assert not house.own.there
    assert not TrayHost(house.own).there
    house.hand(CALL, True)
    house.home.hidden = True
    house.home.tick()
    assert house.home.awake_text.startswith("Nothing on this desktop keeps it awake, though Lounge call hears you.")
    house.home.say_hidden("nobody hears you")
    for _time in range(20):
        house.hand(CALL, False)
        house.home.tick()
        assert house.home.sleep_ahead == ""
        house.hand(CALL, True)
        house.home.tick()
        assert house.home.sleep_ahead.startswith("Nothing on this desktop keeps it awake")
    house.end()


def test_sleep_closes_everyone_before_it_comes_and_waking_opens_nobody(house, bus):
    wait(lambda: [h["mode"] for h in bus.do("held")["login"]] == ["delay"], 5)
    house.hand(CALL, True)
    bus.do("sleep", on=True)
    wait(lambda: not house.open, 5)
    house.home.tick()
    wait(lambda: not [h for h in bus.do("held")["login"] if h["mode"] == "delay"], 5)
    assert "The computer goes to sleep: they hear you no longer." in house.said
    bus.do("sleep", on=False)
    wait(lambda: [h["mode"] for h in bus.do("held")["login"]] == ["delay"], 5)
    assert not house.open


def test_a_sleep_that_only_the_clocks_saw_does_what_was_chosen_and_is_no_trouble_to_who_sees_the_window(house):
    house.home.choose("woke", "stops")
    house.hand(CALL, True)
    house.running.slept.emit()
    assert not house.open
    assert house.said == [
        "The computer goes to sleep: they hear you no longer.", "The computer slept: the sound was stopped."
    ]  # fmt: skip
    house.home.tick()
    assert house.home.trouble == ""
    house.home.hidden = True
    house.running.slept.emit()
    house.home.tick()
    assert house.home.trouble == "The computer slept"


def test_a_lock_and_another_users_turn_do_what_was_chosen(house, bus):
    wait(lambda: house.home.presence.knows_session, 5)
    house.hand(CALL, True)
    bus.do("lock", on=True)
    bus.do("save", on=True)
    bus.do("lock", on=False)
    bus.do("active", on=False)
    wait(lambda: not house.open, 5)
    assert house.said == ["Another user's session is in front: they hear you no longer."], (
        "a lock goes on, where nothing was chosen"
    )
    bus.do("active", on=True)
    house.home.choose("locked", "stops")
    house.hand(STREAM, True)
    bus.do("lock", on=True)
    wait(lambda: not house.open, 5)
    assert house.said[-1] == "The session was locked: they hear you no longer and the sound was stopped."


def test_what_matters_while_hidden_is_told_once_with_its_action(house, bus, monkeypatch):
    monkeypatch.setattr("brucke.app.presence.at_home.MISSED_S", 0.0)
    home, session = house.home, house.session
    missing = session.setup.devices[0]
    session.see(replace(session.facts, missing=(missing.id,)))
    home.tick()
    home.hidden = True
    for _ in range(5):
        home.tick()
    assert bus.do("all") == [], "who saw the window has seen it"
    home.seen()
    session.see(replace(session.facts, missing=()))
    home.tick()
    home.hidden = True
    session.see(replace(session.facts, missing=(missing.id,)))
    for _ in range(5):
        home.tick()
    wait(lambda: len(bus.do("all")) == 1, 5)
    (shown,) = bus.do("all")
    assert shown["title"] == f"{missing.name} is not there"
    assert shown["actions"] == ["default", "Show", "act", "Show"]
    assert shown["hints"]["desktop-entry"] == "org.brucke.Brucke"
    asked = []
    home.asked.connect(asked.append)
    bus.do("press", title=missing.name)
    wait(lambda: asked == ["show"], 5)
    session.see(replace(session.facts, missing=()))
    home.tick()
    wait(lambda: not bus.do("shown"), 5)


def test_nobody_hears_you_is_told_and_one_press_closes(house, bus, monkeypatch):
    from types import SimpleNamespace

    home, desktop = house.home, house.desktop
    monkeypatch.setattr("brucke.app.sound_server.lost_consumers.QUIET_S", 0.05)
    house.hand(CALL, True)
    home.hidden = True
    desktop.microphones.of = {CALL: (SimpleNamespace(program="<b>Call</b> & program", flows=True),)}
    home.tick()
    desktop.microphones.of = {CALL: (SimpleNamespace(program="<b>Call</b> & program", flows=False),)}

    def told():
        home.tick()
        return bus.do("shown")

    wait(told, 5)
    assert told()[0]["title"].startswith("Nobody hears you in Lounge call since ")
    assert told()[0]["actions"][1] == "Let Lounge call hear no longer"
    bus.do("press", title="Nobody")
    wait(lambda: not house.open, 5)


def test_a_program_that_ends_at_the_bus_ends_nothing_here(house, bus):
    house.hand(CALL, True)
    house.home.tick()
    wait(lambda: house.home.awake.kept, 5)
    bus.end()
    house.home.hidden = True
    wait(lambda: not house.own.there, 5)
    house.session.see(replace(house.session.facts, missing=("table",)))
    for _ in range(3):
        house.home.tick()
    assert house.open == {CALL}


EVENTS = ("login", "lock", "unlock", "left", "came", "sleeps", "woke", "slept", "crash", "unplug", "plug", "moved",
    "restart",
          "open", "open", "open", "close", "f9", "goodbye", "stop", "document", "seen", "silence")  # fmt: skip


@pytest.mark.parametrize("seed", range(8))
def test_nothing_is_ever_open_that_no_hand_opened_since(seed, data_home, app, monkeypatch):
    """25 sequences a seed, 200 in all. The model knows hands and what closes; the house may have no more open than it
    has."""
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", f"unix:path={data_home}/none")
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", f"unix:path={data_home}/none")
    dice = random.Random(seed)
    opened = 0
    for _ in range(25):
        house, by_hand = House(data_home), set()
        choices = {e: dice.choice(c) for e, c in CHOICES.items()}
        for event, choice in choices.items():
            house.home.choose(event, choice)
        for event in dice.choices(EVENTS, k=30):
            presence, session, running = house.home.presence, house.session, house.running
            closes = choices.get({"lock": "locked", "left": "left", "moved": "moved"}.get(event, ""), "goes_on")
            match event:
                case "login" | "crash":
                    house.end()
                    house, by_hand = House(data_home), set()
                case "lock" | "unlock":
                    for locked in (False, event == "lock"):
                        presence._see_locked(locked)
                case "left" | "came":
                    for away in (False, event == "left"):
                        presence._see_away(away)
                case "sleeps" | "woke":
                    getattr(presence, event).emit()
                case "slept":
                    running.slept.emit()
                case "moved":
                    house.desktop.moved.emit("table")
                case "unplug" | "plug":
                    gone = ("table",) if event == "unplug" else ()
                    session.see(replace(session.facts, missing=gone))
                case "restart":
                    running.restarted.emit()
                case "open" | "close":
                    listener = dice.choice(doors(session.setup))
                    house.hand(listener, event == "open")
                    by_hand = by_hand | {listener} if event == "open" else by_hand - {listener}
                case "f9":
                    on = not session.live.on_air
                    by_hand = {*doors(session.setup)} - session.live.shut if on else set()
                    running.set_on_air(on)
                case "goodbye":
                    house.goodbye._end()
                case "stop":
                    running.stop()
                    running.state = "running"
                    running.set_on_air(False)
                case "document":
                    session.replace(session.setup)
                case "silence":
                    session.set_live(replace(session.live, silent=not session.live.silent))
                case "seen":
                    house.home.seen()
            if event in ("sleeps", "slept", "goodbye", "stop", "document") or closes != "goes_on":
                by_hand = set()
            running.state = "running"
            house.home.tick()
            assert house.open <= by_hand, (event, house.open, by_hand)
            opened += len(house.open)
        house.end()
    assert opened > 100, "something was open at times"
