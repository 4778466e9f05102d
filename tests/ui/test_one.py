"""A second start: the first comes to the front with its file; nothing that anybody sends to it can hurt it."""

import contextlib
import socket
import subprocess
import sys
import threading

import pytest

from brucke.app.presence.single_instance import SingleInstance, hand_over
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.demo.make_setup import nightboat

from .conftest import wait


@pytest.fixture
def place(tmp_path, monkeypatch, app):
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    (tmp_path / "brucke").mkdir()
    return str(tmp_path / "brucke" / "one.socket")


def test_a_second_start_hands_its_file_over_and_ends(window, place, tmp_path):
    from msgspec.structs import replace

    w, one = window, SingleInstance(place)
    one.asked.connect(w.asked_for)
    file = tmp_path / "harbour.brucke.json"
    save(file, replace(nightboat(), name="Harbour", parts=(), routes=(), moments=()), Knowledge())
    second = subprocess.Popen([sys.executable, "-m", "brucke", "open", str(file)], stderr=subprocess.PIPE, text=True)
    wait(lambda: second.poll() is not None, 30)
    assert second.returncode == 0
    assert second.stderr.read() == "brucke: it runs already, and has been asked to the front\n"
    wait(lambda: w.session.setup.name == "Harbour", 5)
    w.session.set_live(replace(w.session.live, on_air=True))
    w.asked_for(tmp_path / "other.brucke.json")
    assert "no other setup is opened." in w.notice.words.text()
    w.session.set_live(replace(w.session.live, on_air=False))
    w.asked_for(tmp_path / "gone.brucke.json")
    assert "Not opened." in w.notice.words.text()
    assert w.session.setup.name == "Harbour"
    one.close()
    assert not hand_over(None, place), "nobody is there any more"


def test_one_that_ended_without_a_word_is_no_hindrance(place):
    left = socket.socket(socket.AF_UNIX)
    left.bind(place)
    left.close()
    assert not hand_over(None, place)
    one = SingleInstance(place)
    assert one.listens
    one.close()


@pytest.mark.parametrize(
    "sent", [b"\n", b"[]\n", b"open a%00b\n", b"\xff\xfe\n", b"[" * 9000 + b"\n", b"x" * 100_000, b"ope"]
)
def test_whatever_is_sent_opens_nothing(place, sent):
    one, asked = SingleInstance(place), []
    one.asked.connect(asked.append)
    stranger = socket.socket(socket.AF_UNIX)
    stranger.connect(place)

    def send():
        with contextlib.suppress(OSError):
            stranger.sendall(sent)

    sending = threading.Thread(target=send)
    sending.start()
    wait(lambda: not sending.is_alive(), 5)
    for _ in range(10):
        wait(lambda: True, 1)
    stranger.close()
    answered = []
    asking = threading.Thread(target=lambda: answered.append(hand_over(None, place)))
    asking.start()
    wait(lambda: not asking.is_alive(), 10)
    assert answered == [True]
    assert asked == [None], "only the last, which is ours"
    one.close()
