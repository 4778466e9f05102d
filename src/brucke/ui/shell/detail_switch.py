"""Plain words, or numbers: one switch for everything that is shown, remembered."""

from PyQt6.QtCore import QSettings

from ...app.session.session import Session
from ...words.detail import choose, in_numbers, say_numbers
from ...words.translation import _
from ..kit.button import Button
from ..theme.theme import Theme

KEY = "numbers"


class DetailSwitch:
    """In numbers until somebody chooses, or begins with the guided page."""

    def __init__(self, theme: Theme, session: Session, settings: QSettings):
        self._theme, self._session, self._settings = theme, session, settings
        self._button: Button | None = None
        say_numbers(settings.value(KEY, True, bool))

    def shown_on(self, button: Button) -> None:
        """`button` says what pressing it does."""
        self._button = button
        button.clicked.connect(self.change)
        self._label()

    def change(self) -> None:
        self.set(not in_numbers())

    def begin_plainly(self) -> None:
        """Where nobody has chosen yet."""
        if not self._settings.contains(KEY):
            self.set(False)

    def set(self, numbers: bool) -> None:
        self._settings.setValue(KEY, numbers)
        say_numbers(numbers)
        self._label()
        self._theme.tell()
        self._session.changed.emit()

    def _label(self) -> None:
        if self._button is not None:
            self._button.setText(choose(_("In numbers"), _("In plain words")))
