"""The hour without a window: stepped through from standard input, every event a line of JSON that any program reads."""

import json
import subprocess
import sys

import pytest

from brucke.demo import SETUP

pytestmark = pytest.mark.live


def test_the_order_is_stepped_through_by_lines_and_what_is_none_changes_nothing(data_home):
    argv = [sys.executable, "-m", "brucke", "live", str(SETUP), "--order", "--json", "--seconds", "20"]
    run = subprocess.Popen(argv, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)

    def until(event):
        for line in run.stdout:
            told = json.loads(line)
            if told["event"] == event:
                return told
        raise AssertionError(f"never {event}")

    def say(line):
        run.stdin.write(line + "\n")
        run.stdin.flush()

    until("up")
    say("next")
    assert until("line")["name"] == "Welcome"
    say("next")
    told = until("line")
    assert (told["at"], told["kind"], told["name"]) == (2, "song", "Slow water")
    say("dance " + "x" * 5000)
    told = until("refused")
    assert told["line"].startswith("dance xxx")
    assert "moment NAME" in told["knows"]
    say("moment Talk")
    assert until("moment")["moment"] == "talk"
    say("mute")
    told = until("mute")
    assert (told["part"], told["on"]) == ("voice", True)
    say("silence")
    assert until("silence")["on"] is True
    say("back")
    assert until("line")["name"] in ("Slow water", "Welcome")
    assert until("done")["blocks"] > 0
    assert run.wait(30) == 0
