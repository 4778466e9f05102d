"""Every place of the window, in the order in which the deck shows them. A new one is its view and a line here."""

from importlib import import_module

import msgspec

from ...app.studio import Studio
from ...words.translation import _
from ..kit.action import Action
from ..kit.place import Place
from ..theme.theme import Theme


class PlaceEntry(msgspec.Struct, frozen=True):
    """`action` leads to it, and its id is the place's; `name` stands in the deck, where one without does not;
    `view` is the class in `ui/places/<id>/view.py`, which is loaded when it is made."""

    action: Action
    name: str
    view: str

    def make(self, theme: Theme, studio: Studio) -> Place:
        module = import_module(f"...places.{self.action.id}.view", __name__)
        made: Place = getattr(module, self.view)(theme, studio)
        return made


PLACES = (
    PlaceEntry(Action("gather", _("Go to Gather"), "Alt+G"), _("Gather"), "GatherView"),
    PlaceEntry(Action("share", _("Go to Share"), "Alt+S"), _("Share"), "ShareView"),
    PlaceEntry(Action("shape", _("Go to Shape"), "Alt+H"), _("Shape"), "ShapeView"),
    PlaceEntry(Action("align", _("Go to Align"), "Alt+A"), _("Align"), "AlignView"),
    PlaceEntry(Action("perform", _("Go to Perform"), "Alt+P"), _("Perform"), "PerformView"),
    PlaceEntry(Action("review", _("Go to Review"), "Alt+R"), _("Review"), "ReviewView"),
    PlaceEntry(Action("soundcheck", _("Go to the soundcheck"), "F6"), "", "SoundcheckView"),
)
