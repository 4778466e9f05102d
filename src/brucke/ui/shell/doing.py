"""What every action of the table does, in the window it is done in."""

import time
from collections.abc import Callable
from typing import Protocol

from msgspec.structs import replace
from PyQt6.QtCore import QSettings

from ...desk.goodbye import Goodbye
from ...desk.headphones import HeadphoneCheck
from ...desk.playback import Playback
from ...desk.round_trip import Measurer
from ...desk.running import LiveEngine
from ...desk.session import Session
from ...desk.shape import ShapeHelpers
from ...desk.soundcheck import SoundcheckRun
from ...desk.take import TakeRecorder
from ...engine.step.live import has_door
from ...words import timing
from ...words.other_side import other_sides
from ..kit.place import Place
from ..places.align.view import AlignView
from ..places.gather.view import GatherView
from ..places.review.view import ReviewView
from ..places.shape.view import ShapeView
from ..places.share.view import ShareView
from ..places.soundcheck.view import SoundcheckView
from ..theme.theme import Theme
from .actions import Actions
from .keys_dialog import KeysDialog
from .notice import Notice
from .other_side import OtherSideDialog
from .otherwise import Otherwise
from .overview import Overview
from .strip import Strip

FILES = ("new", "open", "save", "save_as", "double", "export", "import", "name")


class Shell(Protocol):
    """What actions act on: the window, its desk and its places."""

    session: Session
    running: LiveEngine
    measuring: Measurer
    taking: TakeRecorder
    playback: Playback
    checking: SoundcheckRun
    shaping: ShapeHelpers
    goodbye: Goodbye
    headphones: HeadphoneCheck
    otherwise: Otherwise
    theme: Theme
    settings: QSettings
    notice: Notice
    overview: Overview
    strip: Strip
    actions_table: Actions
    places: dict[str, Place]
    gather: GatherView
    share: ShareView
    shape: ShapeView
    align: AlignView
    review: ReviewView
    soundcheck: SoundcheckView

    @property
    def place(self) -> str: ...
    def go_to(self, place: str) -> None: ...
    def leave_check(self) -> None: ...
    def file(self, id: str) -> None: ...
    def refresh(self) -> None: ...
    def leave(self) -> None: ...
    def open_home(self) -> None: ...


