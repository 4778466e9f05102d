"""Voice against music: found phrase by phrase, seen over one another, moved by hand, heard, compared blind; one press
notes it."""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ...app.measuring.by_ear import MOST_S, ByEar
from ...core.aligning.evidence_edits import follower_at
from ...words import by_ear as words
from ...words.detail import choose
from ...words.timing import listener_name, part_name
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.dialog import BesideWindow
from ..kit.field import own_look
from ..kit.label import Words
from ..kit.progress import progress_bar
from ..kit.row import ends, row
from ..kit.wheel import DoubleSpinBox
from ..theme.theme import Theme
from .files_dialog import SOUNDS
from .tool import Tool
from .two_waves import TwoWaves

MOST_LINES = 3


class VoiceDialog(BesideWindow):
    def __init__(self, theme: Theme, ear: ByEar, listener: str, parent: QWidget | None):
        super().__init__(_("Voice against music"), 860, 560, parent)
        self.ear, self.listener = ear, listener
        self.voice: Path | None = None
        self.headline = Words(theme, "strong")
        self.lines = [Words(theme, "body", "mute") for _i in range(MOST_LINES)]
        self.bar = progress_bar(_("Listening to both"))
        self.waves = TwoWaves(theme)
        self.before, self.after = Button(theme, _("Phrase before"), "plain"), Button(theme, _("Phrase after"), "plain")
        self.knob = DoubleSpinBox()
        self.back, self.hear = Button(theme, _("As found"), "plain"), Button(theme, _("Hear it"), "outline")
        self.blind = Button(theme, _("Compare blind"), "outline")
        self.first, self.second = Button(theme, _("The first"), "primary"), Button(theme, _("The second"), "primary")
        self.again, self.enough = Button(theme, _("Once more"), "outline"), Button(theme, _("Enough"), "plain")
        self.choose = Button(theme, _("Voice and music…"), "outline")
        self.lone = Button(theme, _("One file, voice left, music right…"), "plain")
        self.clicks, self.stop = Button(theme, _("Two clicks"), "plain"), Button(theme, _("Cancel"), "outline")
        self.note, self.away = Button(theme, _("Note it"), "primary"), Button(theme, _("Close"), "plain", "Esc")
        self._build(theme)
        self.follow(ear.changed, self.refresh)
        self.finished.connect(lambda _code: self._left())
        self.refresh()

    def _build(self, theme: Theme) -> None:
        self.knob.setRange(-MOST_S * 1e3, MOST_S * 1e3)
        self.knob.setDecimals(0)
        self.knob.setSuffix(" ms")
        self.knob.setPrefix(_("voice later by "))
        self.knob.setAccessibleName(_("How much later than the music the voice is"))
        own_look(self.knob, theme)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        for w in (self.headline, *self.lines, self.bar, self.waves):
            column.addWidget(w, 1 if w is self.waves else 0)
        moves = row(self.before, self.after, self.knob, self.back)
        moves.addStretch(1)
        moves.addWidget(self.hear)
        moves.addWidget(self.blind)
        column.addLayout(moves)
        answers = row(self.first, self.second, self.again, self.enough)
        answers.addStretch(1)
        column.addLayout(answers)
        column.addLayout(row(self.choose, self.lone, self.clicks))
        column.addLayout(ends(self.note, self.stop, right=self.away))
        ear = self.ear
        self.waves.moved.connect(lambda s: ear.set_later(ear.later_s - s))
        self.knob.valueChanged.connect(lambda ms: ear.set_later(ms / 1e3))
        for button, do in (
            (self.before, lambda: ear.choose_phrase(-1)), (self.after, lambda: ear.choose_phrase(1)),
            (self.back, ear.back_to_found),
            (self.hear, ear.hear), (self.blind, ear.compare), (self.again, ear.compare), (self.enough, ear.give_up),
            (self.stop, ear.stop),
            (self.first, lambda: ear.answer(True)), (self.second, lambda: ear.answer(False)),
            (self.clicks, ear.take_clicks),
            (self.choose, self._choose), (self.lone, self._choose_lone), (self.note, self._note),
            (self.away, self.reject),
        ):  # fmt: skip
            button.clicked.connect(lambda _on=False, do=do: do())

    def _left(self) -> None:
        self.ear.give_up()
        self.ear.stop()
        self.ear.playback.stop()

    def _ask(self, title: str) -> Path | None:
        start = str(self.voice.parent if self.voice is not None else Path.home())
        name, _kinds = QFileDialog.getOpenFileName(self, title, start, SOUNDS)
        return Path(name) if name else None

    def _choose(self) -> None:
        voice = self._ask(_("The voice"))
        if voice is not None:
            self.voice = voice
            music = self._ask(_("Its music"))
            if music is not None:
                self.ear.measure(voice, music)

    def _choose_lone(self) -> None:
        both = self._ask(_("One file, voice left, music right"))
        if both is not None:
            self.voice = both
            self.ear.measure(both)

    def _note(self) -> None:
        if self.ear.note(self.listener):
            self.accept()

    # What is shown

    def refresh(self) -> None:
        ear, blind = self.ear, self.ear.blind
        asked = blind is not None and not blind.done
        self._say()
        for w, there in (
            (self.bar, ear.busy), (self.stop, ear.busy), (self.waves, not ear.busy),
            (self.first, asked), (self.second, asked), (self.again, asked), (self.enough, asked),
            (self.back, ear.found_s is not None and ear.by_hand and not asked),
            (self.clicks, bool(ear.state) and not ear.busy and not asked),
        ):  # fmt: skip
            w.setVisible(there)
        for control in (self.knob, self.hear, self.blind, self.choose, self.lone):
            control.setEnabled(not ear.busy and not asked)
        many = len(ear.sounds.phrases_s) > 1 and not asked
        self.before.setVisible(many)
        self.after.setVisible(many)
        self.knob.blockSignals(True)
        self.knob.setValue(round(ear.later_s * 1e3))
        self.knob.blockSignals(False)
        self.waves.show_sounds(ear.sounds, ear.piece_s[0], ear.later_s)
        self._offer_note(asked)

    def _say(self) -> None:
        ear, blind = self.ear, self.ear.blind
        said, tone = ear.said, "ink"
        if ear.busy:
            said = [_("Listening to both.")]
        elif blind is not None and blind.done:
            said, tone = [words.threshold_text(blind)], "amber" if blind.never_heard else "water"
        elif blind is not None:
            said, tone = [words.ASKED.format(n=blind.asked + 1), words.BLIND], "ink"
        elif ear.state == "":
            said = [words.CLICKS, words.ABOUT]
        elif ear.state == "failed":
            tone = "coral"
        elif ear.state == "nothing":
            tone = "amber"
        elif ear.by_hand:
            sure = choose("", f", ± {ear.plus_minus_s * 1e3:.0f} ms")
            said = [_("By hand: {knob}{sure}.").format(knob=words.knob_text(ear.later_s * 1000.0), sure=sure), *said]
        self.headline.say(said[0] if said else "", tone)
        for line, text in zip(self.lines, [*said[1:], *[""] * MOST_LINES], strict=False):
            line.say(text)

    def _offer_note(self, asked: bool) -> None:
        ear, setup = self.ear, self.ear.session.setup
        pair = follower_at(setup, self.listener)
        self.note.setVisible(pair is not None and ear.state in ("found", "nothing") and not asked)
        if pair is not None:
            self.note.setText(
                _("Note it for {part} at {listener}").format(
                    part=part_name(setup, pair[0]), listener=listener_name(setup, self.listener)
                )
            )


VOICE_MUSIC = Tool(
    Action("voice_music", _("Voice against music of a recording…")), "voice", _("Voice against music…"),
    lambda host: host.show(VoiceDialog(host.theme, host.studio.service(ByEar), host.listener, host.parent)),
)  # fmt: skip
