"""Every place of the window, in the order in which the deck shows them. A new one is its view and a line here."""

from ..kit.place import Place
from ..places.align.view import AlignView
from ..places.gather.view import GatherView
from ..places.perform.view import PerformView
from ..places.review.view import ReviewView
from ..places.shape.view import ShapeView
from ..places.share.view import ShareView
from ..places.soundcheck.view import SoundcheckView

PLACES: tuple[type[Place], ...] = (GatherView, ShareView, ShapeView, AlignView, PerformView, ReviewView, SoundcheckView)
