"""Shape in the real window: a chain is built, ordered, heard without, and its cost is in the path at once."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog

from brucke.core.edits.route_edits import set_processed
from brucke.core.sound.chain_parameters import latency_frames
from brucke.core.sound.processors import KINDS, MAX_SLOTS, RANGES, Compressor, Equaliser, Gain, HighPass, Limiter
from brucke.core.storage.presets import OWN
from brucke.core.storage.setup_problems import chain_problems
from brucke.engine.step.plan import compile_plan
from brucke.ui.places.shape.shelf_dialog import ShelfDialog
from brucke.words.processors import CHOICES, FIELDS, OFFERED, PROCESSORS, kind_of
from brucke.words.shape import PRESET_NAMES, shown_values
from brucke.words.timing import PROCESSOR_NAMES

from .conftest import drag, in_question, key, part, pause, pick, press, type_in, wait


@pytest.fixture
def shape(window):
    window.do("shape")
    window.shape.choose_part("cello")
    return window.shape


def chain(w, part="cello"):
    return w.session.setup.part(part).chain


def test_every_processor_is_added_changed_ordered_and_removed(window, shape):
    w = window
    before = w.session.setup
    assert not shape.processor.isVisible(), "an empty chain offers nothing to change"
    for code, (fresh, _) in list(OFFERED.items())[:MAX_SLOTS]:
        name = shape_name(code)
        pick(shape, name)
        assert chain(w)[-1] == fresh
        assert shape.processor.title.text() == name
        shown = {field for (of, field), p in shape.processor.parameters.items() if not p.isHidden()}
        wanted = RANGES["Band" if isinstance(fresh, Equaliser) else type(fresh).__name__]
        assert shown == set(wanted), name
    assert [kind_of(p) for p in chain(w)] == list(OFFERED)[:MAX_SLOTS]
    assert [b.accessibleName().split(",")[0] for b in shape.chain.buttons[:MAX_SLOTS]] == [
        shape_name(c) for c in list(OFFERED)[:MAX_SLOTS]
    ]
    shape.choose(0)
    shape.chain.focus_row()
    key(w, Qt.Key.Key_Right)
    assert shape.slot == 1
    key(w, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert [kind_of(p) for p in chain(w)][:3] == ["noise_removal", "gate", "high_pass"]
    assert shape.slot == 2
    press(shape.processor.left)
    assert kind_of(chain(w)[1]) == "high_pass"
    shape.choose(0)
    assert not shape.processor.left.isVisible(), "noise is taken out first"
    shape.choose(1)
    press(shape.processor.away)
    assert "high_pass" not in [kind_of(p) for p in chain(w)]
    while w.session.undo_stack.canUndo():
        w.do("undo")
    assert w.session.setup == before
    assert w.place == "shape"


def shape_name(code):
    return PROCESSOR_NAMES[code][0].upper() + PROCESSOR_NAMES[code][1:]


def test_numbers_are_typed_nudged_and_held_to_their_range(window, shape):
    w = window
    pick(shape, "Compressor")
    number = shape.processor.parameters["Compressor", "threshold_db"].number
    number.setFocus()
    number.selectAll()
    type_in(w, "-33.5")
    key(w, Qt.Key.Key_Return)
    assert chain(w)[0].threshold_db == -33.5
    pause(0.7)
    for _ in range(3):
        key(w, Qt.Key.Key_Up)
    assert chain(w)[0].threshold_db == pytest.approx(-30.5)
    w.do("undo")
    assert chain(w)[0].threshold_db == -33.5, "a row of nudges is one step"
    number.setFocus()
    number.selectAll()
    type_in(w, "99")
    key(w, Qt.Key.Key_Return)
    assert chain(w)[0].threshold_db <= 0
    pick(shape, "Equaliser")
    press(shape.processor.bands.buttons["2"])
    press(shape.processor.shapes.buttons["high_shelf"])
    shape.processor.parameters["Band", "gain_db"].number.setValue(6)
    shape.processor.parameters["Band", "frequency_hz"].number.setValue(4000)
    band = chain(w)[1].bands[2]
    assert (band.shape, band.gain_db, band.frequency_hz) == ("high_shelf", 6, 4000)
    assert shown_values(chain(w)[1]) == [("high shelf", "4 kHz +6.0 dB")]
    curve = np.array(shape.chain.data.bands[1].curve)
    assert curve[:40].max() < 0.55 < curve[-5:].min(), "it is drawn as it sounds"
    pick(shape, "High-pass")
    press(shape.processor.choices["HighPass", "slope_db"].buttons["24"])
    assert chain(w)[2] == HighPass(slope_db=24)


def test_what_it_costs_is_in_the_path_and_the_soundcheck_at_once(window, shape):
    w = window
    w.do("everywhere")
    assert w.deck.spans["align"].state == "picture unknown"
    pick(shape, "Limiter")
    pick(shape, "Limiter")
    ms = 2 * latency_frames((Limiter(),), 128) / 48
    assert shape.costs.cost.text() == f"Processing costs {ms:.1f} ms."
    route = w.session.timing.of("recorder").route("cello")
    assert sum(s.latency.value for s in route.stages if s.code == "processor") == pytest.approx(ms / 1e3)
    assert "early" in w.deck.spans["align"].state or "late" in w.deck.spans["align"].state
    w.do("share")
    w.share.grid.choose("cello", "recorder")
    press(w.share.cards[2].which.buttons["dry"])
    w.do("shape")
    assert shape.costs.buttons["recorder"].text() == "Recorder: dry"
    assert shape.costs.buttons["shore_stream"].text() == "Shore stream: processed"
    w.do("everywhere")
    assert w.deck.spans["align"].state == "picture unknown"
    w.align.choose_listener("lounge_call")
    w.do("table")
    assert any("limiter" in row for row in map(" ".join, w.align.table.rows.rows)), "a stage of its own in Align"


def test_heard_without_and_with_again(window, shape):
    """Comparing is no edit: nothing to undo, and it ends by itself when one goes on with something else."""
    w = window
    for name in ("Gain", "Compressor"):
        pick(shape, name)
    before = w.session.setup
    press(shape.compare.all)
    assert compile_plan(w.session.setup, w.session.live).params[2, :2, 0].tolist() == [0, 0], "both are off"
    assert shape.compare.all.isChecked()
    press(shape.compare.all)
    assert compile_plan(w.session.setup, w.session.live).params[2, :2, 0].tolist() == [1, 1]
    press(shape.compare.this)
    assert compile_plan(w.session.setup, w.session.live).params[2, :2, 0].tolist() == [1, 0]
    assert w.session.setup is before
    w.do("align")
    assert w.session.live.without is None, "nobody goes on without their processors"
    w.do("shape")
    press(shape.processor.on)
    assert [p.on for p in chain(w)] == [True, False]
    assert shape.chain.data.bands[1].on is False


def test_two_versions_are_kept_and_changed_between(window, shape):
    w = window
    pick(shape, "Gain")
    w.do("version")
    assert (part(w, "cello").version, chain(w)) == ("B", (Gain(),)), "B begins as A is"
    pick(shape, "Limiter")
    press(shape.compare.versions.buttons["A"])
    assert chain(w) == (Gain(),)
    press(shape.compare.versions.buttons["B"])
    assert chain(w) == (Gain(), Limiter())
    w.do("undo")
    assert (part(w, "cello").version, chain(w)) == ("A", (Gain(),))
    w.do("redo")
    press(shape.compare.one)
    assert (part(w, "cello").version, part(w, "cello").other_chain) == ("A", None)
    assert chain(w) == (Gain(), Limiter())


def test_cards_are_dragged_into_another_order(window, shape):
    w = window
    for name in ("Gain", "Compressor", "Limiter"):
        pick(shape, name)
    b = shape.chain.buttons[0]
    start = QPoint(b.width() // 2, b.height() // 2)
    last = shape.chain.buttons[2]
    drag(b, start, b.mapFrom(last.parentWidget(), last.geometry().bottomLeft()) + QPoint(b.width() // 2, -4))
    assert [kind_of(p) for p in chain(w)] == ["compressor", "limiter", "gain"]
    assert shape.slot == 2, "what was dragged stays chosen"
    w.do("undo")
    w.do("undo")
    assert [kind_of(p) for p in chain(w)] == ["gain", "compressor", "limiter"]


def test_presets_are_chosen_saved_renamed_and_shared(window, shape, tmp_path, monkeypatch):
    w = window
    shape.choose_part("voice")

    def choose(text):
        shape.preset_menu()
        action = next(a for a in shape.menu.actions() if a.text().startswith(text))
        action.trigger()
        shape.menu.close()

    for code, preset in OWN.items():
        choose(PRESET_NAMES[code].capitalize())
        assert [kind_of(p) for p in chain(w, "voice")] == [kind_of(p) for p in preset]
        assert not list(chain_problems(preset, "chain"))
    choose("Speech")
    spoken = chain(w, "voice")
    in_question(lambda q: (q.field.setText("Captain’s voice"), press(q.buttons["given"])))
    choose("Save this chain")
    choose("Drums")
    choose("“Captain")
    assert chain(w, "voice") == spoken
    dialog = ShelfDialog(w.theme, shape.presets.shelf, w)
    in_question(lambda q: (q.field.setText("Purser’s voice"), press(q.buttons["given"])))
    dialog.rename["Captain’s voice"].click()
    assert [p.name for p in shape.presets.shelf.presets()] == ["Purser’s voice"]
    dialog.forget["Purser’s voice"].click()
    assert dialog.said.text().startswith("None is saved")
    assert shape.presets.shelf.presets() == []
    file = tmp_path / "spoken.chain.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(file), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(file), ""))
    choose("To a file")
    choose("Workstation mix")
    choose("From a file")
    assert chain(w, "voice") == spoken
    for text, said in (
        ("{", "is not JSON"),
        ('{"format": "brucke setup", "version": 1}', "is not a chain of ours"),
        (file.read_text().replace('"ratio": 2.0', '"ratio": "much"'), "expected `float`"),
    ):
        file.write_text(text)
        choose("From a file")
        assert said in w.notice.words.text()
        assert w.notice.words.text().startswith("Not taken. spoken.chain.json")
        assert chain(w, "voice") == spoken, "nothing is lost"


def test_a_listener_has_a_chain_that_speech_may_pass_by(window, shape):
    w = window
    press(shape.listeners.buttons["shore_stream"])
    assert "noise_removal" not in menu_codes(shape)
    pick(shape, "Limiter")
    stream = w.session.setup.listener("shore_stream")
    assert stream.chain == (Limiter(),)
    assert set(shape.costs.buttons) == {"harp", "voice", "cello", "lounge"}

    def processors(p):
        t = w.session.timing.of("shore_stream").route(p)
        return sum(s.latency.value for s in t.stages if s.code == "processor")

    assert processors("voice") == processors("harp") == pytest.approx(74 / 48000)
    press(shape.costs.buttons["voice"])
    assert shape.costs.buttons["voice"].text() == "Voice: past it"
    assert (processors("voice"), processors("harp")) == (0, pytest.approx(74 / 48000))
    w.do("everywhere")
    assert w.deck.spans["align"].state == "picture unknown", "and the voice waits for what the others cost"
    w.strip.cards["lounge_call"].click()
    assert shape.owner == "listener/lounge_call", "a click below shows its chain"


def menu_codes(shape):
    shape.add_menu()
    texts = [a.text() for a in shape.menu.actions()]
    shape.menu.close()
    return {code for code, name in PROCESSOR_NAMES.items() if any(t.lower().startswith(name) for t in texts)}


def test_what_the_player_would_feel_is_said_and_heard_dry_with_one_press(window, shape):
    w = window
    shape.choose_part("voice")
    w.session.edit("wet", set_processed(w.session.setup, "voice", "headphones", True), "share")
    pick(shape, "Room noise")
    assert "In Headphones the player hears this 8.0 ms late" in shape.costs.felt.text()
    press(shape.costs.dry)
    assert not w.session.setup.route("voice", "headphones").processed
    assert not shape.costs.felt.isVisible()
    assert shape.costs.buttons["headphones"].text() == "Headphones: dry"


def test_eight_are_the_most_and_wide_parts_have_none(window, shape):
    w = window
    for _ in range(MAX_SLOTS + 1):
        shape.add_processor("gain")
    assert len(chain(w)) == MAX_SLOTS
    assert "8 processors are the most in one chain." in w.notice.words.text()
    assert "picture" not in shape.parts.buttons
    w.do("new")
    w.go_to("shape")
    assert shape.title.text() == "Nothing comes in yet."
    assert not shape.add.isVisible()


def test_a_chain_is_heard_where_it_is_processed_and_nowhere_else(live):
    w = live
    order = [x.id for x in w.session.setup.listeners]
    wait(lambda: w.running.out_peaks[order.index("shore_stream")].max() > 0.02, 30)
    setup = w.session.setup
    for id in ("voice", "cello", "lounge"):
        for listener in order:
            setup = off(setup, id, listener)
    w.session.edit("alone", setup, "share")
    w.do("shape")
    w.shape.choose_part("harp")
    pause(1.5)
    before = w.running.out_peaks[order.index("shore_stream")].max()
    pick(w.shape, "Gain")
    w.shape.processor.parameters["Gain", "gain_db"].number.setValue(-60)
    assert chain(w, "harp") == (Gain(gain_db=-60),)
    wait(lambda: w.running.out_peaks[order.index("shore_stream")].max() < before / 100, 10)
    w.do("share")
    w.share.grid.choose("harp", "shore_stream")
    press(w.share.cards[2].which.buttons["dry"])
    wait(lambda: w.running.out_peaks[order.index("shore_stream")].max() > before / 20, 10)
    assert w.running.out_peaks[order.index("recorder")].max() < 0.01


def off(setup, part, listener):
    from brucke.core.edits.route_edits import set_on

    return set_on(setup, part, listener, False)


def test_the_room_is_learnt_from_silence_and_taken_out(live):
    """The cello's microphone hears nothing but its own noise floor while the music is paused."""
    w = live
    w.do("shape")
    w.shape.choose_part("cello")
    pick(w.shape, "Room noise")
    assert w.shape.noise.isVisible()
    wait(lambda: w.running.inputs.peaks.get("cello", 0) > 0.05, 40)
    press(w.shape.noise.learn)
    assert w.shape.noise.bar.isVisible()
    pause(0.5)
    key(w, Qt.Key.Key_Escape)
    assert "Not learnt: it was stopped." in w.shape.noise.hint.text()
    for _ in range(3):  # again, where the machine lost blocks of all but a pause
        press(w.shape.noise.learn)
        wait(lambda: not w.shaping.learning.part, 60)
        if w.shaping.learning.failed:
            break
        w.do("undo")
    assert w.shaping.learning.failed, "somebody played"
    assert "it was not silent at" in w.shape.noise.hint.text() or "no steady noise" in w.shape.noise.hint.text()
    w.running.play(False)
    wait(lambda: w.running.inputs.peaks.get("cello", 1) < 1e-3, 20)
    press(w.shape.noise.learn)
    wait(lambda: not w.shaping.learning.part, 60)
    assert not w.shaping.learning.failed, w.shaping.learning.message
    setup = w.session.setup
    assert chain(w)[0].profile == "Cello, room"
    assert setup.profile("Cello, room").seconds >= 12
    assert w.shape.chain.data.bands[0].curve, "it is drawn"
    w.do("undo")
    assert not w.session.setup.profiles
    w.do("redo")
    cost = {k: round(b_ms(b), 1) for k, b in w.shape.noise.windows.buttons.items()}
    assert cost == {"long": 18.7, "middle": 8.0, "short": 4.0}
    press(w.shape.noise.windows.buttons["short"])
    assert w.shape.costs.cost.text() == "Processing costs 4.0 ms."
    press(w.shape.noise.forget)
    assert chain(w)[0].profile == ""
    w.do("start_stop")
    press(w.shape.noise.learn)
    assert "Start first" in w.shape.noise.hint.text()


