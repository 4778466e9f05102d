"""Two clocks: of two recordings, and of what comes in again while sound runs."""

from PyQt6.QtWidgets import QWidget

from ...app.measuring.clock_watch import ClockWatch
from ...words.measurements import watched_text
from ...words.translation import _
from ..kit.action import Action
from ..kit.card import Card
from ..kit.label import Words
from ..theme.theme import Theme
from .files_dialog import Asked, FilesDialog
from .tool import Tool

CLOCKS = Asked(
    "drift", _("Two clocks against one another"),
    _("The same sound, recorded twice for ten minutes or longer: how one slides against the other, and where it "
      "jumps."),
    (_("The one…"), _("The other…")),
)  # fmt: skip

MOST_PAIRS = 6
STILL = _("While sound runs, this watches what of it comes in again, from the music itself. Start (F5), and play.")
NONE = _(
    "No part returns from a listener here, and no microphone follows a lead: nothing comes in again that could be "
    "watched."
)


class ClocksDialog(FilesDialog):
    def __init__(self, theme: Theme, watch: ClockWatch, parent: QWidget | None):
        self.watch = watch
        self.watched = [Words(theme, "body", "mute") for _i in range(MOST_PAIRS)]
        super().__init__(theme, CLOCKS, parent)
        card, title = Card(theme), Words(theme, "name")
        title.say(_("While it runs"))
        for words in (title, *self.watched):
            card.column.addWidget(words)
        self.column.insertWidget(self.column.count() - 1, card)
        self.follow(watch.changed, self._show_watched)
        self._show_watched()

    def _show_watched(self) -> None:
        setup = self.watch.session.setup
        said = [
            watched_text(setup, *pair, len(w.lags_s), w.looks, w.lags_s[-1] if w.lags_s else 0.0, w.drift)
            for pair, w in self.watch.of.items()
        ]
        if self.watch.running.state != "running":
            said = [STILL]
        for words, text in zip(self.watched, [*(said or [NONE]), *[""] * MOST_PAIRS], strict=False):
            words.say(text)


CLOCK_WATCH = Tool(
    Action("clocks", _("Two clocks against one another…")), "boxes", _("The clocks…"),
    lambda host: host.show(ClocksDialog(host.theme, host.studio.clocks, host.parent)),
)  # fmt: skip
