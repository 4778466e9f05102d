"""Beside a far end: whether it may be recorded, and how that is changed."""

from ....app.recording.consent import answer, is_somebody
from ....app.session.session import Session
from ....core.document.setup import Part
from ....words.recordings import may_be_recorded_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.edit import Edit
from ...kit.field import TextField
from ...kit.label import Words
from ...kit.row import row
from ...theme.theme import Theme
from .part_cards import PartCard, label


class AgreedCard(PartCard):
    def __init__(self, theme: Theme, edit: Edit, session: Session):
        super().__init__(theme, edit, _("May they be recorded?"))
        self.session = session
        self.said = Words(theme, "body")
        self.who = TextField(theme, _("Who agreed"))
        self.yes = Button(theme, _("They agree"), "outline")
        self.no = Button(theme, _("They do not"), "outline")
        self.column.addWidget(self.said)
        self.column.addLayout(row(label(theme, _("who agreed")), self.who))
        self.column.addLayout(row(self.yes, self.no, stretch=1))
        self.yes.clicked.connect(lambda: answer(session, self.part.id, self.who.text().strip() or self.part.name, True))
        self.no.clicked.connect(lambda: answer(session, self.part.id, "", False))

    def applies(self, part: Part) -> bool:
        return is_somebody(self.session, part)

    def refresh(self) -> None:
        knowledge = self.session.knowledge
        agreement = knowledge.agreement(self.part.id)
        self.said.say(may_be_recorded_text(self.setup, knowledge, self.part.id))
        self.who.show_text(agreement.who if agreement is not None else self.part.name)
        self.yes.setVisible(agreement is None)
        self.no.setVisible(agreement is not None or not any(a.part == self.part.id for a in knowledge.agreed))
