"""From controls that are pressed and let go to what is done. Pure: time is handed in."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from .bindings import AT_ONCE, Binding

HOLD_S = 1.0  # so long a control is held until it counts as held, common practice, no source
BOUNCE_S = 0.03  # within which a contact may bounce, common practice, no source
Phase = Literal["down", "up"]
Done = tuple[str, Phase]


@dataclass
class _Pressed:
    since: float
    told: list[str] = field(default_factory=list)  # acts whose “down” was told
    held: bool = False


class PressedControls:
    """`feed` and `tick` tell the acts that are done now, each with whether it begins or ends. What is to obey at once
    does so as it is pressed; what else a control does that is also held is done as it is let go, since only then it is
    known which was meant."""

    def __init__(self, bindings: Iterable[Binding] = ()):
        self._acts: dict[tuple[str, bool], str] = {}
        self._down: dict[str, _Pressed] = {}
        self._let_go: dict[str, float] = {}
        self.bind(bindings)

    def bind(self, bindings: Iterable[Binding]) -> None:
        self._acts = {(b.control, b.held): b.act for b in bindings}

    @property
    def controls(self) -> set[str]:
        """Those that do anything."""
        return {control for control, _held in self._acts}

    @property
    def down(self) -> dict[str, float]:
        """Those that are pressed, with since when."""
        return {control: p.since for control, p in tuple(self._down.items())}  # also asked from another thread

    def feed(self, control: str, pressed: bool, now: float) -> list[Done]:
        """One control pressed or let go; what repeats or bounces does nothing."""
        if pressed:
            if control in self._down or now - self._let_go.get(control, -BOUNCE_S) < BOUNCE_S:
                return []
            here = self._down[control] = _Pressed(now)
            tap = self._acts.get((control, False), "")
            if tap and (tap in AT_ONCE or (control, True) not in self._acts):
                here.told.append(tap)
                return [(tap, "down")]
            return []
        gone = self._down.pop(control, None)
        if gone is None:
            return []
        self._let_go[control] = now
        tap = self._acts.get((control, False), "")
        done: list[Done] = [(act, "up") for act in gone.told]
        if tap and tap not in gone.told and not gone.held:
            done += [(tap, "down"), (tap, "up")]
        return done

    def tick(self, now: float) -> list[Done]:
        """Controls that count as held from now on."""
        done: list[Done] = []
        for control, here in self._down.items():
            act = self._acts.get((control, True), "")
            if act and not here.held and now - here.since >= HOLD_S:
                here.held = True
                here.told.append(act)
                done.append((act, "down"))
        return done

    def forget(self) -> tuple[str, ...]:
        """Whatever sent them has gone: none is pressed any more, and nothing is done for it. The controls that were."""
        gone = tuple(self._down)
        self._down.clear()
        return gone
