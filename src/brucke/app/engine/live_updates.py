"""A running engine, and the world behind its ports, follow the setup without a gap; as long as they can, see
`live_reconfiguration.py`."""

import threading
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path

from msgspec import to_builtins

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Knowledge
from ...core.storage.setup_file import save
from ...engine.processes.link import EngineLink
from ...engine.processes.messages import UseSetup
from ...engine.step.live import Live
from ...engine.step.plan import compile_plan, compile_plans
from ...engine.step.safety import safety_of
from ..jobs.background import BackgroundQueue
from .live_reconfiguration import LINGER_S, Carried, admits, structure

FILES = 8  # the world outside reads one while the next is written


class LiveUpdates:
    """Of one engine, from its beginning to its end. `carried` is what it carries now."""

    def __init__(
        self, link: EngineLink, folder: Path, first: Carried, with_acts: Callable[[Live], Live] = lambda live: live
    ):
        self.link, self.folder, self.carried = link, folder, first
        self._with_acts = with_acts  # what was asked for past the window lies over what it tells
        self._lock = threading.Lock()  # rows and words are told by one thread at a time
        self._settle_at = 0.0  # when what has left is let go; 0: nothing has
        self._written = 0
        self._lane = BackgroundQueue("world")
        self._telling: deque[Future[None]] = deque()

    def admits(self, setup: Setup, live: Live, held: str) -> str:
        """Why it must not go on with `setup`, empty where it may, see `carrying.admits`."""
        return admits(self.carried, setup, live, held, time.monotonic())

    def tell(self, setup: Setup, live: Live) -> None:
        """Who is open, silence, mutes and the moment: in force with the next block. Compiles nothing and waits for
        nothing. Any thread."""
        with self._lock:
            self.link.tell(safety_of(setup, self._with_acts(live), self.carried.rows))

    def follow(self, setup: Setup, live: Live) -> bool:
        """False where everything has to start anew. Errors: PlanError, and all stays as it is."""
        after = self.carried.following(setup, time.monotonic())
        if after is None:
            compile_plan(setup, live)
            return False
        plans = compile_plans(setup, live, after.rows, self.link.shape.channels)
        with self._lock:
            self.link.send_plan(plans, after.rows.order(setup))
            self._carry(after)
        self.tell(setup, live)
        if structure(after.setup) != structure(setup):
            self._settle_at = time.monotonic() + LINGER_S
        return True

    def tick(self, setup: Setup) -> str:
        """What has left is let go once it has faded out. Why the world outside could not be told, “” where it could."""
        why = ""
        while self._telling and self._telling[0].done():
            e = self._telling.popleft().exception()
            why = why if e is None else str(getattr(e, "strerror", None) or e).lower()
        if self._settle_at and time.monotonic() >= self._settle_at:
            self._settle_at = 0.0
            self._carry(self.carried.settled(setup, time.monotonic()))
        return why

    def end(self) -> None:
        self._lane.close()

    def _carry(self, after: Carried) -> None:
        """What stands behind the ports is told what came and what left."""
        before, self.carried = self.carried, after
        if after.wirings != before.wirings:
            self.link.rewire(after.wirings)
        if structure(after.setup) != structure(before.setup):
            self._written += 1
            document = self.folder / f"running-{self._written % FILES}.brucke.json"
            rows = to_builtins(after.rows)

            def tell() -> None:
                save(document, after.setup, Knowledge())
                self.link.tell_world(UseSetup(file=str(document), rows=rows))

            self._telling.append(self._lane.do(tell))
