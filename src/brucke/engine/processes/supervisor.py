"""Watches a running engine and its helpers in a thread of its own, so that a window that is busy, or waits, ends
nothing and saves nothing: it only shows what is told here.

What runs is judged by what it publishes. What cannot start is tried again after longer and longer pauses, and what is
ended is not waited for.
"""

import threading
import time
from collections import deque
from collections.abc import Callable

from .backoff import Backoff
from .link import EngineLink
from .region import Head

LOOK_S = 0.05
HANG_S = 0.7  # an engine that lives and gives nothing for so long is replaced
START_S = 15.0  # an engine that replaces another gives sound within that, or is replaced
HANG_LOOKS = 6  # this process may itself have been stopped meanwhile: it has to have looked several times
LISTEN_S = 1.0  # after the engine is up, loudness is measured
STAND_BY_S = 2.0  # after the engine is up, another is made ready; as long after that one more
STAND_BYS = 2  # one takes a few seconds to be ready, and an engine may end again within them


class Supervisor:
    """Of one engine, from `start` to `stop`. `told` holds what happened since it was last emptied: “restarting”,
    “loudness”, “matched”, “standby”, “world” (it has gone, and nothing is done), “world again”. `hang_s` is how long
    the engine may give nothing; `also` is called with every look."""

    def __init__(self, link: EngineLink, also: Callable[[], None] = lambda: None):
        self.link = link
        self.told: deque[str] = deque(maxlen=100)
        self.hang_s = HANG_S
        self.failures: list[BaseException] = []
        self.goes_on = (
            False  # whether what is real goes on without the world behind the ports, which is started again then
        )
        self._also = also
        self._frames = -1
        self._moved = self._up_since = 0.0
        self._still = 0
        self._was_up = self._world_gone = False
        self._engine, self._standby, self._world = Backoff(), Backoff(), Backoff()
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="supervisor", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self, seconds: float = 2.0) -> None:
        """No look begins after this; one that is under way is given so long."""
        self._ended.set()
        if self._thread.is_alive() and threading.current_thread() is not self._thread:
            self._thread.join(seconds)

    def _run(self) -> None:
        while not self._ended.wait(LOOK_S):
            try:
                self.look(time.monotonic())
            except Exception as e:  # it goes on watching, and whoever shows things hears of it
                if len(self.failures) < 10:
                    self.failures.append(e)

    def look(self, now: float) -> None:
        """Once: what has ended or hangs is replaced."""
        link = self.link
        if not link.world.alive:
            if not self.goes_on:
                if not self._world_gone:
                    self._world_gone = True
                    self.told.append("world")
                return
            if self._world.may(now):
                self._world.begins(now)
                self.told.append("world again")
                link.restart_world()
        if (link.engine_died or self._hangs(now)) and self._engine.may(now):
            self._engine.begins(now)
            self._was_up, self._frames, self._moved = False, -1, now
            self.told.append("restarting")
            link.restart_engine()
        elif link.running:
            self._look_at_helpers(now)
        self._also()

    def _hangs(self, now: float) -> bool:
        """An engine that lives and does nothing (a driver that never answers) is ended, and then started again."""
        if not self._was_up:  # a first start may take its time; another one has done this before
            return self.link.restarts > 0 and now - self._moved > START_S
        frames = self.link.get(Head.FRAMES)
        if frames != self._frames:
            self._frames, self._moved, self._still = frames, now, 0
        self._still += 1
        return now - self._moved > self.hang_s and self._still > HANG_LOOKS

    def _look_at_helpers(self, now: float) -> None:
        link = self.link
        if not self._was_up:
            self._was_up, self._up_since, self._moved, self._still = True, now, now, 0
        ready = len(link.standbys)
        if ready < STAND_BYS and now - self._up_since > STAND_BY_S * (1 + ready) and self._standby.may(now):
            self._standby.begins(now)
            link.stand_by()
        if now - self._up_since > LISTEN_S:
            link.listen()
        self.told.extend(link.watch_helpers())