class Doing:
    def __init__(self, window: Shell):
        self.w = window

    def do(self, id: str) -> None:
        """An action of the table, by its id."""
        if id in FILES:
            self.w.otherwise.buffers.cancel()  # what is tried is nobody's setup
            self.w.file(id)
            return
        if id in self.w.otherwise.ways:
            self.w.otherwise.ways[id]()
            return
        if id in self.w.places:
            self.w.go_to(id)
            self.w.places[id].enter()
            return
        {
            "start_stop": self._start_stop,
            "on_air": self._on_air,
            "door": self._door,
            "play": lambda: self.w.running.play(not self.w.running.playing),
            "back": lambda: self.w.running.seek(self.w.running.track[0] - 5),
            "forth": lambda: self.w.running.seek(self.w.running.track[0] + 5),
            "measure": lambda: self._measure(self.w.measuring.begin),
            "confirm": lambda: self._measure(self.w.measuring.confirm),
            "cancel": self._cancel,
            "delay_one": self._delay_one,
            "everyone": self._everyone,
            "everywhere": self.w.align.everywhere,
            "later": lambda: self.w.align.nudge(1.0),
            "earlier": lambda: self.w.align.nudge(-1.0),
            "record": self.w.taking.record,
            "proof": self.proof_take,
            "compare": self._compare,
            "next_listener": self._next_listener,
            "table": lambda: self.w.places[self.w.place].toggle_table() or self.w.align.toggle_table(),
            "moment": self.w.strip.next_moment,
            "undo": self.w.session.undo,
            "redo": self.w.session.redo,
            "add": self._add,
            "presets": lambda: (self.w.go_to("shape"), self.w.shape.preset_menu()),
            "version": lambda: (self.w.go_to("shape"), self.w.shape.change_version()),
            "without": lambda: (self.w.go_to("shape"), self.w.shape.hear_without()),
            "alone": self.w.gather.toggle_alone,
            "mute": self.w.gather.toggle_mute,
            "hear_me": lambda: self.w.share.hear(True),
            "hear_them": lambda: self.w.share.hear(False),
            "listen": self._listen,
            "night": self._night,
            "larger": lambda: self._scale(1),
            "smaller": lambda: self._scale(-1),
            "fold": self.w.strip.toggle_fold,
            "keys": lambda: KeysDialog(self.w.actions_table, self.w.strip.window()).exec(),
            "headphones": self._headphones,
            "silence": self._silence,
            "goodbye": self.w.goodbye.begin,
            "card": self._card,
            "home": self.w.open_home,
            "quit": self.w.leave,
        }[id]()

    def act(self, number: int) -> None:
        """The three acts: hear the music, measure, put in step and compare."""
        if number == 0:
            self.w.running.play(True)
        elif number == 1:
            self.w.go_to("align")
            self.do("measure")
        else:
            self.w.go_to("align")
            self.w.align.everywhere()
            self.proof_take()

    def _cancel(self) -> None:
        if (
            self.w.otherwise.buffers.cancel()
            or self.w.shaping.cancel()
            or self.w.goodbye.cancel()
            or self.w.headphones.cancel()
        ):
            return
        if self.w.measuring.busy:
            self.w.measuring.cancel()
        elif self.w.playback.heard:
            self.w.playback.stop()
        elif self.w.checking.listening:
            self.w.checking.cancel()
        elif self.w.taking.state != "idle":
            self.w.taking.cancel()
        elif self.w.place == "soundcheck":
            self.w.leave_check()
        else:
            self.w.notice.clear()

    def _start_stop(self) -> None:
        if self.w.session.live.on_air:
            self.w.notice.say("You are on air: nothing is stopped by one key. Close first (F9).", "amber")
        elif self.w.taking.state == "recording":
            self.w.notice.say("A take is being recorded: nothing is stopped by one key. End it first (R).", "amber")
        elif self.w.running.link is not None:
            self.w.running.stop()
        else:
            self.w.running.start()

    def _on_air(self) -> None:
        on = not self.w.session.live.on_air
        if on and self.w.otherwise.buffers.cancel():
            self.w.notice.say(
                "Buffers were being tried; that of before comes back. Open once it sounds again.", "amber"
            )
            return
        if on and self.w.running.state != "running":
            self.w.notice.say("Start first: nothing is running yet.", "amber")
            return
        self.w.overview.air_from = time.monotonic()
        self.w.running.set_on_air(on)

    def _card(self) -> None:
        session = self.w.session
        sides = other_sides(session.setup)
        if not sides:
            self.w.notice.say(
                "There is no call in this setup, so nobody to write a card for. Share adds one (A).", "amber"
            )
            return
        OtherSideDialog(self.w.theme, session.setup, sides, session.live.moment, self.w.strip.window()).exec()

    def _headphones(self) -> None:
        if self.w.measuring.busy:
            self.w.notice.say("Measuring. Esc ends it, then check the headphones.", "amber")
            return
        self.w.playback.stop()
        self.w.go_to("gather")
        self.w.headphones.begin()
        self.w.gather.headphones.focus_first()

    def _silence(self) -> None:
        """Nobody hears anything, whatever is routed; once more, and everybody hears what they did."""
        live = self.w.session.live
        self.w.session.set_live(replace(live, silent=not live.silent))
        if live.silent:
            self.w.notice.say("Silence is over: everybody hears what they did before.", "water")
        else:
            self.w.notice.say("Silence: nobody hears anything, you neither. The same key ends it.", "amber")

    def _door(self) -> None:
        """The chosen listener stays closed on air, or is opened with the others; at once, where that is now."""
        session = self.w.session
        setup, id = session.setup, self.w.strip.chosen
        if not has_door(setup, id):
            self.w.notice.say("It has no door: it is your own, or a stand-in nobody sits at.", "amber")
            return
        shut = session.live.shut ^ {id}
        session.set_live(replace(session.live, shut=shut))
        name = timing.listener_name(setup, id)
        self.w.notice.say(f"{name} stays closed." if id in shut else f"{name} is opened with the others.", "water")

    def _measure(self, begin: Callable[[], None]) -> None:
        """Whatever was said before goes; what is said now is said here, unless Align says it."""
        self.w.notice.clear()
        begin()
        if not self.w.measuring.busy and not self.w.measuring.message:
            self.w.notice.say(
                "There is nothing to confirm: nothing was measured yet, or nothing has moved since.", "mute"
            )

    def by_hand(self, what: str) -> None:
        """Mends that are no edit of the setup."""
        if what in ("measure", "confirm"):
            self.w.go_to("align")
            self.do(what)
        elif what == "unmute":
            self.w.session.set_live(replace(self.w.session.live, muted=frozenset()))

    def _listen(self) -> None:
        self.w.go_to("soundcheck")
        self.w.checking.listen()
        self.w.soundcheck.enter()

    def _add(self) -> None:
        """What the place adds; elsewhere a part."""
        if not self.w.places[self.w.place].add_menu():
            self.w.go_to("gather")
            self.w.gather.add_menu()

    def _delay_one(self) -> None:
        (self.w.share.arrives.delay_it if self.w.place == "share" else self.w.align.delay_one)()

    def _everyone(self) -> None:
        if self.w.place == "share" and self.w.share.listener:
            self.w.align.choose_listener(self.w.share.listener)
        self.w.align.everyone()

    def proof_take(self) -> None:
        self.w.playback.stop()
        self.w.taking.prove_from_the_top()

    def _compare(self) -> None:
        self.w.go_to("review")
        self.w.review.compare()

    def _next_listener(self) -> None:
        if not self.w.places[self.w.place].next_listener():
            self.w.align.next_listener()
        self.w.refresh()

    def _night(self) -> None:
        self.w.theme.toggle_night()
        self.w.settings.setValue("night", self.w.theme.tokens.name == "night")

    def _scale(self, by: int) -> None:
        self.w.theme.step_scale(by)
        self.w.settings.setValue("scale", self.w.theme.tokens.scale)
