"""Who hears what now: one answer for every page, the strip, the tray and whoever says goodbye."""

from ...core.document.setup import Listener
from ...core.edits.chain_edits import owned
from ...core.routing.audibility import heard_now
from ...core.routing.clocks import of_this_computer
from ...core.routing.outside_steps import placed_steps
from ...engine.step.live import has_door, muted_now, open_now
from ...words import timing
from ...words.open_closed import cut_off_text, door_text, end_gone_text, goodbye_text, nothing_text, past_us_text
from ...words.outside_step import step_text
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session
from ..sound_server.desktop import Desktop


def flows(session: Session, desktop: Desktop) -> dict[str, bool]:
    """By listener of this computer: whether sound goes through its door to somebody who takes it."""
    setup, live, consumers = session.setup, session.live, desktop.consumers
    return {
        x.id: any(e.flows for e in consumers[x.id]) and open_now(setup, x, live)
        for x in setup.listeners
        if x.id in consumers
    }


def cut_off(session: Session, desktop: Desktop) -> list[Listener]:
    """Listeners whose sound server is gone."""
    setup = session.setup
    if desktop.state != "down":
        return []
    return [x for x in setup.listeners if has_door(setup, x.id) and of_this_computer(setup.device(x.device))]


def away(session: Session) -> set[str]:
    """Listeners at another computer that does not answer: nothing is sent there."""
    setup, missing = session.setup, session.facts.missing
    return {x.id for x in setup.listeners if x.device in missing and setup.device(x.device).kind == "peer"}


def heard(
    session: Session, running: LiveEngine, desktop: Desktop, records: bool = False
) -> list[tuple[str, list[str]]]:
    """(listener, parts) of everybody but the player whom something reaches now; recorders while one `records`."""
    setup, live = session.setup, session.live
    if running.state != "running":
        return []
    muted, gone = muted_now(setup, live), {x.id for x in cut_off(session, desktop)} | away(session)
    # What makes no sound: a track that is paused, a program that plays nothing.
    still = {p.id for p in setup.parts if p.tracks and not running.playing} | set(session.facts.quiet)
    through = flows(session, desktop)
    found = [
        (x.id, [p for p in heard_now(setup, live.moment, muted, x.id) if p not in still])
        for x in setup.listeners
        if x.kind != "monitor" and (x.kind != "recorder" or records) and through.get(x.id, x.id not in gone)
    ]
    return [(id, parts) for id, parts in found if parts]


class Audience:
    """Who hears you now, and what, as facts and in words."""

    def __init__(self, session: Session, running: LiveEngine, desktop: Desktop, taking: TakeRecorder):
        self.session, self.running, self.desktop, self.taking = session, running, desktop, taking

    def past_us(self) -> list[str]:
        """Who records a microphone of this setup itself: no door of ours is in that way."""
        return [past_us_text(program, microphone) for program, microphone in self.session.facts.bare]

    def through_steps(self) -> list[str]:
        """The programs that a chain sends its sound to and that take it: no door is in that way either."""
        setup = self.session.setup
        if self.running.state != "running" or self.session.live.silent:
            return []
        return [
            step_text(e.program, owned(setup, placed.owner).name, placed.step.name)
            for placed in placed_steps(setup)
            for e in self.desktop.consumers.get(placed.seat, ())
            if e.flows
        ]

    def still_hears(self) -> str:
        """Who hears you now, and what, in words; empty where nobody does."""
        return self.hears_text() if self.heard() or self.past_us() or self.through_steps() else ""

    def goodbye_text(self) -> str:
        return goodbye_text(self.session.setup, self.still_hears())

    def hears_text(self) -> str:
        """Who hears you now, and what: from routes, mutes, the moment, what runs, and who listens past us. A recorder
        only while it records."""
        through, past = self._through_us(), [*self.past_us(), *self.through_steps()]
        if past:
            through = through.replace(_("nobody hears"), _("through Brucke nobody hears"), 1)
        return "; ".join([*self._ends_gone(), *past, through, *self._silent_programs()])

    def alarm_text(self) -> str:
        """What is wrong with who hears you, whatever is open here: who listens past us, what is unplugged, a sound
        server that is gone."""
        cut = [
            cut_off_text(timing.listener_name(self.session.setup, x.id)) for x in cut_off(self.session, self.desktop)
        ]
        return "; ".join([*self._ends_gone(), *self.past_us(), *cut])

    def _ends_gone(self) -> list[str]:
        """Microphones and headphones that were unplugged."""
        return [
            end_gone_text(end, out)
            for ends in self.session.facts.ends_gone.values()
            for out, end in zip((False, True), ends, strict=True)
            if end
        ]

    def _silent_programs(self) -> list[str]:
        """What is routed to somebody and plays nothing."""
        setup, quiet = self.session.setup, self.session.facts.quiet
        wanted = {r.part for r in setup.routes if r.on}
        running = self.running.state == "running" and not self.session.live.silent
        return [
            nothing_text(timing.device_name(setup, p.device))
            for p in setup.parts
            if running and p.id in quiet and p.id in wanted and p.kind != "far_end"
        ]

    def _through_us(self) -> str:
        setup, live = self.session.setup, self.session.live
        if self.running.state != "running":
            starts = self.running.state in ("starting", "restarting")
            return _("nobody hears you: starting") if starts else _("nobody hears you: stopped")
        if live.silent:
            return _("nobody hears anything: silence")
        cut, doors = cut_off(self.session, self.desktop), [x for x in setup.listeners if x.id in self.desktop.consumers]
        through, heard_by = flows(self.session, self.desktop), self.heard()
        said = [
            door_text(
                timing.listener_name(setup, x.id),
                open_now(setup, x, live),
                [e.program for e in self.desktop.consumers[x.id]],
            )
            for x in doors
            if not through[x.id]
        ] + [cut_off_text(timing.listener_name(setup, x.id)) for x in cut]
        if (text := timing.heard_text(setup, heard_by)) or not said:
            said = [text or _("nobody hears you: nothing is routed to them, or it is muted"), *said]
        return "; ".join(said)

    def heard(self) -> list[tuple[str, list[str]]]:
        """(listener, parts) of everybody else whom something reaches now."""
        records = self.taking.recording.state == "recording"
        return heard(self.session, self.running, self.desktop, records)
