"""What every action of the table does, in the window it is done in."""

import time
from collections.abc import Callable
from functools import cached_property, partial
from typing import TYPE_CHECKING, Protocol

from msgspec.structs import replace
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from ...app.chains.chain_helpers import ChainHelpers
from ...app.engine.live_engine import LiveEngine
from ...app.measuring.headphone_check import HeadphoneCheck
from ...app.measuring.round_trip import Measurer
from ...app.measuring.soundcheck import SoundcheckRun
from ...app.presence.goodbye import Goodbye
from ...app.presence.what_happened import what_happened
from ...app.recording.playback import Playback
from ...app.recording.take_recorder import TakeRecorder
from ...app.session.session import Session
from ...app.session.undo_requests import UndoRequests
from ...app.studio import Studio
from ...core.aligning.align import align
from ...words.remote_card import other_sides
from ...words.translation import _
from ..theme.theme import Theme
from .actions import Actions
from .control_dialog import ControlDialog
from .deck_state import DeckState
from .detail_switch import DetailSwitch
from .find_dialog import find_action
from .hands import Hands
from .hour_handlers import HourHandlers
from .keys_dialog import KeysDialog
from .meanings import show_meanings
from .notice import Notice
from .other_side import OtherSideDialog
from .place_stack import PlaceStack
from .small_window import SmallWindow
from .strip import Strip
from .tools import Tools

if TYPE_CHECKING:
    from ..places.align.view import AlignView
    from ..places.gather.view import GatherView
    from ..places.perform.view import PerformView
    from ..places.review.view import ReviewView
    from ..places.shape.view import ShapeView
    from ..places.share.view import ShareView
    from ..places.soundcheck.view import SoundcheckView

BEFORE_SHARE, LEAST_S = 0.5, 8.0  # of a test recording; in less nothing can be measured
FILES = ("new", "open", "save", "save_as", "double", "export", "import", "name")


class Shell(Protocol):
    """What actions act on: the window, its desk and its places."""

    session: Session
    studio: Studio
    running: LiveEngine
    measuring: Measurer
    taking: TakeRecorder
    playback: Playback
    checking: SoundcheckRun
    shaping: ChainHelpers
    goodbye: Goodbye
    headphones: HeadphoneCheck
    steps: UndoRequests
    detail: DetailSwitch
    tools: Tools
    theme: Theme
    settings: QSettings
    notice: Notice
    deck_state: DeckState
    strip: Strip
    actions_table: Actions
    hands: Hands
    places: PlaceStack
    small: SmallWindow

    @property
    def gather(self) -> "GatherView": ...
    @property
    def share(self) -> "ShareView": ...
    @property
    def shape(self) -> "ShapeView": ...
    @property
    def align(self) -> "AlignView": ...
    @property
    def perform(self) -> "PerformView": ...
    @property
    def review(self) -> "ReviewView": ...
    @property
    def soundcheck(self) -> "SoundcheckView": ...
    @property
    def place(self) -> str: ...
    def go_to(self, place: str) -> None: ...
    def leave_check(self) -> None: ...
    def file(self, id: str) -> None: ...
    def refresh(self) -> None: ...
    def leave(self) -> None: ...
    def open_home(self) -> None: ...


