"""What Perform shows, as plain data, made from the session and what runs. No Qt."""

import math
from datetime import datetime

import msgspec

from ....app.studio import Studio
from ....core.document.setup import Listener, OrderLine, Setup
from ....core.edits import order_edits
from ....core.routing.audibility import heard_now
from ....core.routing.person import own_microphone
from ....engine.step.live import has_door, muted_now, open_now
from ....words import perform as words
from ....words.ducking import down_text
from ....words.hear_as import hears_as_short
from ....words.open_closed import chosen_text
from ....words.timing import clock_text
from ....words.translation import _

SONG_S, OTHER_S = 210.0, 60.0  # how wide a line is drawn of which nobody knows how long it takes


class Span(msgspec.Struct, frozen=True):
    """One line of the hour as it is drawn. `state` is was, now, next or later; `share` how much of it has passed."""

    name: str
    kind: str
    wide: float
    state: str
    share: float
    gone: bool


class Says(msgspec.Struct, frozen=True):
    """One listener: who, what it hears, how it stands, and in which tones."""

    who: str
    hears: str
    state: str
    tone: str
    state_tone: str


class PerformData(msgspec.Struct, frozen=True):
    """`alarm` is what is wrong now whatever Brucke does; `trouble` (when, what) what last went wrong."""

    spans: tuple[Span, ...]
    left: str
    moment: str
    about: str
    says: tuple[Says, ...]
    note_of: str
    note: str
    upcoming: str
    upcoming_about: str
    recorder: str
    recorder_tone: str
    alarm: str
    trouble: tuple[str, str]
    clock: str


def perform_data(studio: Studio) -> PerformData:
    setup, live, order = studio.session.setup, studio.session.live, studio.order
    moment, line, following = setup.moment(live.moment), order.line, order.following
    recorder, tone = _recorder(studio)
    return PerformData(
        spans=tuple(_span(studio, i, x) for i, x in enumerate(setup.order)),
        left=words.left_text(order.left_s),
        moment=moment.name if moment is not None else _("As it is set"),
        about=words.moment_about(moment, setup) if moment is not None else "",
        says=tuple(_says(studio, x) for x in setup.listeners),
        note_of=words.line_name(line) if line is not None else "",
        note=line.note if line is not None else "",
        upcoming=words.line_name(following) if following is not None else "",
        upcoming_about=words.next_about(following, setup),
        recorder=recorder,
        recorder_tone=tone,
        alarm=studio.audience.alarm_text(),
        trouble=studio.hour.trouble,
        clock=f"{datetime.now():%H:%M:%S}",
    )


def _span(studio: Studio, i: int, line: OrderLine) -> Span:
    order, at = studio.order, studio.order.at
    state = "was" if i < at else "now" if i == at else "next" if i == at + 1 else "later"
    wide = math.sqrt(_lasts_s(studio, line))
    share = 1.0 if state == "was" else 0.0
    if state == "now":
        left = order.left_s
        passed = order.spent_s if left is None else _lasts_s(studio, line) - left
        share = 1.0 if order.ended else passed / max(1.0, _lasts_s(studio, line))
    gone = line.kind == "song" and order_edits.track_index(studio.session.setup, line) < 0
    return Span(words.line_name(line), line.kind, wide, state, min(max(share, 0.0), 1.0), gone)


def _lasts_s(studio: Studio, line: OrderLine) -> float:
    """About how long a line takes, for its width."""
    part = order_edits.backing_track(studio.session.setup)
    chosen = part is not None and line.file == part.tracks[part.track].file
    end = line.to_s or (studio.running.track[1] if chosen else 0.0)
    if line.kind == "song" and end > line.from_s:
        return end - line.from_s
    return line.lasts_s or (SONG_S if line.kind == "song" else OTHER_S)


def _says(studio: Studio, listener: Listener) -> Says:
    setup, live, running = studio.session.setup, studio.session.live, studio.running.state == "running"
    parts = _reaches(setup, listener, studio)
    sounds = running and not live.silent and bool(parts)
    who = words.who_text(listener)
    if listener.kind == "recorder":
        recording = studio.taking.state == "recording"
        every = [p.id for p in setup.parts if p.kind != "picture" and p.source != "count_in"]
        kept = heard_now(setup, live.moment, frozenset(), listener.id)
        said = words.keeps_text(recording, len(kept), len(every))
        return Says(who, said, _("recording") if recording else "", "ink" if recording else "mute", "coral")
    said = words.hears_text(setup, listener, parts if sounds else ())
    if listener.kind == "monitor" and running and not live.silent:
        # What is in the headphones in place of its routes.
        if live.hears_as and setup.listener(live.hears_as):
            said = hears_as_short(setup, live.hears_as, live.half)
        if studio.measuring.busy:
            said = _("hear the measuring sound")
        elif studio.playback.heard:
            said = _("hear the recording")
    down = down_text(setup, studio.running.ducked_db(listener.id)) if sounds else ""
    state, tone = _state(studio, listener)
    state = ", ".join(s for s in (state, down) if s)  # small: it comes and goes as somebody sings
    return Says(who, said, state, ("water" if listener.kind != "monitor" else "ink") if sounds else "mute", tone)


def _reaches(setup: Setup, listener: Listener, studio: Studio) -> list[str]:
    """What reaches a listener now: of one's own headphones by the routes, of everybody else as the strip says it."""
    if listener.kind in ("monitor", "recorder"):
        muted = muted_now(setup, studio.session.live)
        still = {p.id for p in setup.parts if p.tracks and not studio.running.playing} | set(studio.session.facts.quiet)
        alone = studio.session.live.alone
        if alone and listener.kind == "monitor":
            found = [alone] if alone not in muted else []
        else:
            found = heard_now(setup, studio.session.live.moment, muted, listener.id)
        return [p for p in found if p not in still]
    return dict(studio.audience.heard()).get(listener.id, [])


def _state(studio: Studio, listener: Listener) -> tuple[str, str]:
    setup, live = studio.session.setup, studio.session.live
    if studio.running.state != "running":
        return _("stopped"), "mute"
    if live.silent:
        return _("silence"), "amber"
    if not has_door(setup, listener.id):
        return ("", "mute") if listener.kind == "monitor" else (_("rehearsing"), "mute")
    if not open_now(setup, listener, live):
        return _("closed"), "mute"
    programs = studio.desktop.consumers.get(listener.id, ())
    if not programs:
        return _("open, nobody has chosen it yet"), "coral"
    if (at := studio.hour.heard_at.get(listener.id)) is not None:
        return _("open, heard there at {clock}").format(clock=at), "water"
    lag = studio.clocks.comes_back_s(listener.id)
    if lag is not None:
        return _("open, comes back after {ms:.0f} ms").format(ms=1e3 * lag), "water"
    if any(e.flows for e in programs):
        return _("open, sound flows"), "water"
    return chosen_text([e.program for e in programs]), "amber"


def _recorder(studio: Studio) -> tuple[str, str]:
    taking = studio.taking
    if taking.state == "recording":
        return _("Recording {clock}").format(clock=clock_text(taking.seconds_recorded)), "coral"
    return _("Not recording"), "mute"


def own_name(setup: Setup) -> str:
    mine = own_microphone(setup)
    return mine.name if mine is not None else ""
