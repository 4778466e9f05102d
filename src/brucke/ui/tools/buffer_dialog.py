"""The smallest buffer that holds: what was tried, what it gains, use it."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...app.measuring.buffer_finder import BufferFinder, Tried, gains_ms
from ...words.detail import choose
from ...words.timing import counted, listener_name, ms_text
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.dialog import BesideWindow
from ..kit.label import Words
from ..kit.progress import progress_bar
from ..kit.row import ends
from ..kit.table import PlainTable
from ..theme.theme import Theme
from .tool import Tool

ABOUT = (
    _("Switch on whatever will be on in the hour, then try: each smaller buffer runs for ten seconds beside it. Sound "
      "stops for a moment between them; everybody is closed meanwhile, and the buffer of now comes back.")
)  # fmt: skip


def tried_text(t: Tried) -> str:
    if t.margin:
        return _("held, with time to spare")
    if t.held:
        return _("held, but only just")
    if not t.seconds:
        return _("did not start")
    return choose(_("the sound broke up"), counted(t.dropouts, "dropout"))


class BufferDialog(BesideWindow):
    def __init__(self, theme: Theme, finder: BufferFinder, parent: QWidget | None):
        super().__init__(_("The smallest buffer that holds"), 640, 300, parent)
        self.finder = finder
        self.headline, self.more = Words(theme, "strong"), Words(theme, "body", "mute")
        self.bar = progress_bar(_("Trying buffers"))
        self.table = PlainTable(theme, _("Buffers that were tried"))
        self.try_, self.stop = Button(theme, _("Try smaller buffers"), "primary"), Button(theme, _("Cancel"), "outline")
        self.use, self.away = Button(theme, _("Use it"), "primary"), Button(theme, _("Close"), "plain", "Esc")
        column = QVBoxLayout(self)
        for w in (self.headline, self.more, self.bar, self.table):
            column.addWidget(w, 8 if w is self.table else 0)
        column.addStretch(1)
        column.addLayout(ends(self.use, self.try_, self.stop, right=self.away))
        self.try_.clicked.connect(finder.begin)
        self.stop.clicked.connect(finder.cancel)
        self.use.clicked.connect(self._use)
        self.away.clicked.connect(self.reject)
        self.follow(finder.changed, self.refresh)
        self.finished.connect(lambda _code: finder.cancel())
        self.refresh()

    def _use(self) -> None:
        self.finder.use()
        self.accept()

    def refresh(self) -> None:
        f, setup = self.finder, self.finder.session.setup
        best = f.best
        self.bar.setVisible(f.busy)
        self.stop.setVisible(f.busy)
        self.try_.setVisible(not f.busy)
        self.try_.set_kind("outline" if f.tried else "primary")
        self.use.setVisible(not f.busy and best is not None and best.frames != setup.block_frames)
        self.table.setVisible(bool(f.tried))
        ms = 1e3 / setup.rate_hz

        def size(frames: int) -> str:
            return choose(f"{frames * ms:.1f} ms", f"{frames} frames")

        self.table.rows.show_rows(
            ["buffer", "takes", _("spent at most"), _("what happened")],
            [
                [choose("", f"{t.frames} frames"), f"{t.frames * ms:.1f} ms", f"{t.load:.0%}", tried_text(t)]
                for t in f.tried
            ],
        )
        if f.busy:
            self.headline.say(f"Trying {size(f.trying)}.", "ink")
            self.more.say(ABOUT)
        elif f.message:
            self.headline.say(f.message, "amber")
            self.more.say("")
        elif not f.tried:
            self.headline.say(f"Now {size(setup.block_frames)}.", "ink")
            self.more.say(ABOUT)
        elif best is None:
            self.headline.say(
                _("None held with time to spare, that of now neither. Close other programs, or take a larger one."),
                "coral",
            )
            self.more.say("")
        else:
            self.use.setText(f"Use {size(best.frames)}")
            same = best.frames == setup.block_frames
            self.headline.say(
                _("{size}, that of now, is the smallest that held.").format(size=size(best.frames))
                if same
                else _("{size} is the smallest that held with time to spare.").format(size=size(best.frames)),
                "water",
            )
            gains = {} if same else gains_ms(f.session.situation, best.frames)
            self.more.say(
                ", ".join(f"{listener_name(setup, x)} {ms_text(g / 1e3)} sooner" for x, g in gains.items() if g > 0.05)
            )


BUFFER = Tool(
    Action("buffer", _("The smallest buffer that holds…")), "quicker", _("Try it here…"),
    lambda host: host.show(BufferDialog(host.theme, host.studio.buffers, host.parent)),
)  # fmt: skip