class ActionHandlers:
    def __init__(self, window: Shell):
        self.w = window
        self._hour = HourHandlers(window)
        self._compares = False  # what is recorded now is the before of what comes next

    @cached_property
    def handlers(self) -> dict[str, Callable[[], object]]:
        """What every action does, by its id."""
        return {
            **{id: partial(self._file, id) for id in FILES},
            **self.w.tools.handlers,
            **{id: partial(self._enter, id) for id in self.w.places},
            **self._hour.handlers,
            **self._sound_handlers(),
            **self._timing_handlers(),
            **self._other_handlers(),
        }

    def do(self, id: str) -> None:
        """An action of the table, by its id."""
        self.handlers[id]()

    def say_done(self, act: str) -> None:
        """What was done at once, past the window, is said as if it had been done here."""
        if act == "silence":
            self._hour.say_silence()

    def _file(self, id: str) -> None:
        self.w.studio.buffers.cancel()  # what is tried is nobody's setup
        self.w.file(id)

    def _enter(self, place: str) -> None:
        self.w.go_to(place)
        self.w.places[place].enter()

    def _sound_handlers(self) -> dict[str, Callable[[], object]]:
        """What is heard, by whom, and what is recorded."""
        w = self.w
        return {
            "start_stop": self._start_stop,
            "on_air": self._on_air,
            "play": lambda: w.running.play(not w.running.playing),
            "back": lambda: w.running.seek(w.running.track[0] - 5),
            "forth": lambda: w.running.seek(w.running.track[0] + 5),
            "record": w.taking.record,
            "keep_before": w.studio.just_happened.keep,
            "proof": self.proof_take,
            "compare": self._compare,
            "bring_film": lambda: self._of_recording(w.review.kept.bring_film),
            "edit_take": lambda: self._of_recording(w.review.kept.open_score),
            "hand_on": lambda: self._of_recording(w.review.kept.open_hand_on),
            "moment": w.strip.next_moment,
            "alone": lambda: w.gather.toggle_alone(),
            "mute": self._mute,
            "hear_me": lambda: w.share.hear(True),
            "hear_them": lambda: w.share.hear(False),
            "mute_me": w.hands.held.pressed,
            "goodbye": w.goodbye.begin,
            "headphones": self._headphones,
            "listen": self._listen,
        }

    def _of_recording(self, do: Callable[[], None]) -> None:
        """What is done with the recording that is shown; said where there is none."""
        if self.w.taking.take is None:
            self.w.notice.say(_("There is no recording yet. R records."), "mute")
        elif self.w.taking.state != "idle":
            self.w.notice.say(_("A recording is being made, collected or measured. Wait for it."), "amber")
        else:
            self.w.go_to("review")
            do()

    def _timing_handlers(self) -> dict[str, Callable[[], object]]:
        """What is measured, delayed and looked at in time."""
        w = self.w
        return {
            "measure": lambda: self._measure(w.measuring.begin),
            "confirm": lambda: self._measure(w.measuring.confirm),
            "delay_one": self._delay_one,
            "everyone": self._everyone,
            "everywhere": lambda: w.align.everywhere(),
            "later": lambda: w.align.nudge(1.0),
            "earlier": lambda: w.align.nudge(-1.0),
            "next_listener": self._next_listener,
            "questions": self._questions,
            "table": lambda: w.places[w.place].toggle_table() or w.align.toggle_table(),
        }

    def _other_handlers(self) -> dict[str, Callable[[], object]]:
        """The document, what is shown, and the window."""
        w = self.w
        return {
            "cancel": self._cancel,
            "undo": w.steps.back,
            "redo": w.steps.forth,
            "add": self._add,
            "presets": lambda: self._in_shape(w.shape.preset_menu),
            "version": lambda: self._in_shape(w.shape.change_version),
            "without": lambda: self._in_shape(w.shape.hear_without),
            "night": self._night,
            "larger": lambda: self._scale(1),
            "smaller": lambda: self._scale(-1),
            "fold": w.strip.toggle_fold,
            "detail": w.detail.change,
            "find": lambda: find_action(w.theme, w.actions_table, w.places.window() or w.places, self.do),
            "keys": lambda: KeysDialog(w.theme, w.actions_table, w.places.window() or w.places).exec(),
            "control": lambda: ControlDialog(w.theme, w.studio.controls, w.places.window() or w.places).exec(),
            "meanings": lambda: show_meanings(w.theme, w.places.window() or w.places, w.notice),
            "card": self._card,
            "copy_happened": self._copy_what_happened,
            "home": w.open_home,
            "quit": w.leave,
        }

    def _copy_what_happened(self) -> None:
        if (clipboard := QApplication.clipboard()) is not None:
            clipboard.setText(what_happened(self.w.session.setup, self.w.running.state))
            self.w.notice.say(_("Copied: versions, what is set up without names, and the last of the log."), "water")

    def _in_shape(self, act: Callable[[], object]) -> None:
        self.w.go_to("shape")
        act()

    def _questions(self) -> None:
        self.w.go_to("align")
        self.w.align.toggle_questions()

    def act(self, number: int) -> None:
        """The three acts: hear the music, measure, put in step and compare."""
        if number == 0:
            self.w.running.play(True)
        elif number == 1:
            self.w.go_to("align")
            self.do("measure")
        else:
            self.w.go_to("align")
            self._compare_with_before()

    def _compare_with_before(self) -> None:
        """The first time as it is, and then in step: there is something to compare with. Later what was recorded last
        is the before."""
        taking, session = self.w.taking, self.w.session
        if taking.takes or align(session.situation) == session.setup:
            self.w.align.everywhere()
            self.proof_take()
            return
        self.w.playback.stop()
        taking.prove_from_the_top(max(BEFORE_SHARE * taking.seconds, LEAST_S))
        self._compares = taking.state != "idle"
        if self._compares:
            self.w.notice.say(_("Two test recordings: a short one as it is, and then one in step."), "mute")

    def goes_on_in_step(self) -> bool:
        """After what was the before: everybody in step, and once more. Whether that is so."""
        if not self._compares:
            return False
        self._compares = False
        self.w.align.everywhere()
        self.w.taking.prove_from_the_top()
        return True

    def _cancel(self) -> None:
        self._compares = False
        if (
            self.w.studio.buffers.cancel()
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
            self.w.notice.say(_("They hear you: nothing is stopped by one key. F9 first."), "heard")
        elif self.w.taking.state == "recording":
            self.w.notice.say(_("You are recording: nothing is stopped by one key. End it first (R)."), "amber")
        elif self.w.running.link is not None:
            self.w.running.stop()
        else:
            self.w.running.start()

    def _on_air(self) -> None:
        on = not self.w.session.live.on_air
        if on and self.w.studio.buffers.cancel():
            self.w.notice.say(
                _("Buffers were being tried; that of before comes back. Let them hear once it sounds again."), "amber"
            )
            return
        if on and self.w.running.why_silent:
            self.w.notice.say(self.w.running.why_silent, "silent")
            return
        self.w.deck_state.air_from = time.monotonic()
        self.w.running.set_on_air(on)

    def _card(self) -> None:
        session = self.w.session
        sides = other_sides(session.setup)
        if not sides:
            self.w.notice.say(
                _("There is no call in this setup, so nobody to write a card for. Share adds one (A)."), "amber"
            )
            return
        OtherSideDialog(
            self.w.theme, session.setup, sides, session.live.moment, self.w.places.window() or self.w.places
        ).exec()

    def _headphones(self) -> None:
        if self.w.measuring.busy:
            self.w.notice.say(_("Measuring. Esc ends it, then check the headphones."), "amber")
            return
        self.w.playback.stop()
        self.w.go_to("gather")
        self.w.headphones.begin()
        self.w.gather.headphones.focus_first()

    def _mute(self) -> None:
        """The chosen part, where one sees which that is."""
        if self.w.place == "gather":
            self.w.gather.toggle_mute()
        else:
            self.w.notice.say(
                _("Gather shows which part is chosen; U mutes it there. F11 mutes you, anywhere."), "mute"
            )

    def _measure(self, begin: Callable[[], None]) -> None:
        """Whatever was said before goes; what is said now is said here, unless Align says it."""
        self.w.notice.clear()
        begin()
        if not self.w.measuring.busy and not self.w.measuring.message:
            self.w.notice.say(
                _("There is nothing to test again: nothing was measured yet, or nothing has moved since."), "mute"
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
        self._compares = False
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
