"""Beside the parts: level, channels, who the part plays along with, and the part itself."""

from collections.abc import Callable

from ....app.chains.level_help import LevelFinder
from ....core.checks.level_advice import GOOD_DB
from ....core.document.setup import IN_THE_ROOM, Part, Setup
from ....core.edits import chain_edits, part_edits
from ....core.edits.part_edits import MODES, mode_of
from ....core.edits.route_edits import switch
from ....words import timing
from ....words.detail import choose
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.field import NumberField, TextField
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.level_help import LevelHelp
from ...kit.row import row
from ...theme.theme import Theme

COLOURS = ("green", "plum", "violet", "blue", "ochre", "brown", "olive", "grey")


class PartCard(Card):
    """A card about the chosen part; hidden where it does not apply."""

    def __init__(self, theme: Theme, edit: Edit, title: str):
        super().__init__(theme)
        self.theme, self.edit = theme, edit
        self.setup, self.part = Setup(), Part(id="", name="", kind="lead", device="")
        self.title = Words(theme, "strong", wraps=False)
        self.title.setText(title)
        self.column.addWidget(self.title)

    def show_part(self, setup: Setup, part: Part) -> None:
        self.setup, self.part = setup, part
        self.setVisible(self.applies(part))
        if self.applies(part):
            self.refresh()

    def applies(self, part: Part) -> bool:
        return part.kind != "picture"

    def refresh(self) -> None:
        raise AssertionError("a subclass shows the part")


class LevelCard(PartCard):
    """The raw input beside the trim: what is clipped at the input no trim can mend."""

    def __init__(self, theme: Theme, edit: Edit, levelling: LevelFinder):
        super().__init__(theme, edit, _("Set the level"))
        self.help = LevelHelp(theme, levelling, "gather")
        self.hint = Words(theme, "small", "mute")
        self.input = Words(theme, "strong", wraps=False)
        self.anew = Button(theme, _("Count anew"), "plain")
        self.trim = NumberField(theme, _("Trim"), -60, 40, "dB")
        self.alone = Button(theme, _("Listen alone"), "outline", "L")
        self.mute = Button(theme, _("Mute"), "outline", "U")
        for b in (self.alone, self.mute):
            b.setCheckable(True)
        self.column.addWidget(self.hint)
        self.column.addLayout(row(self.input, self.anew))
        self.column.addLayout(row(label(theme, "trim"), self.trim))
        self.column.addWidget(self.help)
        self.column.addLayout(row(self.alone, self.mute, stretch=1))
        self.trim.entered.connect(self._trimmed)

    def refresh(self) -> None:
        self.trim.show_value(self.part.trim_db)
        self.help.show_part(self.part.id)
        # What a file or a program sends at is as it was made: there is nobody to sing louder.
        self.help.setVisible(self.part.source in ("microphone", "instrument"))

    def show_input(self, peak_db: float | None, clips: int) -> None:
        """What comes in before the trim."""
        if clips:
            self.hint.say(
                _("The input clipped {n} times. Turn its own knob down; a trim cannot mend that.").format(n=clips),
                "coral",
            )
        else:
            said = choose(
                _("Sing or play the loudest line; it should come as far as between the two marks."),
                _("The loudest line should peak between the two marks: {low} to {high}."),
            )
            self.hint.say(
                said.format(low=timing.db_text(GOOD_DB[0]), high=timing.dbfs_text(GOOD_DB[1])),
                "mute",
            )
        self.anew.setVisible(clips > 0)
        self.input.say(_("input –") if peak_db is None else _("input {db}").format(db=timing.dbfs_text(peak_db)))

    def _trimmed(self, value: float) -> None:
        label = f"{self.part.name} trim {timing.db_text(value)}"
        self.edit(label, part_edits.set_trim(self.setup, self.part.id, value), "trim")


def label(theme: Theme, text: str) -> Words:
    label = Words(theme, "body", "mute", wraps=False)
    label.setText(text)
    return label


