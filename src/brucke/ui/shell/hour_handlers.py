"""What the keys of the live hour do: lines, moments, silence, doors, and what somebody there said."""

from collections.abc import Callable
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog

from ...app.session.session import Session
from ...app.studio import Studio
from ...engine.step.live import has_door, open_doors
from ...words import timing
from ...words.hear_as import hears_as_text
from ...words.hour_page import hour_page_text
from ...words.translation import _
from ..kit.action import MOMENT_KEYS
from ..kit.page import KINDS, save_page, text_page
from .notice import Notice
from .small_window import SmallWindow
from .strip import Strip

if TYPE_CHECKING:
    from ..places.perform.view import PerformView

NO_EARS = _("There is nobody else to be heard, or no headphones to hear them in.")


class InHour(Protocol):
    """What they act on."""

    session: Session
    studio: Studio
    notice: Notice
    strip: Strip
    small: SmallWindow

    @property
    def perform(self) -> "PerformView": ...


class HourHandlers:
    def __init__(self, window: InHour):
        self.w = window

    @property
    def handlers(self) -> dict[str, Callable[[], object]]:
        order = self.w.studio.order
        return {
            "line_next": order.next,
            "line_back": order.back,
            **{f"moment_{n}": partial(self._moment, n - 1) for n in range(1, MOMENT_KEYS + 1)},
            "silence": self._silence,
            "door": self._door,
            "hear_as": lambda: self._hear_as(False),
            "hear_half": lambda: self._hear_as(True),
            "heard": self._heard,
            "mark": self._mark,
            "hour_page": self._page,
            "small_form": self.w.small.toggle,
        }

    def _moment(self, index: int) -> None:
        self.w.perform.call_up_number(index)

    def _mark(self) -> None:
        mark = self.w.studio.marks.mark()
        if mark is None:
            self.w.notice.say(_("Nothing is recorded, so nothing is marked. R records."), "mute")
        else:
            self.w.notice.say(
                _("Marked at {time}: {mark}.").format(time=timing.clock_text(mark.at_s), mark=mark.says), "water"
            )

    def _silence(self) -> None:
        """Nobody hears anything, whatever is routed; once more, and everybody hears what they did."""
        live = self.w.session.live
        self.w.session.set_live(replace(live, silent=not live.silent))
        self.say_silence()

    def say_silence(self) -> None:
        if not self.w.session.live.silent:
            self.w.notice.say(_("Silence is over: everybody hears what they did before."), "water")
        else:
            said = _("Silence: nobody hears anything, you neither. F10 ends it.")
            self.w.notice.stand(said, "amber", lambda: self.w.session.live.silent)

    def _hear_as(self, half: bool) -> None:
        """One listener after the other in the headphones, then oneself again; or whoever is heard in one ear only."""
        session = self.w.session
        setup, live = session.setup, session.live
        others = [x.id for x in setup.listeners if x.kind != "monitor"]
        if len(others) == len(setup.listeners) or not others:
            self.w.notice.say(NO_EARS, "mute")
            return
        ids = ["", *others]
        at = ids.index(live.hears_as)
        if not half:
            at = (at + 1) % len(ids)
        after = replace(live, hears_as=ids[at or half], half=half and not live.half)
        session.set_live(after)
        if not after.hears_as:
            self.w.notice.say(_("You hear yourself again, as always."), "water")
            return
        text = hears_as_text(setup, after.hears_as, after.half)
        now = (after.hears_as, after.half)
        session.stands.emit(text, "water", lambda: (session.live.hears_as, session.live.half) == now)

    def _door(self) -> None:
        """The chosen listener stays closed on air, or is opened with the others; at once, where that is now."""
        session = self.w.session
        setup, id = session.setup, self.w.strip.chosen
        if not has_door(setup, id):
            self.w.notice.say(_("It has no door: it is your own, or a stand-in nobody sits at."), "amber")
            return
        shut = session.live.shut ^ {id}
        session.set_live(replace(session.live, shut=shut))
        name = timing.listener_name(setup, id)
        self.w.notice.say(
            _("{name} does not hear you when you let the others hear.").format(name=name)
            if id in shut
            else _("{name} hears you with the others.").format(name=name),
            "water",
        )

    def _heard(self) -> None:
        """Whoever is open and has it, or the one that is chosen of them."""
        session, desktop = self.w.session, self.w.studio.desktop
        there = [id for id in open_doors(session.setup, session.live) if desktop.consumers.get(id)]
        chosen = [id for id in there if id == self.w.strip.chosen]
        if not there:
            self.w.notice.say(_("Nobody is let hear, or nobody has chosen a microphone of ours."), "amber")
            return
        self.w.studio.hour.note_heard(chosen or there)
        names = [timing.listener_name(session.setup, id) for id in chosen or there]
        self.w.notice.say(_("Noted: heard at {listeners}.").format(listeners=", ".join(names)), "water")

    def _page(self) -> None:
        """What was sung and said when, to keep."""
        setup = self.w.session.setup
        text = hour_page_text(setup, self.w.studio.hour.events)
        if not text:
            self.w.notice.say(_("Nothing was noted of this hour yet."), "mute")
            return
        start = str(Path.home() / f"{setup.name}, {datetime.now():%Y-%m-%d}.pdf")
        name, _kinds = QFileDialog.getSaveFileName(self.w.perform.window(), _("The hour in words"), start, KINDS)
        if name:
            self.w.notice.say(save_page(text_page(text), Path(name)), "water")
