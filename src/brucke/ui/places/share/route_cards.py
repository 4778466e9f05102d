"""Beside the grid: gain, dry or processed, channels and arrival of the chosen route, or the chosen listener."""

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from ....core.document.setup import Listener, MapPoint, Part, Route, Setup
from ....core.edits import chain_edits, listener_edits, route_edits
from ....core.routing.feedback_loops import own_return
from ....core.routing.maps import effective_map
from ....core.timing.arrivals import Timing
from ....words import explanations
from ....words import timing as words
from ....words.documents import TRACKS_WORDS
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.field import NumberField, TextField
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.row import row
from ...kit.scale import GainScale
from ...theme.theme import Theme
from .channel_map import ChannelMap


class RouteCard(Card):
    """A card about the chosen route."""

    def __init__(self, theme: Theme, edit: Edit, title: str):
        super().__init__(theme)
        self.edit = edit
        self.setup = Setup()
        self.part = Part(id="", name="", kind="lead", device="")
        self.listener = Listener(id="", name="", kind="call", device="")
        self.route = Route(part="", listener="", on=False)
        self.title = Words(theme, "strong", wraps=False)
        self.title.setText(title)

    def show_route(self, setup: Setup, part: Part, listener: Listener, timing: Timing) -> None:
        self.setup, self.part, self.listener = setup, part, listener
        self.route = setup.route(part.id, listener.id) or Route(part=part.id, listener=listener.id, on=False)
        applies = self.applies()
        self.setVisible(applies)
        if applies:
            self.refresh(timing)

    @property
    def name(self) -> str:
        return f"{self.part.name} → {self.listener.name}"

    def applies(self) -> bool:
        return self.route.on and self.part.kind != "picture"

    def refresh(self, timing: Timing) -> None:
        raise AssertionError("a subclass shows the route")


class SwitchCard(RouteCard):
    """On or off; a call's own far end only by a deliberate step."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Carried"))
        self.words = Words(theme, "body")
        self.on = Button(theme, _("Switch on"), "primary", "Space")
        self.own = Button(theme, _("Let them hear themselves all the same"), "outline")
        for w in (self.words, self.on, self.own):
            self.column.addWidget(w)
        self.on.clicked.connect(self._switch)
        self.own.clicked.connect(self._own)

    def applies(self) -> bool:
        return not self.route.on or self.part.kind == "picture" or self.route.own_return

    def refresh(self, timing: Timing) -> None:
        own = own_return(self.part, self.listener.id)
        if own and not self.route.on:
            text = _("{listener} never gets its own far end back: they would hear themselves late.")
        elif own:
            text = _("{listener} gets its own far end back. You asked for it.")
        elif self.route.on:
            text = _("{part} goes to {listener}.")
        else:
            text = _("{part} does not go to {listener}.")
        self.words.say(text.format(part=self.part.name, listener=self.listener.name))
        self.on.setVisible(not own)
        self.on.setText(_("Switch off") if self.route.on else _("Switch on"))
        self.own.setVisible(own)
        self.own.setText(_("Keep it out again") if self.route.on else _("Let them hear themselves all the same"))

    def _switch(self) -> None:
        on = not self.route.on
        self.edit(
            f"{self.name} {'on' if on else 'off'}", route_edits.set_on(self.setup, self.part.id, self.listener.id, on)
        )

    def _own(self) -> None:
        allow = not self.route.own_return
        after = route_edits.allow_own_return(self.setup, self.part.id, self.listener.id, allow)
        said = _("{name} own return on") if allow else _("{name} own return off")
        self.edit(said.format(name=self.name), after)


class GainCard(RouteCard):
    def __init__(self, theme: Theme, edit: Edit, cells: Callable[[], list[tuple[str, str]]]):
        super().__init__(theme, edit, _("Gain"))
        self._cells = cells
        self.value = NumberField(theme, _("Gain"), -60, 12, "dB")
        self.scale = GainScale(theme, _("Gain on a decibel scale"))
        self.column.addLayout(row(self.title, self.value))
        self.column.addWidget(self.scale)
        self.value.entered.connect(self._set)
        self.scale.moved.connect(self._set)

    def refresh(self, timing: Timing) -> None:
        self.value.show_value(max(-60.0, self.route.gain_db))
        self.scale.show_gain(self.route.gain_db)

    def _set(self, db: float) -> None:
        cells = self._cells() or [(self.part.id, self.listener.id)]
        after = route_edits.set_gains(self.setup, cells, db)
        self.edit(f"{self.name} gain {words.db_text(db)}", after, "gain")


class CarriedCard(RouteCard):
    """Dry or processed."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Carried as"))
        self.which = Chips(theme, _("Carried as"), [("processed", _("processed")), ("dry", _("dry"))], self._set)
        self.column.addLayout(row(self.title, self.which))

    def applies(self) -> bool:
        return super().applies() and bool(self.part.chain)

    def refresh(self, timing: Timing) -> None:
        self.which.show_on("processed" if self.route.processed else "dry")

    def _set(self, which: str) -> None:
        after = route_edits.set_processed(self.setup, self.part.id, self.listener.id, which == "processed")
        self.edit(f"{self.name} {which}", after)