class HearCard(PartCard):
    """The one question about somebody new: who should hear them. Nobody does until it is answered."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Who should hear it?"))
        self.hint = Words(theme, "small", "mute")
        self.hint.setText(_("Nobody yet. Everything can be changed in Share."))
        self.others = Button(theme, _("Everyone but me"), "primary")
        self.all = Button(theme, _("Everyone"), "outline")
        self.recorder = Button(theme, _("Only the recorder"), "outline")
        self.column.addWidget(self.hint)
        flow = Flow(8)
        for b in (self.others, self.all, self.recorder):
            flow.addWidget(b)
        self.column.addLayout(flow)
        self.others.clicked.connect(lambda: self._let(_("everyone but me"), lambda kind: kind != "monitor"))
        self.all.clicked.connect(lambda: self._let("everyone", lambda kind: True))
        self.recorder.clicked.connect(lambda: self._let(_("the recorder only"), lambda kind: kind == "recorder"))

    def applies(self, part: Part) -> bool:
        asked = part.source in ("microphone", "instrument") and bool(self.setup.listeners)
        return asked and not any(r.on and r.part == part.id for r in self.setup.routes)

    def refresh(self) -> None:
        self.recorder.setVisible(any(x.kind == "recorder" for x in self.setup.listeners))

    def _let(self, who: str, hears: Callable[[str], bool]) -> None:
        cells = [(self.part.id, x.id) for x in self.setup.listeners if hears(x.kind)]
        self.edit(f"{self.part.name} to {who}", switch(self.setup, cells, True))


class ChannelsCard(PartCard):
    """Mono, stereo, swapped, one side to both; which input; polarity; whether silence is meant."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Channels"))
        self.modes = Chips(theme, _("Channels"), [(m, m) for m in MODES], self._mode)
        self.first = NumberField(theme, _("First input"), 1, 256, "", 0)
        self.polarity = Button(theme, _("polarity reversed"), "choice")
        self.quiet = Button(theme, _("may be silent"), "choice")
        self.column.addWidget(self.modes)
        self.column.addLayout(row(label(theme, _("from input")), self.first))
        flags = Flow(6)
        flags.addWidget(self.polarity)
        flags.addWidget(self.quiet)
        self.column.addLayout(flags)
        self.first.entered.connect(self._first)
        self.polarity.clicked.connect(self._polarity)
        self.quiet.clicked.connect(self._quiet)

    def refresh(self) -> None:
        self.modes.show_on(mode_of(self.part))
        self.first.show_value(min(self.part.channels) + 1)
        self.polarity.setText(choose(_("upside down"), _("polarity reversed")))
        self.polarity.setChecked(self.part.inverted)
        self.quiet.setChecked(self.part.quiet)

    def _mode(self, mode: str) -> None:
        self.edit(f"{self.part.name} {mode}", part_edits.set_mode(self.setup, self.part.id, mode))

    def _first(self, value: float) -> None:
        by = int(value) - 1 - min(self.part.channels)
        channels = tuple(c + by for c in self.part.channels)
        self.edit(
            _("{name} from input {what}").format(name=self.part.name, what=int(value)),
            part_edits.set_channels(self.setup, self.part.id, channels),
        )

    def _polarity(self) -> None:
        after = part_edits.change_part(self.setup, self.part.id, inverted=not self.part.inverted)
        self.edit(f"{self.part.name} polarity", after)

    def _quiet(self) -> None:
        after = part_edits.change_part(self.setup, self.part.id, quiet=not self.part.quiet)
        self.edit(
            (_("{name} may not be silent") if self.part.quiet else _("{name} may be silent")).format(
                name=self.part.name
            ),
            after,
        )


