"""Whether a path is clean: what was sent through it, and what came back."""

from ...words.translation import _
from ..kit.action import Action
from .files_dialog import Asked, FilesDialog
from .tool import Tool

PATH = Asked(
    "clean", _("Is the path clean?"),
    _("What was sent through a path, and what came back. Only in a call made for testing, with nobody at the other "
      "side: write the sound to send, play it into the call, and record what comes back. Brucke never sends it by "
      "itself."),
    (_("What was sent…"), _("What came back…")), writes=_("Write the sound to send…"),
)  # fmt: skip

CLEAN_PATH = Tool(
    Action("path", _("Is the path clean?…")), "call", _("Test the call…"),
    lambda host: host.show(FilesDialog(host.theme, PATH, host.parent)),
)  # fmt: skip
