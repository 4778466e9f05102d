"""Log in on a desktop of our own: the last setup sounds, closed, and stays so until a hand opens it in the tray.

The tray, its menu and the notifications are spoken with in the desktop's own protocols by a program that is not ours to
import; what the call gets is recorded by the sound server's own recorder.
"""

import shutil
import subprocess
import time

import numpy as np
import pytest

from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.home.autostart import autostart_file, starter, switch

from ..desktop_server import setup_here, tone
from ..home.desktop_bus import can_be
from ..home.session import RUN, Login


@pytest.fixture
def login(desktop):
    if not can_be() or shutil.which("Xvfb") is None:
        pytest.skip("no log-in can be made on this computer")
    login = Login(desktop)
    yield login
    login.end()


def files(folder):
    return {p for p in folder.rglob("*") if p.is_file() and "run" not in p.relative_to(folder).parts}


def peak(desktop):
    listening = desktop.run(
        "timeout",
        "1.5",
        "parec",
        "--raw",
        "--format=float32le",
        "--latency-msec=50",
        "-d",
        "brucke.lounge",
        stdout=subprocess.PIPE,
    )
    sound = listening.communicate()[0]
    return float(np.abs(np.frombuffer(sound[: len(sound) // 4 * 4], np.float32)).max(initial=-1.0))


def test_at_login_the_last_setup_sounds_closed_and_only_a_hand_opens_it(login, desktop, tmp_path):
    before = files(login.home)
    assert login.brucke("install").returncode == 0
    switch(login.homes, True, starter(login.homes))
    assert f'Exec="{login.homes.programs}/brucke" login' in autostart_file(login.homes).read_text()
    save(login.home / "hour.brucke.json", setup_here(), Knowledge())
    login.remember(login.home / "hour.brucke.json")
    singing = desktop.run("pw-play", "--target", "air", str(tone(tmp_path / "voice.wav", 440, 120.0)))

    login.begin()
    login.until(lambda: login.menu().get("Let Lounge call hear", (False,))[0])
    assert "brucke.lounge" in desktop.names("sources")
    assert login.menu()["Let Lounge call hear"] == (True, 0)
    assert login.menu()["Stop"][0]
    closed = login.bus.do("icon")
    assert peak(desktop) == 0.0, "digital silence, whatever is routed"
    said = login.bus.do("tip")
    assert "nobody is let hear" in said
    assert "obody hears you" in said or "Lounge call does not hear you" in said, "who has chosen it is known later"

    login.bus.do("click", text="Let Lounge call hear")
    login.until(lambda: login.menu().get("Let Lounge call hear") == (True, 1))
    login.until(lambda: login.bus.do("icon") != closed)
    wait_for(lambda: peak(desktop) > 0.05)
    login.until(lambda: [h for h in login.bus.do("held")["login"] if h["mode"] == "block"])

    login.kill()
    wait_for(lambda: "brucke.lounge" not in desktop.names("sources"))
    assert not login.bus.do("held")["login"], "nobody keeps the computer awake any more"
    login.begin()
    login.until(lambda: login.bus.do("items") == 2 and login.menu().get("Let Lounge call hear", (False,))[0])
    assert login.menu()["Let Lounge call hear"] == (True, 0), "closed, as it was before"
    assert peak(desktop) == 0.0

    login.bus.do("click", text="Quit")
    login.window.wait(30)
    singing.kill()
    assert login.brucke("uninstall").returncode == 0
    # What the user made, what the sound server keeps for itself, and what pip leaves of a compiler that it asks for.
    own = {"brucke", "hour.brucke.json", "state", ".rustup"}
    assert {p for p in files(login.home) - before if not own & {*p.parts}} == set()


def wait_for(met, seconds=30.0):
    end = time.monotonic() + seconds
    while not met():
        assert time.monotonic() < end, "it did not happen in time"
        time.sleep(0.05)


def test_what_is_gone_damaged_or_never_there_is_said_and_waits(login, desktop):
    """No tray: minimised. The last setup is damaged: an empty page, not a crash. The sound server comes later: it
    joins."""
    switch(login.homes, True, RUN)
    broken = login.home / "hour.brucke.json"
    broken.write_text('{"format": "brucke setup", "version": 99}')
    login.remember(broken)
    login.bus.offer("notes,saver,login")
    login.begin()
    (said,) = login.until(lambda: login.bus.do("all"))
    assert said["title"] == "The last setup was not opened"
    assert "hour.brucke.json" in said["text"]
    second = login.brucke()
    assert second.returncode == 0
    assert "it runs already" in second.stderr
    login.kill()
    save(broken, setup_here(), Knowledge())
    desktop.stop()
    login.begin()
    time.sleep(4.0)
    assert login.window.poll() is None
    desktop.start()
    wait_for(lambda: "brucke.lounge" in desktop.names("sources"))
