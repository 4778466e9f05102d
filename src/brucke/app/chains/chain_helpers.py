"""What helps in Shape, together: learning a room, setting levels and loudness, plug-ins, saved presets."""

from pathlib import Path

from ...core.storage.presets import Shelf
from ...ports.plug_ins.known import Register
from ..engine.live_engine import LiveEngine
from ..session.session import Session
from .level_help import LevelFinder
from .loudness import TargetFinder
from .noise_learning import NoiseLearner
from .outside_watch import OutsideWatch
from .plug_ins import PlugInHosts


class ChainHelpers:
    """`home` is where presets and the names of plug-ins are kept."""

    def __init__(self, session: Session, running: LiveEngine, home: Path):
        self.learning = NoiseLearner(session, running)
        self.levelling = LevelFinder(session, running)
        self.targeting = TargetFinder(session, running)
        self.plugging = PlugInHosts(session, running, Register(home / "plug_ins.json"))
        self.outside = OutsideWatch(session, running)
        self.shelf = Shelf(home / "presets")

    def tick(self) -> None:
        for helper in (self.learning, self.levelling, self.targeting, self.plugging, self.outside):
            helper.tick()

    def cancel(self) -> bool:
        """What is under way ends; False where nothing is."""
        busy = (
            (self.learning.part, self.learning), (self.levelling.part, self.levelling),
            (self.targeting.listener, self.targeting), (self.plugging.looking >= 0, self.plugging),
        )  # fmt: skip
        under_way = next((helper for is_busy, helper in busy if is_busy), None)
        if under_way is not None:
            under_way.cancel()
        return under_way is not None

    def close(self) -> None:
        self.plugging.close()
        self.outside.close()
