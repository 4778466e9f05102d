"""A running engine, and the world behind its ports, follow the setup without a gap; as long as they can, see `carrying.py`."""

import time
from pathlib import Path

from msgspec import to_builtins

from ..core.document.setup import Setup
from ..core.document.setup_file import save
from ..core.knowledge.evidence import Knowledge
from ..engine.processes.link import EngineLink
from ..engine.step.live import Live
from ..engine.step.plan import compile_plan
from .carrying import LINGER_S, Carried, structure

FILES = 8  # the world outside reads one while the next is written


class Following:
    """Of one engine, from its beginning to its end. `carried` is what it carries now."""

    def __init__(self, link: EngineLink, folder: Path, first: Carried):
        self.link, self.folder, self.carried = link, folder, first
        self._settle_at = 0.0  # when what has left is let go; 0: nothing has
        self._written = 0

    def can(self, setup: Setup) -> bool:
        return self.carried.following(setup, time.monotonic()) is not None

    def follow(self, setup: Setup, live: Live) -> bool:
        """False where everything has to start anew. Errors: PlanError, and all stays as it is; OSError
        where the world outside cannot be told."""
        after = self.carried.following(setup, time.monotonic())
        if after is None:
            compile_plan(setup, live)
            return False
        plan = compile_plan(setup, live, after.rows, self.link.shape.channels)
        self.link.send_plan(plan, after.rows.order(setup))
        self._carry(after)
        if structure(after.setup) != structure(setup):
            self._settle_at = time.monotonic() + LINGER_S
        return True

    def tick(self, setup: Setup) -> None:
        """What has left is let go once it has faded out."""
        if self._settle_at and time.monotonic() >= self._settle_at:
            self._settle_at = 0.0
            self._carry(self.carried.settled(setup, time.monotonic()))

    def _carry(self, after: Carried) -> None:
        """What stands behind the ports is told what came and what left."""
        before, self.carried = self.carried, after
        if after.wirings != before.wirings:
            self.link.rewire(after.wirings)
        if structure(after.setup) != structure(before.setup):
            self._written += 1
            document = self.folder / f"running-{self._written % FILES}.brucke.json"
            save(document, after.setup, Knowledge())
            self.link.tell_world("setup", file=str(document), rows=to_builtins(after.rows))
