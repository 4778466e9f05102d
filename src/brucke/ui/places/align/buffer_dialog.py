"""The smallest buffer that holds: what was tried, what it gains, use it."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....desk.buffer_finder import BufferFinder, Tried, gains_ms
from ....words.timing import listener_name, ms_text
from ...kit.button import Button
from ...kit.dialog import BesideWindow
from ...kit.label import Words
from ...kit.progress import progress_bar
from ...kit.row import ends
from ...kit.table import PlainTable
from ...theme.theme import Theme

ABOUT = (
    "Switch on whatever will be on in the hour, then try: each smaller buffer runs for ten seconds under that load. Sound stops for a moment between them; everybody is "
    "closed meanwhile, and the buffer of now comes back."
)  # fmt: skip


def tried_text(t: Tried) -> str:
    if t.margin:
        return "held, with time to spare"
    if t.held:
        return "held, but only just"
    return "did not start" if not t.seconds else f"{t.dropouts} dropouts" if t.dropouts != 1 else "1 dropout"


class BufferDialog(BesideWindow):
    def __init__(self, theme: Theme, finder: BufferFinder, parent: QWidget | None):
        super().__init__("The smallest buffer that holds", 640, 300, parent)
        self.finder = finder
        self.headline, self.more = Words(theme, "strong"), Words(theme, "body", "mute")
        self.bar = progress_bar("Trying buffers")
        self.table = PlainTable(theme, "Buffers that were tried")
        self.try_, self.stop = Button(theme, "Try smaller buffers", "primary"), Button(theme, "Cancel", "outline")
        self.use, self.away = Button(theme, "Use it", "primary"), Button(theme, "Close", "plain", "Esc")
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
        self.table.rows.show_rows(
            ["buffer", "takes", "spent at most", "what happened"],
            [[f"{t.frames} frames", f"{t.frames * ms:.1f} ms", f"{t.load:.0%}", tried_text(t)] for t in f.tried],
        )
        if f.busy:
            self.headline.say(f"Trying {f.trying} frames.", "ink")
            self.more.say(ABOUT)
        elif f.message:
            self.headline.say(f.message, "amber")
            self.more.say("")
        elif not f.tried:
            self.headline.say(f"Now {setup.block_frames} frames.", "ink")
            self.more.say(ABOUT)
        elif best is None:
            self.headline.say(
                "None held with time to spare, that of now neither. Close other programs, or take a larger one.",
                "coral",
            )
            self.more.say("")
        else:
            self.use.setText(f"Use {best.frames} frames")
            same = best.frames == setup.block_frames
            self.headline.say(
                f"{best.frames} frames, that of now, is the smallest that held."
                if same
                else f"{best.frames} frames is the smallest that held with time to spare.",
                "water",
            )
            gains = {} if same else gains_ms(f.session.situation, best.frames)
            self.more.say(
                ", ".join(f"{listener_name(setup, x)} {ms_text(g / 1e3)} sooner" for x, g in gains.items() if g > 0.05)
            )
