"""The places of the window, one shown at a time. Each is made when it is first asked for; those nobody asked for are
made one by one while the window has nothing else to do, so that the first picture waits for none of them."""

from collections.abc import Iterator
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget

from ...app.studio import Studio
from ..kit.place import Place
from ..theme.theme import Theme
from .places import PLACES

if TYPE_CHECKING:
    from ..places.align.view import AlignView
    from ..places.gather.view import GatherView
    from ..places.perform.view import PerformView
    from ..places.review.view import ReviewView
    from ..places.shape.view import ShapeView
    from ..places.share.view import ShareView
    from ..places.soundcheck.view import SoundcheckView

FIRST_PICTURE_MS = 60  # what a window's first picture takes to be seen, from the first turn of the event loop


class PlaceStack(QStackedWidget):
    """`made` are those that there are already; `new` tells of each as it is made."""

    new = pyqtSignal(str)

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__()
        self._theme, self._studio = theme, studio
        self._entries = {entry.action.id: entry for entry in PLACES}
        self.made: dict[str, Place] = {}
        self._idle = QTimer(self)
        self._idle.timeout.connect(self._first_turn)
        self._idle.start(0)

    def __iter__(self) -> Iterator[str]:
        return iter(self._entries)

    def __getitem__(self, id: str) -> Place:
        """KeyError where there is none of that name."""
        if id not in self.made:
            place = self.made[id] = self._entries[id].make(self._theme, self._studio)
            self.addWidget(place)
            self.new.emit(id)
        return self.made[id]

    @property
    def shown(self) -> str:
        """The id of the one that is shown; nothing before the first."""
        return next((id for id, place in self.made.items() if place is self.currentWidget()), "")

    def show_place(self, id: str) -> None:
        for other, place in self.made.items():
            if other != id:
                place.leave()
        self.setCurrentWidget(self[id])

    def make_all(self) -> None:
        """At once, for whoever will ask for every one of them."""
        for id in self._entries:
            self[id]

    def _first_turn(self) -> None:
        self._idle.timeout.disconnect(self._first_turn)
        self._idle.timeout.connect(self._make_another)
        self._idle.start(FIRST_PICTURE_MS)

    def _make_another(self) -> None:
        self._idle.setInterval(0)
        missing = next((id for id in self._entries if id not in self.made), None)
        if missing is None:
            self._idle.stop()
        else:
            self[missing]


class HasPlaces:
    """Each place by its name, as the class it is."""

    places: PlaceStack

    @property
    def gather(self) -> "GatherView":
        return cast("GatherView", self.places["gather"])

    @property
    def share(self) -> "ShareView":
        return cast("ShareView", self.places["share"])

    @property
    def shape(self) -> "ShapeView":
        return cast("ShapeView", self.places["shape"])

    @property
    def align(self) -> "AlignView":
        return cast("AlignView", self.places["align"])

    @property
    def perform(self) -> "PerformView":
        return cast("PerformView", self.places["perform"])

    @property
    def review(self) -> "ReviewView":
        return cast("ReviewView", self.places["review"])

    @property
    def soundcheck(self) -> "SoundcheckView":
        return cast("SoundcheckView", self.places["soundcheck"])
