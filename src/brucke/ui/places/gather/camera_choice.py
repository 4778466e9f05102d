"""Which camera of this computer is recorded with a take."""

from collections.abc import Callable
from concurrent.futures import Future

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....core.document.setup import Device
from ....ports.devices.cameras import Camera, cameras
from ....words.translation import _
from ...kit.asked_aside import AskedAside
from ...kit.button import Button
from ...kit.chips import Chips
from ...kit.label import Words
from ...theme.theme import Theme

LOOK = _("Look for cameras")


class CameraChoice(QWidget):
    """`chose` is called with the name of a camera, “” for none. Only a press looks what there is."""

    def __init__(self, theme: Theme, chose: Callable[[str], None]):
        super().__init__()
        self.title = Words(theme, "small", "mute", wraps=False)
        self.title.setText(_("recorded with a take"))
        self.choices = Chips(theme, _("Camera that is recorded"), [], chose)
        self.look = Button(theme, LOOK, "outline")
        self.look.clicked.connect(self._look)
        self.says = Words(theme, "small", "mute")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        for w in (self.title, self.choices, self.look, self.says):
            column.addWidget(w)
        self._found: tuple[Camera, ...] | None = None
        self._now, self._none = "", ""
        self._cameras = AskedAside(self, cameras, self._answered)

    def show_camera(self, device: Device, for_real: bool) -> None:
        """`for_real`: the sound is of real equipment, and no stand-in has pictures for it."""
        self._now = device.card
        self._none = _("none") if for_real else _("simulated stand-in")
        self._offer()

    def _offer(self) -> None:
        known = {c.name: c.name[:40] for c in self._found or ()}
        if self._now and self._now not in known:
            known[self._now] = (
                self._now[:40] if self._found is None else _("{name}, not there").format(name=self._now[:32])
            )
        self.choices.offer([("", self._none), *known.items()])
        self.choices.show_on(self._now)
        taken = next((c for c in self._found or () if c.held_by), None)
        if taken is not None:
            said = _("{program} has {camera} now: close it there first, or record there and bring the film afterwards.")
            self.says.say(said.format(program=taken.held_by[0], camera=taken.name[:40]))
        elif self._found is not None and not self._found:
            self.says.say(_("No camera was found on this computer."))
        else:
            self.says.say(
                _("It is open while a take is recorded or somebody hears you, and at no other time.")
                if self._now or self._none != _("none")
                else _("No picture is recorded. A film from elsewhere can be brought to a take in Review.")
            )

    def _look(self) -> None:
        self.look.setText(_("Looking…"))
        self._cameras.ask()

    def _answered(self, answer: "Future[list[Camera]]") -> None:
        self.look.setText(LOOK)
        self._found = tuple(answer.result()) if answer.exception() is None else ()
        self._offer()