class AlongCard(PartCard):
    """Whom a part plays along with, and where its player hears that. The picture: whom it shows."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Plays along with"))
        self.leads = Chips(theme, _("Plays along with"), [], self._lead)
        self.where = Words(theme, "small", "mute", wraps=False)
        self.where.setText(_("hears it in"))
        self.places = Chips(theme, _("Hears it in"), [], self._place)
        self.itself = Button(theme, _("silent in the room"), "choice")
        for w in (self.leads, self.where, self.places, self.itself):
            self.column.addWidget(w)
        self.itself.clicked.connect(self._itself)

    def applies(self, part: Part) -> bool:
        return part.kind in ("follower", "lead", "picture") and part.source != "count_in"

    def refresh(self) -> None:
        part, setup = self.part, self.setup
        picture = part.kind == "picture"
        self.title.setText(_("Shows") if picture else _("Plays along with"))
        others = [
            p for p in setup.parts if p.id != part.id and p.kind in (("follower", "lead") if picture else ("lead",))
        ]
        first = [] if picture else [("", _("nobody: it sets the beat"))]
        self.leads.offer([*first, *((p.id, p.name) for p in others if p.source != "count_in")])
        self.leads.show_on(part.shows if picture else part.follows if part.kind == "follower" else "")
        follows = part.kind == "follower"
        monitors = [(x.id, x.name) for x in setup.listeners if x.kind == "monitor"]
        self.places.offer([*monitors, (IN_THE_ROOM, _("the room"))])
        self.places.show_on(part.hears_at or IN_THE_ROOM)
        for w in (self.where, self.places):
            w.setVisible(follows)
        self.itself.setVisible(follows and part.hears_at not in ("", IN_THE_ROOM))
        self.itself.setChecked(part.hears_itself == "monitor")

    def _lead(self, lead: str) -> None:
        part, setup = self.part, self.setup
        if part.kind == "picture":
            after = part_edits.change_part(setup, part.id, shows=lead)
            self.edit(f"{part.name} shows {timing.part_name(setup, lead)}", after)
            return
        if not lead:
            after = part_edits.change_part(setup, part.id, kind="lead", follows="", hears_at="")
            self.edit(_("{name} sets the beat").format(name=part.name), after)
            return
        monitor = next((x.id for x in setup.listeners if x.kind == "monitor"), "")
        after = part_edits.change_part(setup, part.id, kind="follower", follows=lead, hears_at=part.hears_at or monitor)
        self.edit(_("{name} plays along with {part}").format(name=part.name, part=timing.part_name(setup, lead)), after)

    def _place(self, place: str) -> None:
        after = part_edits.change_part(self.setup, self.part.id, hears_at=place)
        self.edit(_("{name} hears it elsewhere").format(name=self.part.name), after)

    def _itself(self) -> None:
        to = "room" if self.part.hears_itself == "monitor" else "monitor"
        self.edit(
            (_("{name} silent in the room") if to == "monitor" else _("{name} heard in the room")).format(
                name=self.part.name
            ),
            part_edits.change_part(self.setup, self.part.id, hears_itself=to),
        )


class PartItselfCard(PartCard):
    """Name, colour, place in the order, another one, none."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("This part"))
        self.name = TextField(theme, _("Name of the part"))
        self.colours = Chips(theme, _("Colour"), [(str(i), c) for i, c in enumerate(COLOURS)], self._colour)
        self.up = Button(theme, _("Up"), "outline")
        self.down = Button(theme, _("Down"), "outline")
        self.double = Button(theme, _("Duplicate"), "outline")
        self.away = Button(theme, _("Remove"), "outline")
        self.column.addWidget(self.name)
        self.column.addWidget(self.colours)
        flow = Flow(8)
        for b in (self.up, self.down, self.double, self.away):
            flow.addWidget(b)
        self.column.addLayout(flow)
        self.name.entered.connect(self._rename)
        self.up.clicked.connect(lambda: self.move_by(-1))
        self.down.clicked.connect(lambda: self.move_by(1))
        self.double.clicked.connect(self.duplicate)
        self.away.clicked.connect(self.remove)

    def applies(self, part: Part) -> bool:
        return True

    def refresh(self) -> None:
        self.name.show_text(self.part.name)
        self.colours.show_on(str(self.part.colour % len(COLOURS)))

    def _rename(self, name: str) -> None:
        self.edit(
            _("{name} is now {name2}").format(name=self.part.name, name2=name),
            part_edits.rename_part(self.setup, self.part.id, name),
        )

    def _colour(self, index: str) -> None:
        after = part_edits.change_part(self.setup, self.part.id, colour=int(index))
        self.edit(f"{self.part.name} {COLOURS[int(index)]}", after)

    def move_by(self, by: int) -> None:
        self.edit(f"{self.part.name} {'up' if by < 0 else 'down'}", part_edits.move_part(self.setup, self.part.id, by))

    def duplicate(self) -> None:
        self.edit(
            f"{self.part.name} duplicated", chain_edits.give_places(part_edits.duplicate_part(self.setup, self.part.id))
        )

    def remove(self) -> None:
        self.edit(f"{self.part.name} removed", part_edits.remove_part(self.setup, self.part.id))
