"""The hour in a small window above others: shown, fed with what Perform shows, and gone again."""

from typing import TYPE_CHECKING, Protocol

from PyQt6.QtWidgets import QWidget

from ..theme.theme import Theme
from .hands import Hands

if TYPE_CHECKING:
    from ..places.perform.small_form import SmallForm
    from ..places.perform.view import PerformView


class Beside(Protocol):
    """The window it belongs to."""

    theme: Theme
    hands: Hands

    @property
    def perform(self) -> "PerformView": ...

    def do(self, id: str) -> None: ...


class SmallWindow:
    """`form` while it is shown."""

    def __init__(self, window: Beside):
        self.w = window
        self.form: SmallForm | None = None

    def toggle(self) -> None:
        if self.form is not None:
            self.form.close()
            return
        from ..places.perform.small_form import SmallForm

        assert isinstance(self.w, QWidget)
        form = self.form = SmallForm(self.w.theme, self.w)
        form.acts.connect(self.w.do)
        form.mutes.connect(self.w.hands.toggle_mute)
        form.left.connect(self._left)
        self.w.perform.shown.connect(self._show)
        self.w.perform.small = True
        self.w.perform.refresh()
        form.show()

    def _show(self) -> None:
        if self.form is not None and self.w.perform.data is not None:
            self.form.show_data(self.w.perform.data, self.w.perform.big_keys)

    def _left(self) -> None:
        form, self.form = self.form, None
        self.w.perform.small = False
        self.w.perform.shown.disconnect(self._show)
        if form is not None:
            form.deleteLater()
