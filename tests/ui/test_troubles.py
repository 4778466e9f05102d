"""What used to go wrong before an hour, each in the real window: it cannot happen, or one action mends it.

More of the same stands where it belongs: a call's own far end, a second track and a sound heard twice in
`test_share.py`; what gets lost in `test_documents.py`.
"""

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt

from brucke.core.edits import part_edits
from brucke.core.routing.feedback_loops import loops
from brucke.core.storage.templates import TEMPLATES
from brucke.ui.kit.field import NumberField
from brucke.ui.kit.scale import MARKS_DB, GainScale, scale_sheet
from brucke.ui.paint.ruler import METER_MARKS_DB

from .conftest import key, new_window, pause, pick, press, wait


def card_of(w, code):
    return next(c for c in w.soundcheck.cards if not c.isHidden() and c.finding.code == code)


def listen(w):
    w.do("listen")
    wait(lambda: not w.checking.listening, 30)


def loudest(w, seconds=1.0):
    """The highest peak of every listener by id."""
    pause(1.2)  # until what sounded before has fallen
    heard = np.zeros(len(w.session.setup.listeners))
    for _ in range(round(seconds / 0.02)):
        pause(0.02)
        heard = np.maximum(heard, w.running.out_peaks.max(axis=1))
    return {x.id: float(heard[i]) for i, x in enumerate(w.session.setup.listeners)}


@pytest.mark.live
def test_a_microphone_in_one_ear_is_heard_and_mended_with_one_press(app, qtbot, data_home, monkeypatch):
    w = new_window(data_home, monkeypatch)
    press(w.gather.start.templates["stream"])
    w.gather.choose("part/voice")
    press(w.gather.channels.modes.buttons["stereo"])
    w.running.start(play=True)
    wait(lambda: w.running.state == "running", 60)
    wait(lambda: w.running.inputs.peaks.get("voice", 0) > 1e-2, 60)
    listen(w)
    card = card_of(w, "one_sided")
    assert card.what.text() == "Voice has sound only on the left."
    assert card.why.text() == "Everybody hears it in one ear."
    press(card.button)
    assert part_edits.mode_of(w.session.setup.part("voice")) == "left to both"
    wait(lambda: w.running.state == "running" and w.running.inputs.peaks.get("voice", 0) > 1e-2, 60)
    listen(w)
    assert "one_sided" not in {f.code for f in w.checking.findings}
    w.close()


def test_music_for_the_player_alone_and_for_the_others_alone(live):
    w = live
    w.do("share")
    w.share.grid.choose("harp", "headphones")
    wait(lambda: w.running.out_peaks.max() > 0.01, 30)
    for part in ("voice", "cello", "lounge"):
        w.session.edit("off", part_off(w, part), "share")
    others = ("lounge_call", "shore_stream", "recorder")
    key(w, Qt.Key.Key_J)
    assert [w.share.grid.routes.data_.heard[0][i] for i in (0, 1)] == ["all", "none"]
    heard = loudest(w)
    assert heard["headphones"] > 0.01
    assert max(heard[x] for x in others) < 1e-4, "the player hears the music, the audience does not"
    key(w, Qt.Key.Key_J)
    key(w, Qt.Key.Key_H)
    heard = loudest(w)
    assert heard["headphones"] < 1e-4
    assert min(heard[x] for x in others) > 0.005, "the audience hears the music, the player does not"


def part_off(w, part):
    setup = w.session.setup
    routes = tuple(replace(r, on=False) if r.part == part else r for r in setup.routes)
    return replace(setup, routes=routes)


def test_what_other_programs_play_goes_out_only_where_it_was_asked_for(window):
    w = window
    for template in TEMPLATES:
        assert all(p.source != "computer" for p in template.make().parts), "no template takes everything"
    w.do("gather")
    pick(w.gather, "Everything this computer plays")
    w.checking.renew()
    w.do("soundcheck")
    card = card_of(w, "everything")
    assert card.what.text() == "This computer is everything this computer plays."
    assert "go out unasked" in card.why.text()
    assert loops(w.session.setup), "and what the headphones get comes round in it"
    press(card.button)
    assert all(p.source != "computer" for p in w.session.setup.parts)
    w.checking.renew()
    assert not {"everything", "loop"} & {f.code for f in w.checking.findings}