def b_ms(button):
    return float(button.text().split(", ")[1].removesuffix(" ms"))


def test_drawings_that_move_follow_whatever_chain_is_shown(live):
    """Every preset after every other while sound flows: nothing of one chain is painted into the next."""
    w = live
    w.do("shape")
    wait(lambda: len(w.running.readings) > 0, 10)
    for owner in ("listener/shore_stream", "part/voice", "part/harp"):
        w.shape.choose_owner(owner)
        for name, preset in (*OWN.items(), ("last", OWN["mix"])):
            w.shape.presets.apply(name, preset)
            pause(0.25)
            assert w.shape.chain.live, name
            assert not w.grab().isNull()
    moving = w.shape.chain.live
    assert len(moving[1].reductions) == 3, "the multiband compressor's bands"
    w.shape.choose_part("cello")
    assert w.shape.chain.live == {}
    assert not w.grab().isNull()


def test_words_for_every_parameter():
    for of, fields in RANGES.items():
        for field in fields:
            assert field in FIELDS, (of, field)
    for kind in KINDS:
        assert kind.__struct_config__.tag in PROCESSORS
        assert set(kind.CHOICES) <= set(CHOICES)
    assert shown_values(Compressor()) == [("threshold", "−25.0 dB"), ("ratio", "2 : 1"), ("knee", "6.0 dB")]
    assert shown_values(HighPass()) == [("slope", "12 dB an octave"), ("frequency", "80 Hz")]
