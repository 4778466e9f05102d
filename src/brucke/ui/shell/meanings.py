"""Words of the trade on the screen, explained: one where it is pressed, or all that stand there."""

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QAbstractButton, QWidget

from ...words.glossary import MEANINGS, terms_in
from ...words.translation import _
from ..kit.label import Words
from ..kit.meaning import Meaning
from ..theme.theme import Theme
from .notice import Notice


def explain_where_pressed(theme: Theme) -> None:
    theme.asked.connect(lambda term, at, on: Meaning(theme, [term], on.window()).show_at(at))


def meanings_on(window: QWidget) -> list[str]:
    """The terms that are read on it now, in the order of the glossary."""
    shown = [w for w in window.findChildren(QWidget) if w.isVisible()]
    read = [w.accessibleName() for w in shown] + [w.text() for w in shown if isinstance(w, Words | QAbstractButton)]
    found = {term for text in read for _from, _to, term in terms_in(text)}
    return [t for t in MEANINGS if t in found]


def show_meanings(theme: Theme, window: QWidget, notice: Notice) -> None:
    terms = meanings_on(window)
    if not terms:
        notice.say(
            _(
                "No word of the trade stands here. Those that are underlined with dots tell what they mean when they "
                "are pressed."
            ),
            "mute",
        )
        return
    card = Meaning(theme, terms, window)
    card.show_at(window.mapToGlobal(QPoint((window.width() - card.width()) // 2, window.height() // 6)))