class ChannelsCard(RouteCard):
    """The map, and two gestures that lay channels out: this one here, everything else there."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Channels"))
        self.note = Words(theme, "small", "mute")
        self.map = ChannelMap(theme)
        self.plain = Button(theme, _("As usual"), "plain")
        self.here = Chips(theme, _("This route on"), [], self._here)
        self.rest_words = Words(theme, "small", "mute", wraps=False)
        self.rest_words.setText(_("everything else on"))
        self.rest = Chips(theme, _("Everything else on"), [], self._rest)
        head = row(self.title)
        head.addStretch(1)
        head.addWidget(self.plain)
        self.column.addLayout(head)
        for w in (self.map, self.here, self.rest_words, self.rest, self.note):
            self.column.addWidget(w)
        self.plain.clicked.connect(lambda: self._put(_("as usual"), ()))
        self.map.toggled.connect(self._toggle)
        self.map.nudged.connect(self._nudge)
        self.map.carried.connect(self._carry)

    def refresh(self, timing: Timing) -> None:
        points = effective_map(self.part, self.listener, self.route)
        self.map.show_map(points, len(self.part.channels), self.listener.channels, self.part.colour)
        self.plain.setVisible(bool(self.route.map))
        wide = self.listener.channels
        pairs = [(str(c), f"{c + 1}–{c + 2}" if c + 1 < wide else f"{c + 1}") for c in range(0, wide, 2)]
        for w in (self.here, self.rest, self.rest_words):
            w.setVisible(wide > 2)
        first = min((m.target for m in points), default=0)
        self.here.offer(pairs)
        self.here.show_on(str(first // 2 * 2))
        self.rest.offer(pairs)
        self.note.say(self._words(points))

    def _words(self, points: tuple[MapPoint, ...]) -> str:
        sides = len(self.part.channels)
        if self.listener.channels == 1 and sides == 2 and not self.route.map:
            return _("mono: both sides at half, never louder than the louder one")
        targets = {m.target for m in points}
        if sides == 1 and len(targets) == 2:
            return _("one side carried to both, nothing added")
        if sides == 2 and len({m.source for m in points}) == 1:
            return _("only one side is carried")
        return ""

    def _put(self, what: str, points: tuple[MapPoint, ...]) -> None:
        self.edit(
            f"{self.name} channels {what}", route_edits.set_map(self.setup, self.part.id, self.listener.id, points)
        )

    def _toggle(self, source: int, target: int) -> None:
        after = route_edits.toggle_point(self.setup, self.part.id, self.listener.id, source, target)
        self.edit(f"{self.name} channel {target + 1}", after)

    def _nudge(self, source: int, target: int, by: float) -> None:
        now = effective_map(self.part, self.listener, self.route)
        point = next((m for m in now if (m.source, m.target) == (source, target)), None)
        if point is not None:
            gain = point.gain_db + by
            after = route_edits.set_point_gain(self.setup, self.part.id, self.listener.id, source, target, gain)
            self.edit(f"{self.name} channel {target + 1} gain {words.db_text(gain)}", after, f"gain {source} {target}")

    def _carry(self, source: int, target: int, to_source: int, to_target: int) -> None:
        now = effective_map(self.part, self.listener, self.route)
        point = next(m for m in now if (m.source, m.target) == (source, target))
        kept = tuple(m for m in now if (m.source, m.target) not in ((source, target), (to_source, to_target)))
        moved = MapPoint(source=to_source, target=to_target, gain_db=point.gain_db)
        self._put(f"to {to_target + 1}", (*kept, moved))

    def _here(self, first: str) -> None:
        after = route_edits.place_on(self.setup, [(self.part.id, self.listener.id)], int(first))
        self.edit(f"{self.name} on {int(first) + 1}–{int(first) + 2}", after)

    def _rest(self, first: str) -> None:
        after = route_edits.others_on(self.setup, self.part.id, self.listener.id, int(first))
        self.edit(
            _("everything else at {name} on {what}–{what2}").format(
                name=self.listener.name, what=int(first) + 1, what2=int(first) + 2
            ),
            after,
        )


class ArrivesCard(RouteCard):
    """When it arrives, and what would bring it in step."""

    def __init__(self, theme: Theme, edit: Edit, show: Callable[[str, str], None]):
        super().__init__(theme, edit, _("Arrives"))
        self.when = Words(theme, "strong", "ink")
        self.reason = Words(theme, "body")
        self.delay = Button(theme, _("Delay"), "primary", "D")
        self.show_in = Button(theme, _("Show in Align"), "outline")
        for w in (self.title, self.when, self.reason):
            self.column.addWidget(w)
        self.buttons = Flow(8)
        self.buttons.addWidget(self.delay)
        self.buttons.addWidget(self.show_in)
        self.column.addLayout(self.buttons)
        self._needed_ms = 0.0
        self.delay.clicked.connect(self.delay_it)
        self.show_in.clicked.connect(lambda: show(self.listener.id, self.part.id))

    def applies(self) -> bool:
        return self.route.on

    def refresh(self, timing: Timing) -> None:
        t = timing.of(self.listener.id)
        r, problem = t.route(self.part.id), t.problem(self.part.id)
        if problem is not None:
            self.when.say(_("cannot be judged"), "coral")
            self.reason.say(words.finding_text(self.setup, problem))
            self.delay.setVisible(False)
            return
        if r is None:
            self.hide()
            return
        self.when.say(
            explanations.route_headline(self.setup, r),
            "amber" if r.unknown else "water" if r.in_step or r.off is None or t.wanted_so else "coral",
        )
        self.reason.say(explanations.route_reason(self.setup, t, r))
        self._needed_ms = r.align_delay_frames / self.setup.rate_hz * 1e3
        self.delay.setVisible(t.can_delay(self.setup, r) and not r.in_step)
        self.delay.setText(words.delay_text(self.setup, r))

    def delay_it(self) -> None:
        if self.isVisible() and self.delay.isVisible():
            after = route_edits.set_delay(self.setup, self.part.id, self.listener.id, self._needed_ms)
            self.edit(f"{self.name} delay {self._needed_ms:.1f} ms", after)


class ListenerCard(Card):
    """A listener itself: name, width, one track per part, another one, none."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme)
        self.edit = edit
        self.setup = Setup()
        self.listener = Listener(id="", name="", kind="call", device="")
        self.title = Words(theme, "strong", wraps=False)
        self.title.setText(_("This listener"))
        self.name = TextField(theme, _("Name of the listener"))
        self.channels = NumberField(theme, _("Channels"), 1, 16, _("channels"), 0)
        self.words = Words(theme, "small", "mute")
        self.ceiling = NumberField(theme, _("Nothing louder than"), -40, 0, "dBFS")
        self.ceiling_row = QWidget()
        line = QHBoxLayout(self.ceiling_row)
        line.setContentsMargins(0, 0, 0, 0)
        self.ceiling_words = Words(theme, "body", "mute", wraps=False)
        self.ceiling_words.setText(_("nothing louder than"))
        line.addWidget(self.ceiling_words)
        line.addWidget(self.ceiling, 1)
        self.tracks = Button(theme, _("One track per part"), "outline")
        self.double = Button(theme, _("Duplicate"), "outline")
        self.away = Button(theme, _("Remove"), "outline")
        for w in (self.title, self.name, self.channels, self.words, self.ceiling_row, self.tracks):
            self.column.addWidget(w)
        flow = Flow(8)
        flow.addWidget(self.double)
        flow.addWidget(self.away)
        self.column.addLayout(flow)
        self.name.entered.connect(self._rename)
        self.channels.entered.connect(self._widen)
        self.ceiling.entered.connect(self._cap)
        self.tracks.clicked.connect(self._tracks)
        self.double.clicked.connect(self._double)
        self.away.clicked.connect(self._remove)

    def show_listener(self, setup: Setup, listener: Listener) -> None:
        self.setup, self.listener = setup, listener
        self.name.show_text(listener.name)
        self.channels.show_value(listener.channels)
        self.words.say(TRACKS_WORDS[listener.kind])
        self.tracks.setVisible(listener.kind in ("recorder", "program"))
        self.ceiling_row.setVisible(listener.kind == "monitor")
        self.ceiling.show_value(listener.ceiling_db)

    def _rename(self, name: str) -> None:
        after = listener_edits.change_listener(self.setup, self.listener.id, name=name)
        self.edit(_("{name} is now {name2}").format(name=self.listener.name, name2=name), after)

    def _cap(self, value: float) -> None:
        after = listener_edits.set_ceiling(self.setup, self.listener.id, value)
        self.edit(
            _("{name} nothing louder than {db}FS").format(name=self.listener.name, db=words.db_text(value)),
            after,
            "ceiling",
        )

    def _widen(self, channels: float) -> None:
        after = listener_edits.change_listener(self.setup, self.listener.id, channels=int(channels))
        self.edit(f"{self.listener.name} {int(channels)} channels", after)

    def _tracks(self) -> None:
        after = listener_edits.lay_out_tracks(self.setup, self.listener.id)
        self.edit(_("{name}: one track per part").format(name=self.listener.name), after)

    def _double(self) -> None:
        after = chain_edits.give_places(listener_edits.duplicate_listener(self.setup, self.listener.id))
        self.edit(f"{self.listener.name} duplicated", after)

    def _remove(self) -> None:
        self.edit(f"{self.listener.name} removed", listener_edits.remove_listener(self.setup, self.listener.id))
