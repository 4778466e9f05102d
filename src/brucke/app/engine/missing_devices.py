"""Which devices were not there while a take was recorded, and from when to when."""

from ...core.document.setup import Setup
from ...words.timing import clock_text, device_name
from ...words.translation import _


class Absences:
    """Seconds count from the beginning of the take. `said` are those that are over."""

    def __init__(self) -> None:
        self.said: list[str] = []
        self._since: dict[str, float] = {}

    def see(self, setup: Setup, missing: tuple[str, ...], at_s: float) -> None:
        """Which are missing now."""
        for id in missing:
            self._since.setdefault(id, at_s)
        for id in [i for i in self._since if i not in missing]:
            self._say(setup, id, f"to {clock_text(at_s)}")

    def end(self, setup: Setup) -> list[str]:
        """All there were; what is missing still is so to the end."""
        for id in list(self._since):
            self._say(setup, id, _("to the end"))
        return self.said

    def _say(self, setup: Setup, id: str, until: str) -> None:
        since = self._since.pop(id)
        name = device_name(setup, id) if any(d.id == id for d in setup.devices) else id
        self.said.append(
            _("{name} was not there from {clock} {until}: silence").format(
                name=name, clock=clock_text(since), until=until
            )
        )
