"""“Two computers” in the window, the process that looks for others played by the test: what is asked and said."""

from collections import deque
from typing import ClassVar

import pytest
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from brucke.app.network import two_computers as module
from brucke.app.network.peer_session import shown
from brucke.core.network.control_messages import FarStage, Offer, Offered
from brucke.ports.network.lobby_messages import (
    AgreeingEnded,
    Answer,
    Asked,
    AskingEnded,
    AskToAgree,
    AskToOpen,
    LookAt,
    Neighbour,
    Neighbours,
    ShowCode,
    Trouble,
    TypeCode,
    WantCode,
)

from .conftest import press

STAGE = Neighbour(id="5" * 32, name="Stage", address="10.0.0.2")


class Lobby:
    made: ClassVar[list["Lobby"]] = []

    def __init__(self, _folder, name):
        self.told, self.orders, self.alive, self.name = deque(), [], True, name
        self.made.append(self)

    def say(self, order):
        self.orders.append(order)

    def end(self):
        self.alive = False


@pytest.fixture
def two(window, monkeypatch):
    Lobby.made.clear()
    monkeypatch.setattr(module, "LobbyProcess", Lobby)
    assert window.studio.two_computers.lobby is None
    window.do("two_computers")
    QApplication.processEvents()
    yield window, window.tools.shown, Lobby.made[-1]
    window.studio.two_computers.close()


def told(window, lobby, *lines):
    lobby.told.extend(lines)
    window.studio.two_computers.tick()
    QApplication.processEvents()


def texts(dialog):
    from brucke.ui.kit.label import Words

    return " ".join(w.text() for w in dialog.findChildren(Words) if w.isVisible())


def test_four_digits_are_typed_and_go_by_themselves(two):
    window, dialog, lobby = two
    assert "Nobody is found yet" in texts(dialog)
    told(window, lobby, Neighbours(found=(STAGE,)))
    press(dialog.found.buttons[STAGE.id])
    assert lobby.orders[-1] == AskToAgree(id=STAGE.id)
    told(window, lobby, WantCode(name="Stage", tries=3))
    assert "Stage shows four digits" in texts(dialog)
    QTest.keyClicks(dialog.code.field, "12a34")
    assert lobby.orders[-1] == TypeCode(digits="1234")
    assert dialog.code.field.isHidden()
    told(window, lobby, WantCode(name="Stage", tries=1))
    assert "one try is left" in texts(dialog)
    told(window, lobby, AgreeingEnded(why="tries", name="Stage"))
    assert "wrong three times" in texts(dialog)
    assert not dialog.code.isVisible()


def test_two_of_one_name_are_shown_with_their_addresses_and_whoever_asks_is_answered(two):
    window, dialog, lobby = two
    other = Neighbour(id="6" * 32, name="Stage", address="10.0.0.3", known=True)
    told(window, lobby, Neighbours(found=(STAGE, other), agreed=(other,)))
    assert "Stage (10.0.0.2), not known yet" in texts(dialog)
    press(dialog.found.buttons[other.id])
    assert lobby.orders[-1] == AskToOpen(id=other.id)
    told(window, lobby, Asked(id=other.id, name="Stage"))
    press(dialog.asks.buttons[f"no {other.id}"])
    assert lobby.orders[-1] == Answer(id=other.id, yes=False)
    assert not window.studio.two_computers.asks
    told(window, lobby, ShowCode(digits="0471", name="Stage"))
    assert dialog.code.digits.text() == "0 4 7 1"


def test_nothing_looks_for_others_once_the_window_is_closed_and_one_that_cannot_says_why(two):
    window, dialog, lobby = two
    told(window, lobby, Trouble(why="Network is unreachable"))
    assert "cannot be looked for: Network is unreachable" in texts(dialog)
    dialog.reject()
    assert not lobby.alive
    assert window.studio.two_computers.lobby is None
    for _ in range(100):  # one that ends at once is not started again and again
        window.studio.two_computers.open()
        Lobby.made[-1].alive = False
        window.studio.two_computers.tick()
        Lobby.made[-1].alive = False
    assert len(Lobby.made) < 6


def test_a_description_that_is_none_is_one_sentence_and_nothing_is_taken(two, tmp_path, monkeypatch):
    window, dialog, _lobby = two
    (tmp_path / "wrong.sdp").write_bytes(b"\xff\xfe" + bytes(3000))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(tmp_path / "wrong.sdp"), ""))
    before = window.session.setup
    press(dialog.plain.take)
    assert "wrong.sdp is not taken" in dialog.plain.said.text()
    dialog.plain.address.setText("stage.local")
    press(dialog.plain.send)
    assert "no address" in dialog.plain.said.text()
    assert window.session.setup == before
    assert not window.studio.two_computers.sessions


def test_names_from_there_are_made_fit_to_be_shown():
    stage = FarStage(name="a\u202eb\n", seconds=0.001)
    offer = shown(Offer(things=(Offered(key="part:x", name="Pi\x00ano\u2028 \u200b", stages=(stage,)),
                                Offered(key="part:x", name="Twice"), Offered(key="part:y", name="\x01"))))  # fmt: skip
    assert [t.name for t in offer.things] == ["Twice", "y"]
    assert shown(Offer(things=(Offered(key="part:x", name="Pi\x00ano\u2028 x"),))).things[0].name == "Piano x"


def test_where_nobody_is_found_the_place_of_the_other_one_is_typed(two):
    window, dialog, lobby = two
    assert dialog.place.isHidden()
    told(window, lobby, Neighbours(here=("10.0.0.1:4711",)))
    assert "10.0.0.1:4711" in texts(dialog)
    for wrong in ("10.0.0.2", "10.0.0.2:0", "10.0.0.256:9", "224.0.0.1:9", "10.0.0.2:99999999999"):
        dialog.place.setText(wrong)
        dialog.place.returnPressed.emit()
        assert f"“{wrong}” is no place" in texts(dialog)
        assert not any(isinstance(o, LookAt) for o in lobby.orders)
    dialog.place.setText(" 10.0.0.2:4712")
    dialog.place.returnPressed.emit()
    assert lobby.orders[-1] == LookAt(address="10.0.0.2", port=4712)
    assert "10.0.0.2:4712 is looked at" in texts(dialog)
    told(window, lobby, AskingEnded(id="", name="10.0.0.2:4712", why="gone"))
    assert "10.0.0.2:4712 does not answer" in texts(dialog)
    dialog.place.setText("10.0.0.2:4713")
    dialog.place.returnPressed.emit()
    told(window, lobby, Neighbours(found=(STAGE,), here=("10.0.0.1:4711",)))
    assert "looked at" not in texts(dialog)
    assert dialog.found.buttons[STAGE.id].isVisible()
