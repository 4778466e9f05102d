"""What the tray shows and offers; its mark by shape alone; the entry in the autostart folder."""

import itertools
import os

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from brucke.core.aligning.align import timing
from brucke.core.document.setup import OF_THIS_COMPUTER
from brucke.core.edits.route_edits import change_device
from brucke.core.knowledge.evidence import Facts, Knowledge
from brucke.core.routing.rows import rows_of
from brucke.core.timing.paths import Situation
from brucke.engine.step.live import FADED_DB, Live, doors, muted_now, open_doors, with_door
from brucke.engine.step.plan import compile_plan
from brucke.engine.step.safety import safety_of
from brucke.home.autostart import AutostartError, autostart_file, is_on, switch
from brucke.home.files import Homes
from brucke.ui.paint.mark import paint_mark
from brucke.ui.shell.tray_model import Now, entries, state_of


@pytest.fixture
def here(nightboat):
    for listener in ("lounge_call", "shore_stream"):
        nightboat = change_device(nightboat, nightboat.listener(listener).device, card=OF_THIS_COMPUTER)
    return nightboat


def now(setup, live=None, **given):
    known = timing(Situation(setup, Knowledge(), Facts(), ""))
    return Now(setup, live or Live(), known, given.pop("sounds", True), "nobody hears you", **given)


def test_doors_open_one_by_one_and_the_last_that_closes_is_the_one_that_opens_again(here):
    assert doors(here) == ("lounge_call", "shore_stream")
    live = with_door(here, Live(), "shore_stream", True)
    assert open_doors(here, live) == ("shore_stream",)
    live = with_door(here, live, "lounge_call", True)
    assert set(open_doors(here, live)) == set(doors(here))
    live = with_door(here, with_door(here, live, "shore_stream", False), "lounge_call", False)
    assert not live.on_air
    assert open_doors(here, replace(live, on_air=True)) == ("lounge_call",)
    assert not safety_of(here, live, rows_of(here)).opened.any()


def test_silence_is_everybodys_and_a_faded_song_reaches_the_plan(here):
    assert muted_now(here, Live(silent=True)) == {p.id for p in here.parts}
    lead = next(i for i, p in enumerate(here.parts) if p.kind == "lead")
    whole, half, none = (compile_plan(here, Live(fade_db=db)).gain for db in (0.0, -6.0206, FADED_DB))
    assert abs(half[:, lead]).max() == pytest.approx(abs(whole[:, lead]).max() / 2, rel=1e-3)
    assert not none[:, lead].any()
    rest = [i for i in range(whole.shape[1]) if i != lead]
    assert (none[:, rest] == whole[:, rest]).all(), "nobody else fades"


def test_the_menu_says_who_hears_you_and_offers_what_can_be_done(here):
    offered = {e.text: e for e in entries(now(here))}
    assert not offered["Nobody hears you"].enabled
    assert (offered["Let Lounge call hear"].checked, offered["Let Lounge call hear"].enabled) == (False, True)
    assert [e.checked for e in entries(now(here, replace(Live(), moment=here.moments[0].id))) if e.id.startswith(
        "moment")] == [True, *[False] * (len(here.moments) - 1)]  # fmt: skip
    still = {e.id: e for e in entries(now(here, sounds=False))}
    assert not still["door/lounge_call"].enabled
    assert not still["goodbye"].enabled
    opened = {e.id: e for e in entries(now(here, with_door(here, Live(), "lounge_call", True)))}
    assert opened["door/lounge_call"].checked
    assert not opened["start_stop"].enabled, "nothing that is open is stopped by one press"
    muted = next(e for e in entries(now(here, replace(Live(), muted=frozenset({"voice"})))) if e.id == "mute_me")
    assert (muted.text, muted.checked) == ("Mute Voice", True)
    assert entries(now(here, trouble="table is not there"))[1].text == "Table is not there"


def test_the_mark_tells_by_its_shape_alone(here, app):
    opened = with_door(here, Live(), "lounge_call", True)
    states = [
        state_of(now(here, sounds=False)), state_of(now(here)), state_of(now(here, opened)),
        state_of(now(here, replace(opened, silent=True))),
    ]  # fmt: skip
    assert states == ["silent", "closed", "open", "silent"]
    assert state_of(now(here, Live(on_air=True, shut=frozenset(doors(here))))) == "closed"
    shapes = []
    for state, trouble in itertools.product(("silent", "closed", "open"), (False, True)):
        image = QImage(22, 22, QImage.Format.Format_RGB32)
        image.fill(0)
        painter = QPainter(image)
        paint_mark(painter, QRectF(0, 0, 22, 22), state, trouble)
        painter.end()
        grey = image.convertToFormat(QImage.Format.Format_Grayscale8)
        shapes.append([grey.pixelColor(x, y).value() > 110 for y in range(22) for x in range(22)])
    for a, b in itertools.combinations(shapes, 2):
        assert sum(p != q for p, q in zip(a, b, strict=True)) >= 12, "as black and white at 22 pixels"


def test_started_with_the_desktop_is_one_file_and_a_folder_that_takes_nothing_is_said(tmp_path):
    where = Homes(tmp_path / "data", tmp_path / "config", tmp_path / "bin")
    program = tmp_path / 'it\'s "Brucke" 100%' / "run"
    assert not is_on(where)
    switch(where, True, program)
    text = autostart_file(where).read_text()
    assert is_on(where)
    assert '100%%/run" login' in text
    autostart_file(where).write_text(text + "Hidden=true\n")
    assert not is_on(where), "the desktop's own switch"
    switch(where, False, program)
    assert list((where.config / "autostart").iterdir()) == []
    (tmp_path / "file").write_text("")
    with pytest.raises(AutostartError, match="cannot be written"):
        switch(Homes(tmp_path, tmp_path / "file", tmp_path), True, program)
    assert os.listdir(where.config / "autostart") == []
