"""A small square that flashes, for a camera of this computer or for one that films it. Nothing flashes before it was
said, and asked for."""

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from ...app.measuring.camera_check import COUNT, CameraCheck
from ...core.knowledge.quantities import CAMERA
from ...words.detail import choose
from ...words.timing import about_text, device_name, ms_text
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.chips import Chips
from ..kit.dialog import BesideWindow
from ..kit.label import Words
from ..kit.row import ends
from ..paint.sheet import colour
from ..theme.theme import Theme
from ..theme.tokens import LIGHT, NIGHT
from .tool import Tool

SIDE_PX = 110  # about three centimetres: far less than a quarter of what the eye sees at once
WARNING = _(
    "A small square will flash here eight times, at most twice a second. Who is sensitive to flashing light should "
    "look away, and nobody at the other side should have to see it. Where sound runs, a soft beep goes with each in "
    "the headphones."
)
NO_CAMERA = (
    _("No camera is here that could be asked. Film the square with any, where the beep in the headphones can be heard "
      "as well, and open that recording (Align, Questions). How late this screen and these headphones are is in it, "
      "about 20 ms.")
)  # fmt: skip


class Square(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.on = False
        self.setAccessibleName(_("The square that flashes"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(3 * SIDE_PX, 2 * SIDE_PX)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), colour(NIGHT, "paper"))
        if self.on:
            middle = self.rect().center()
            p.fillRect(middle.x() - SIDE_PX // 2, middle.y() - SIDE_PX // 2, SIDE_PX, SIDE_PX, colour(LIGHT, "card"))


class FlashDialog(BesideWindow):
    def __init__(self, theme: Theme, check: CameraCheck, parent: QWidget | None):
        super().__init__(_("A square that flashes, for a camera"), 640, 460, parent)
        self.check = check
        self.chosen = ""
        self.headline, self.more = Words(theme, "strong"), Words(theme, "body", "mute")
        self.which = Chips(theme, _("Camera"), [], self._choose)
        self.square = Square()
        self.begin, self.stop = Button(theme, _("Flash"), "primary"), Button(theme, _("Cancel"), "outline")
        self.keep, self.away = Button(theme, _("Keep it"), "primary"), Button(theme, _("Close"), "plain", "Esc")
        column = QVBoxLayout(self)
        column.setSpacing(8)
        for w in (self.headline, self.more, self.which, self.square):
            column.addWidget(w, 1 if w is self.square else 0)
        column.addLayout(ends(self.keep, self.begin, self.stop, right=self.away))
        self.begin.clicked.connect(self._begin)
        self.stop.clicked.connect(check.stop)
        self.keep.clicked.connect(self._keep)
        self.away.clicked.connect(self.reject)
        self.offered = check.offered()
        self.follow(check.changed, self.refresh)
        check.lit.connect(self._light)
        self.finished.connect(self._left)
        self.refresh()

    def _left(self, _code: int) -> None:
        self.check.stop()
        self.check.lit.disconnect(self._light)

    def _light(self, on: bool) -> None:
        """Painted at once, and told when."""
        if on != self.square.on:
            self.square.on = on
            self.square.repaint()
            self.check.was_lit(on)

    def _choose(self, key: str) -> None:
        self.chosen = key
        self.refresh()

    def _begin(self) -> None:
        camera = next((c for c in self.offered if str(c.path) == self.chosen), None)
        self.check.begin(camera.path if camera is not None and not camera.held_by else None)

    def _keep(self) -> None:
        if self.check.keep():
            self.accept()

    def refresh(self) -> None:
        check, setup = self.check, self.check.session.setup
        self.which.offer(
            [(str(c.path), c.name) for c in self.offered] + [("", _("another, that films it"))] if self.offered else []
        )
        if self.chosen not in {str(c.path) for c in self.offered} and self.offered and check.state == "":
            self.chosen = str(self.offered[0].path)
        self.which.show_on(self.chosen)
        self.which.setEnabled(not check.busy)
        self.begin.setVisible(not check.busy)
        self.begin.setText(_("Flash once more") if check.state not in ("", "opening") else _("Flash"))
        self.stop.setVisible(check.busy)
        self.keep.setVisible(check.state == "found" and bool(check.camera))
        if check.camera:
            self.keep.setText(_("Keep it for {device}").format(device=device_name(setup, check.camera)))
        self._say()

    def _say(self) -> None:
        check = self.check
        camera = next((c for c in self.offered if str(c.path) == self.chosen), None)
        if check.state == "opening":
            said, tone, more = _("Opening the camera."), "ink", ""
        elif check.state == "flashing":
            said, tone, more = f"Flash {check.flashes} of {COUNT}.", "ink", ""
        elif check.state == "found":
            took = choose(about_text(check.offset_s, check.plus_minus_s), ms_text(check.offset_s))
            said, tone = (
                _("The camera takes {took}{choose}, from {flashes} flashes.").format(
                    took=took, choose=choose("", f", ± {ms_text(check.plus_minus_s)}"), flashes=check.flashes
                ),
                "water",
            )
            more = _("From light to a picture in this computer. How late the screen lights the square is taken off")
            more += choose(".", _(", and in the ±."))
        elif check.state == "nothing":
            said, tone, more = (
                _("The camera did not see the square flash. Turn it to the square, and close enough."),
                "amber",
                "",
            )
        elif check.state == "failed":
            said, tone, more = check.said, "coral", ""
        elif check.state == "shown":
            said, tone, more = _("Eight flashes were shown. Open the recording (Align, Questions)."), "ink", ""
        else:
            said, tone, more = WARNING, "amber", "" if self.offered else NO_CAMERA
        if not check.busy and camera is not None and camera.held_by:
            more = _(
                "{name} is held by {what}. Film the square there, and open that recording (Align, Questions)."
            ).format(name=camera.name, what=", ".join(camera.held_by))
        self.headline.say(said, tone)
        self.more.say(more)
        before = self.check.session.situation.measured(CAMERA, check.camera) if check.camera else None
        self.square.setToolTip(
            _("measured before: {ms}").format(ms=ms_text(before.value_s)) if before is not None else ""
        )


FLASH = Tool(
    Action("camera", _("A square that flashes, for a camera…")), "picture", _("Flash for a camera here…"),
    lambda host: host.show(FlashDialog(host.theme, host.studio.service(CameraCheck), host.parent)),
)  # fmt: skip
