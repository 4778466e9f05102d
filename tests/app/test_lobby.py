"""Two of the processes that look for other computers, on one computer."""

import time

import pytest

from brucke.app.network.lobby_process import LobbyProcess
from brucke.core.network.socket_address import parse_socket_address
from brucke.ports.network.lobby_messages import AskingEnded, LookAt, Neighbours


def heard(lobby, met, seconds=20):
    """The first thing told of which `met` is true."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        while lobby.told:
            said = lobby.told.popleft()
            if met(said):
                return said
        time.sleep(0.02)
    pytest.fail("it was not told")


def test_another_computer_is_found_by_the_place_that_it_shows(tmp_path):
    desk, stage = LobbyProcess(tmp_path / "desk", "Desk"), LobbyProcess(tmp_path / "stage", "Stage")
    try:
        here = {x: heard(x, lambda s: isinstance(s, Neighbours) and s.here).here[0] for x in (desk, stage)}
        port = {x: parse_socket_address(place)[1] for x, place in here.items()}
        desk.say(LookAt(address="127.0.0.1", port=port[stage]))
        found = heard(desk, lambda s: isinstance(s, Neighbours) and any(n.address == "127.0.0.1" for n in s.found))
        assert [(n.name, n.known) for n in found.found] == [("Stage", False)]
        desk.say(LookAt(address="127.0.0.1", port=port[desk]))
        assert heard(desk, lambda s: isinstance(s, AskingEnded)).why == "itself"
    finally:
        for lobby in (desk, stage):
            lobby.end()
    end = time.monotonic() + 10
    while stage.alive and time.monotonic() < end:
        time.sleep(0.02)
    again = LobbyProcess(tmp_path / "desk", "Desk")
    try:
        again.say(LookAt(address="127.0.0.1", port=port[stage]))
        ended = heard(again, lambda s: isinstance(s, AskingEnded))
        assert (ended.id, ended.name, ended.why) == ("", f"127.0.0.1:{port[stage]}", "gone")
    finally:
        again.end()
