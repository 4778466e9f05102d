"""Voice against music of a recording: measured in a process of its own, moved by hand, heard, compared blind, noted."""

import random
from pathlib import Path
from typing import Any

import numpy as np

from ...core.aligning.evidence_edits import follower_at, note_offset
from ...core.measure.preview_mix import clicks, pair, together
from ...core.measure.threshold import Staircase
from ...core.sound.at_rate import at_rate
from ...takes.two_sounds import TwoSounds, read_two
from ...words.timing import listener_name, ms_text, part_name
from ...words.translation import _
from ..studio import Studio
from .file_analysis import Looking

MOST_S = 0.5
HEARD_S = 6.0  # of a recording at a time; of a blind comparison half of it twice
# What most people no longer hear apart, where nobody's own threshold was found: common practice, no source.
BY_EAR_S = 0.020


class ByEar(Looking):
    """`state`: “” (two clicks), “listening”, “found”, “nothing” (it can be found by ear), “failed”. `later_s` is how
    much later than the music the voice is, as found or as moved by hand; `phrase` which one is looked at. `blind` is a
    comparison under way, `threshold` the last that ended."""

    def __init__(self, studio: Studio):
        super().__init__()
        self.session, self.playback = studio.session, studio.playback
        self.phrase, self.later_s = 0, 0.0
        self.sounds = self._clicks()
        self.blind: Staircase | None = None
        self.threshold: Staircase | None = None
        self._apart_first = False

    def _clicks(self) -> TwoSounds:
        rate = self.session.setup.rate_hz
        low, high = clicks(rate)
        return TwoSounds(low, high, rate, np.array([[0.0, len(low) / rate]]))

    @property
    def found_s(self) -> float | None:
        found = self.result.get("offset_ms")
        return None if found is None else float(found) / 1e3

    @property
    def by_hand(self) -> bool:
        """Whether it stands where somebody moved it, rather than where it was found."""
        return self.found_s is None or abs(self.later_s - self.found_s) > 1e-6

    @property
    def plus_minus_s(self) -> float:
        """Of what stands: by ear it is no better than what this ear hears apart."""
        if not self.by_hand:
            return float(self.result["plus_minus_ms"]) / 1e3
        return self.threshold.between_ms[1] / 1e3 if self.threshold is not None else BY_EAR_S

    @property
    def said(self) -> list[str]:
        if self.state == "failed":
            return [self._run.said]
        return [line.strip() for line in self.result.get("says", [])]

    def measure(self, *files: Path) -> None:
        """A voice and its music, or one file with the voice left and the music right."""
        self.blind, self.phrase, self.later_s = None, 0, 0.0
        self.look_with(["take-offset", *map(str, files)], "listening")

    def take_clicks(self) -> None:
        """Two clicks in place of a recording."""
        self._run.close()
        self._run.result, self._run.said = {}, ""
        self.sounds, self.phrase, self.later_s, self.blind = self._clicks(), 0, 0.0, None
        self._set("")

    def read(self, kept: Path) -> str:
        self.sounds = read_two(kept)
        self.later_s = self.found_s or 0.0
        return "found" if self.found_s is not None else "nothing"

    # By hand and by ear

    @property
    def piece_s(self) -> tuple[float, float]:
        """What is shown and heard: from where the phrase begins, a little before."""
        s = self.sounds
        total = min(len(s.voice), len(s.music)) / s.rate_hz
        begin = float(s.phrases_s[self.phrase][0]) - 0.5 if len(s.phrases_s) else 0.0
        begin = min(max(0.0, begin), max(0.0, total - 1.0))
        return begin, min(total, begin + HEARD_S)

    def choose_phrase(self, step: int) -> None:
        if len(self.sounds.phrases_s):
            self.phrase = (self.phrase + step) % len(self.sounds.phrases_s)
            self.changed.emit()

    def set_later(self, seconds: float) -> None:
        """The voice is that much later than the music, as somebody sees or hears it."""
        self.later_s = float(np.clip(seconds, -MOST_S, MOST_S))
        self.changed.emit()

    def back_to_found(self) -> None:
        self.set_later(self.found_s or 0.0)

    def _piece(self, earlier_s: float, begin: float, end: float) -> "np.ndarray[Any, np.dtype[np.float32]]":
        s = self.sounds
        a, b = round(begin * s.rate_hz), round(end * s.rate_hz)
        both = together(s.voice[a:b], s.music[a:b], earlier_s, s.rate_hz)
        return at_rate(both, s.rate_hz, self.session.setup.rate_hz)

    def hear(self) -> None:
        """The phrase as it would be with the voice moved by what stands."""
        self.playback.hear(self._piece(self.later_s, *self.piece_s))

    def compare(self) -> None:
        """Begin a blind comparison, or play its two once more. It ends where nothing can be heard."""
        if self.blind is None or self.blind.done:
            self.blind = Staircase()
            self._apart_first = bool(random.getrandbits(1))
        begin, end = self.piece_s
        end = min(end, begin + HEARD_S / 2 + 0.5)
        with_it = self._piece(self.later_s, begin, end)
        apart = self._piece(self.later_s - self.blind.ms / 1e3, begin, end)  # the voice later by so much
        order = (apart, with_it) if self._apart_first else (with_it, apart)
        if not self.playback.hear(pair(*order, self.session.setup.rate_hz)):
            self.blind = None
        self.changed.emit()

    def answer(self, first: bool) -> None:
        """Which of the two was apart; the next two follow at once."""
        if self.blind is None or self.blind.done:
            return
        self.blind = self.blind.answered(first == self._apart_first)
        self._apart_first = bool(random.getrandbits(1))
        if self.blind.done:
            if not self.blind.never_heard:
                self.threshold = self.blind
            self.changed.emit()
        else:
            self.compare()

    def give_up(self) -> None:
        self.blind = None
        self.changed.emit()

    # Into the setup

    def note(self, listener: str) -> bool:
        """What is more, or less, than was thought of the two until now is entered as a step."""
        setup = self.session.setup
        pair_there = follower_at(setup, listener)
        if pair_there is None or self.state not in ("found", "nothing"):
            return False
        ms = self.later_s * 1e3
        known, t = self.session.situation, self.session.timing.of(listener)
        after = note_offset(known, t, *pair_there, ms, self.plus_minus_s * 1e3)
        if after is None:
            self.session.noticed.emit(_("Nobody knows when these two arrive there, so nothing can be noted."), "amber")
            return False
        way, where = "late" if ms > 0 else "early", listener_name(setup, listener)
        label = f"{part_name(setup, pair_there[0])} {ms_text(abs(ms) / 1e3)} {way} at {where}"
        self.session.edit(label, after, "align", f"{listener}/{pair_there[0]}")
        return True
