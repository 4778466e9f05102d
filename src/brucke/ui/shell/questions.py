"""The few questions that Brucke asks of its own accord, before something that cannot be taken back."""

from PyQt6.QtWidgets import QWidget

from ...app.recording.consent import answer
from ...app.session.session import Session
from ...core.document.setup import Part
from ...words import at_home as words
from ...words.recordings import may_record_text
from ...words.translation import _
from ..kit.question import Line, Question, ask
from ..theme.theme import Theme


def whether_held(window: QWidget, theme: Theme, text: str) -> str:
    """“keeps”, “lets_go” or “” for not quitting."""
    return ask(window, theme, text, ((_("Keep silent and quit"), words.KEEPS), (_("Let go and quit"), words.LETS_GO)))


def whether_open(window: QWidget, theme: Theme, text: str) -> str:
    """“closes”, “goes_on” or “” for neither."""
    return ask(
        window,
        theme,
        text,
        ((_("Let nobody hear and hide"), words.CLOSES), (_("They go on hearing; hide"), words.GOES_ON)),
    )


def whether_saved(window: QWidget, theme: Theme, name: str) -> str:
    """“save”, “discard” or “” for staying."""
    return ask(
        window, theme, _("“{name}” has changes that are not saved.").format(name=name), ((_("Save"), "save"), (_(
        "Discard"), "discard"))
    )  # fmt: skip


def whether_agreed(window: QWidget, theme: Theme, session: Session, part: Part) -> bool:
    """Whether a far end agrees to be recorded; the answer is kept. False where nothing is to be recorded."""
    text, more = may_record_text(session.setup, part.id)
    question = Question(
        window, theme, text, ((_("They agree: record"), "yes"), (_("Record without them"), "no")), more,
        line=Line(_("Who agreed"), part.name, ("no",)), leave=_("Do not record"),
    )  # fmt: skip
    question.exec()
    if question.answer:
        answer(session, part.id, question.typed if question.answer == "yes" else "", question.answer == "yes")
    return bool(question.answer)
