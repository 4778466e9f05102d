"""Sound against picture in a recording from outside: looked at in a process of its own, moved by hand, carried into the
setup."""

from pathlib import Path

import numpy as np

from ...core.document.setup import Part
from ...core.timing.make_evidence import SeenOffset, picture_measurement
from ...takes.shots import AROUND_S, Shots, read_shots
from ...words.films import offset_text
from ...words.timing import listener_name, part_name
from ...words.translation import _
from ..studio import Studio
from .file_analysis import Looking

MOST_S = 3.0


class FilmCheck(Looking):
    """`state`: “”, “looking”, “found”, “nothing” (it can be found by eye), “failed”. `later_s` is how much later than
    the sound the picture is, as found or as moved by hand; `event` which one is looked at."""

    def __init__(self, studio: Studio):
        super().__init__()
        self.session, self.playback = studio.session, studio.playback
        self.file = Path()
        self.later_s, self.index = 0.0, 0
        self.moved = False
        self.shots: Shots | None = None

    @property
    def by_eye(self) -> bool:
        """Whether it stands where somebody moved it, rather than where it was found."""
        found = self.result.get("sound_early_ms")
        return found is None or abs(self.later_s - found / 1e3) > 1e-6

    @property
    def tells(self) -> bool:
        """Whether there is anything to carry: found, or moved by hand. Nothing found that nobody moved is no evidence
        of nothing."""
        return self.state == "found" or (self.state == "nothing" and self.moved)

    @property
    def plus_minus_s(self) -> float:
        """Of what stands: by eye it is no better than half a picture."""
        half = self.result.get("frame_ms", 0.0) / 2e3
        return float(half if self.by_eye else self.result["spread_ms"] / 1e3)

    @property
    def said(self) -> list[str]:
        """What was found, or why not."""
        if self.state == "failed":
            return [self._run.said]
        lines = list(self.result.get("says", []))
        if self.state == "found" and self.by_eye:
            lines[0] = _("{name}: {offset} (by eye)").format(
                name=self.file.name, offset=offset_text(self.later_s, self.plus_minus_s)
            )
        return lines

    def look(self, file: Path) -> None:
        self.file, self.shots, self.index, self.later_s, self.moved = file, None, 0, 0.0, False
        self.look_with(["picture", str(file)], "looking")

    def read(self, kept: Path) -> str:
        self.shots = read_shots(kept)
        found = self.result["sound_early_ms"]
        self.later_s = (found or 0.0) / 1e3
        return "found" if found is not None else "nothing"

    # By hand

    def choose_event(self, step: int) -> None:
        if self.shots is not None and len(self.shots.events_s):
            self.index = (self.index + step) % len(self.shots.events_s)
            self.changed.emit()

    def nudge(self, seconds: float) -> None:
        """The picture is that much later than was thought."""
        if self.shots is not None:
            self.moved = True
            self.later_s = float(np.clip(self.later_s + seconds, -MOST_S, MOST_S))
            self.changed.emit()

    def nudge_pictures(self, count: int) -> None:
        self.nudge(count * self.result["frame_ms"] / 1e3)

    def back_to_found(self) -> None:
        self.later_s = (self.result.get("sound_early_ms") or 0.0) / 1e3
        self.changed.emit()

    def hear(self) -> None:
        """The sound of the event, in the headphones."""
        shots, rate = self.shots, self.session.setup.rate_hz
        if shots is not None and len(shots.events_s):
            at = np.arange(round(2 * AROUND_S * rate)) / rate
            sound = np.interp(at, np.arange(shots.sound.shape[1]) / shots.rate_hz, shots.sound[self.index])
            self.playback.hear(np.stack([sound, sound]).astype(np.float32))

    # Into the setup

    def pictures(self) -> list[tuple[Part, str]]:
        """(picture, listener) of which it can be evidence: whose shown part is routed there."""
        setup = self.session.setup
        return [
            (p, x.id)
            for p in setup.parts
            if p.kind == "picture" and p.shows
            for x in setup.listeners
            if x.kind != "monitor" and setup.route(p.id, x.id) is not None and setup.route(p.shows, x.id) is not None
        ]

    def carry(self, listener: str) -> bool:
        """As evidence of that listener's picture, with the delays that are in force."""
        part = next((p for p, x in self.pictures() if x == listener), None)
        if part is None or not self.tells:
            return False
        method = "by eye" if self.by_eye else str(self.result["seen"])
        seen = SeenOffset(self.later_s, self.plus_minus_s, method, max(1, int(self.result["events"])))
        try:
            found = picture_measurement(self.session.situation, part.id, listener, seen)
        except KeyError:
            where = listener_name(self.session.setup, listener)
            self.session.noticed.emit(
                _("Nobody knows when {part} reaches {where}, so the picture cannot be set against it.").format(
                    part=part_name(self.session.setup, part.shows), where=where
                ),
                "coral",
            )
            return False
        self.session.learn(self.session.knowledge.with_measurement(found))
        where = listener_name(self.session.setup, listener)
        self.session.noticed.emit(
            _("{where}: {offset}. Kept, from {name}.").format(
                where=where, offset=offset_text(self.later_s, seen.plus_minus_s), name=self.file.name
            ),
            "water",
        )
        return True