def test_every_level_has_its_decibels_and_every_meter_its_marks(window):
    w = window
    w.do("share")
    w.share.grid.choose("harp", "recorder")
    pause(0.1)
    scale = w.findChild(GainScale)
    texts = [t.text.replace("−", "-") for t in scale_sheet(scale.width(), w.theme.tokens).texts]
    assert {float(t) for t in texts} >= {-60, -20, -6, 0, 6, 12}
    assert {float(t) for t in texts} <= set(MARKS_DB)
    for card in w.strip.cards.values():
        marks = {t.text.replace("−", "-") for t in card.geometry_of_meter().sheet.texts}
        assert len(marks) >= 3, card.text()
        assert {float(m) for m in marks} <= set(METER_MARKS_DB)
    w.do("gather")
    pause(0.1)
    head = {t.text.replace("−", "-") for t in w.gather.parts.sheet().texts}
    assert len({f"{db:.0f}" for db in METER_MARKS_DB} & head) >= 4
    for field in w.findChildren(NumberField):
        if field.accessibleName() in ("Gain", "Trim", "Level of the track", "Gain of the chosen routes"):
            assert field.suffix() == " dB", field.accessibleName()
    assert w.share.grid.routes.data_.cells[0][0].gain.endswith(" dB")


def test_a_route_is_changed_where_it_is(window):
    """Gain, channels, dry or processed, delay: each changes one thing, and the rest of the route stays."""
    w = window
    w.do("share")
    w.share.grid.choose("voice", "recorder")
    before = w.session.setup.route("voice", "recorder")
    others = [r for r in w.session.setup.routes if r is not before]
    w.share.gain.value.setValue(-4.5)
    press(w.share.cards[2].which.buttons["dry"])
    press(w.share.cards[3].here.buttons["4"])
    now = w.session.setup.route("voice", "recorder")
    assert now == replace(before, gain_db=-4.5, processed=False, map=now.map)
    assert {m.target for m in now.map} == {4, 5}
    assert [r for r in w.session.setup.routes if r is not now] == others


# The soundcheck itself


def test_the_soundcheck_says_what_why_and_what_mends_it(window):
    w = window
    w.checking.renew()
    key(w, Qt.Key.Key_F6)
    assert w.place == "soundcheck"
    shown = [c for c in w.soundcheck.cards if not c.isHidden()]
    assert [c.finding for c in shown] == w.checking.findings
    assert {c.finding.code for c in shown} >= {"not_measured", "out_of_step"}
    good = {code for code, line in w.soundcheck.good.items() if not line.isHidden()}
    bad = {r.check for r in w.checking.results if r.findings}
    not_yet = {code for code, line in w.soundcheck.not_yet.items() if not line.isHidden()}
    assert good | not_yet == set(w.soundcheck.good) - bad
    assert not_yet & good == set()
    assert (
        w.soundcheck.title.text() == f"Soundcheck: {len(bad)} to mend, {w.checking.good} good, {len(not_yet)} not yet"
    )
    assert w.deck.check.text() == f"Check {len(bad)} to mend"
    w.soundcheck.listen.click()
    assert "Start first" in w.notice.words.text()
    said = card_of(w, "out_of_step").what.text()
    assert said == "Harp is 10.7 ms early at Recorder, and 2 more listeners are out of step."
    press(card_of(w, "out_of_step").button)
    w.checking.renew()
    assert "out_of_step" not in {f.code for f in w.checking.findings}, "one press for all of them"
    key(w, Qt.Key.Key_Escape)
    assert w.place == "align", "back to where one came from"
    w.session.set_live(replace(w.session.live, muted=frozenset({"voice"})))
    w.checking.renew()
    w.do("soundcheck")
    press(card_of(w, "muted").button)
    assert not w.session.live.muted
    press(card_of(w, "not_measured").button)
    assert w.place == "align"
    assert w.measuring.message == "Not measured: nothing is running yet. Start first (F5)."


@pytest.mark.parametrize("kind", ["stop", "new document"])
def test_listening_ends_where_there_is_nothing_to_hear(live, kind):
    w = live
    w.do("listen")
    assert w.checking.listening
    assert w.soundcheck.bar.isVisible()
    if kind == "stop":
        w.do("start_stop")
    else:
        w.do("new")
    wait(lambda: not w.checking.listening, 5)
