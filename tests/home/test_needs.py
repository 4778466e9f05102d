"""What a command needs of a computer without a display, in one line, and nothing else fails for want of it."""

import os
import subprocess
import sys

import pytest


@pytest.mark.parametrize(
    ("display", "said"),
    [
        ("", "the window needs a display, and there is none"),
        (":4711", "the window needs a display, and :4711 does not answer"),
    ],
)
def test_a_window_without_a_display_says_what_it_needs(display, said, data_home):
    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    env |= {"DISPLAY": display} if display else {}
    for command in ([], ["demo"], ["login"]):
        ended = subprocess.run([sys.executable, "-m", "brucke", *command], env=env, capture_output=True, text=True)
        assert ended.returncode == 2
        assert ended.stderr.startswith(f"brucke: {said}")
        assert "./run makes a virtual one" in ended.stderr
        assert ended.stderr.count("\n") == 1


def test_the_card_is_written_without_a_display(data_home):
    from brucke.demo import SETUP

    command = [sys.executable, "-m", "brucke", "card", str(SETUP)]
    ended = subprocess.run(command, capture_output=True, text=True)
    assert ended.returncode == 0
    assert "5. Use a wire" in ended.stdout
    assert subprocess.run([*command, "--listener", "nobody"], capture_output=True).returncode == 2
