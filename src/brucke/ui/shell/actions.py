"""All keys, in one table. Everything the window can do is an action here; single letters can be switched off."""

from collections.abc import Callable

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget

from ...words.translation import _
from ..kit.action import MOMENT_KEYS, Action
from ..tools.registry import TOOLS
from .places import PLACES

ACTIONS = (
    Action("start_stop", _("Start or stop"), "F5"),
    Action("on_air", _("Let them hear, or let nobody hear"), "F9"),
    Action("door", _("Keep the chosen listener out when you let them hear, or no longer"), "Shift+F9"),
    Action("play", _("Backing track: play or pause"), "P", "Ctrl+P"),
    Action("back", _("Backing track: 5 s back"), "Shift+,"),
    Action("forth", _("Backing track: 5 s on"), "Shift+."),
    Action("measure", _("Measure the round trip"), "M"),
    Action("headphones", _("Check the headphones: left, right, not too loud"), "Shift+H"),
    Action("confirm", _("Test the round trip again with one quiet sweep"), "I"),
    Action("cancel", _("Cancel"), "Esc"),
    Action("delay_one", _("Delay the selected part into step"), "D"),
    Action("everyone", _("Put everyone in step at this listener"), "E"),
    Action("everywhere", _("Put everyone in step everywhere"), "Shift+E"),
    Action("questions", _("Align: what else can be found out"), "Q"),
    *(tool.action for tool in TOOLS),
    Action("later", _("Selected route: 1 ms more delay"), "Ctrl+Right"),
    Action("earlier", _("Selected route: 1 ms less delay"), "Ctrl+Left"),
    Action("record", _("Record, or end the recording"), "R", "Ctrl+R"),
    Action("mark", _("Mark this moment in the recording"), "Ctrl+K"),
    Action("keep_before", _("Keep what just happened, where the last two minutes are remembered"), "Ctrl+Shift+K"),
    Action("proof", _("Test recording: from the top, measured"), "Shift+R"),
    Action("compare", _("Listen: change between before and now"), "B"),
    Action("bring_film", _("Review: bring a film to this recording…"), "Ctrl+B"),
    Action("edit_take", _("Review: edit this recording…"), "Ctrl+D"),
    Action("hand_on", _("Review: hand this recording on…"), "Ctrl+G"),
    Action("next_listener", _("Next listener"), "N"),
    Action("table", _("Show as table, or as drawing"), "T"),
    Action("moment", _("Next moment"), "O", "Ctrl+M"),
    Action("add", _("Add a part, in Share a listener, in Shape a processor"), "A"),
    Action("presets", _("Shape: presets"), "Y"),
    Action("version", _("Shape: the other version of the chain"), "V"),
    Action("without", _("Shape: hear it without its processors, or with"), "W"),
    Action("line_next", _("Running order: the next line"), "PgDown"),
    Action("line_back", _("Running order: this line again, or the one before"), "PgUp"),
    *(Action(f"moment_{n}", _("Moment {number}").format(number=n), f"Ctrl+{n}") for n in range(1, MOMENT_KEYS + 1)),
    Action("heard", _("They say they hear it: note when"), "Ctrl+H"),
    Action("hour_page", _("The hour in words, as a page…"), ""),
    Action("small_form", _("The hour in a small window above others"), "F2"),
    Action("find", _("Find an action by its words…"), "Ctrl+F"),
    Action("alone", _("Listen to the chosen part alone"), "L", "Ctrl+L"),
    Action("mute", _("Gather: mute the chosen part"), "U", "Ctrl+U"),
    Action("silence", _("Silence: nobody hears anything, or again"), "F10", "Shift+U"),
    Action("mute_me", _("Mute me: nobody hears your microphone, or again; held: as long as it is held"), "F11"),
    Action("goodbye", _("Goodbye: fade the song, let nobody hear, end the recorder"), "F12"),
    Action("hear_as", _("Hear as the next listener hears, after the last yourself again"), "Ctrl+J"),
    Action("hear_half", _("Hear as another does: in one ear only, or in both"), "Ctrl+Shift+J"),
    Action("hear_me", _("Do I hear it: change"), "H"),
    Action("hear_them", _("Do they hear it: change"), "J"),
    Action("listen", _("Soundcheck: listen now"), "K"),
    *(place.action for place in PLACES),
    Action("undo", _("Undo"), "Ctrl+Z"),
    Action("redo", _("Redo"), "Ctrl+Shift+Z"),
    Action("new", _("New setup"), "Ctrl+N"),
    Action("open", _("Open a setup…"), "Ctrl+O"),
    Action("save", _("Save"), "Ctrl+S"),
    Action("save_as", _("Save as…"), "Ctrl+Shift+S"),
    Action("double", _("Duplicate the setup"), "Ctrl+Shift+D"),
    Action("export", _("Export with its sounds as one file…"), "Ctrl+E"),
    Action("import", _("Import an exported setup…"), "Ctrl+I"),
    Action("name", _("Name and notes…"), "F4"),
    Action("card", _("A card for the other side…"), "Ctrl+Shift+C"),
    Action("copy_happened", _("Copy what happened, for whoever helps"), ""),
    Action("home", _("At home on this desktop…"), "Ctrl+,"),
    Action("night", _("Night or day colours"), "F8"),
    Action("larger", _("Larger text"), "Ctrl++"),
    Action("smaller", _("Smaller text"), "Ctrl+-"),
    Action("detail", _("In plain words, or in numbers"), "F3"),
    Action("fold", _("The listeners smaller, or as they were"), "F7"),
    Action("keys", _("Keys…"), "F1"),
    Action("control", _("Foot switches and controllers…"), ""),
    Action("meanings", _("What the words here mean"), "Shift+F1"),
    Action("quit", _("Quit"), "Ctrl+Q"),
)


ONCE = (
    "mute_me",
    "silence",
    "on_air",
    "goodbye",
)  # what the keyboard repeats while it is held does them no second time


# Somebody who reads or writes turns pages with these: they belong to the hour only where one is in it.
OF_THE_HOUR = ("line_next", "line_back")


def is_single_letter(keys: str) -> bool:
    return len(keys) == 1 and keys.isalpha()


def is_typed(keys: str) -> bool:
    """Whether somebody types it who writes a text: no Ctrl, Alt or Meta, and no key that is only for commands."""
    *held, key = keys.replace("++", "+plus").split("+")
    return (
        bool(keys)
        and not {"Ctrl", "Alt", "Meta"} & set(held)
        and (len(key) == 1 or key in ("Space", "Return", "Enter", "plus"))
    )


class Actions:
    """QActions of one window by id, with the user's own keys from the settings."""

    def __init__(self, window: QWidget, settings: QSettings, do: Callable[[str], None]):
        self._settings = settings
        self._heard = self._in_hour = False
        self.by_id: dict[str, QAction] = {}
        for spec in ACTIONS:
            action = QAction(spec.text, window)
            action.setAutoRepeat(spec.id not in ONCE)
            action.triggered.connect(lambda _checked=False, id=spec.id: do(id))
            window.addAction(action)
            self.by_id[spec.id] = action
        self.apply()

    def keys_of(self, id: str) -> str:
        default = next(s.keys for s in ACTIONS if s.id == id)
        return str(self._settings.value(f"keys/{id}", default))

    @property
    def letters(self) -> bool:
        """Whether single letters work as keys."""
        return bool(self._settings.value("letters", True, bool))

    def set_letters(self, on: bool) -> None:
        self._settings.setValue("letters", on)
        self.apply()

    def set_heard(self, heard: bool) -> None:
        """While somebody hears, no key that is typed is one of ours."""
        if heard != self._heard:
            self._heard = heard
            self.apply()

    def set_in_hour(self, on: bool) -> None:
        """Whether the keys that go through the running order work."""
        if on != self._in_hour:
            self._in_hour = on
            self.apply()

    def set_keys(self, id: str, keys: str) -> str:
        """Give `id` new keys; the id that had them before loses them and is returned."""
        taken = next((s.id for s in ACTIONS if s.id != id and keys and self.keys_of(s.id) == keys), "")
        if taken:
            self._settings.setValue(f"keys/{taken}", "")
        self._settings.setValue(f"keys/{id}", keys)
        self.apply()
        return taken

    def apply(self) -> None:
        taken = {self.keys_of(id) for id in self.by_id}
        for spec in ACTIONS:
            keys = self.keys_of(spec.id)
            both = [keys, *([spec.more] if spec.more not in taken else [])]
            off = [k for k in both if (is_single_letter(k) and not self.letters) or (self._heard and is_typed(k))]
            if spec.id in OF_THE_HOUR and not self._in_hour:
                off = both
            self.by_id[spec.id].setShortcuts([QKeySequence(k) for k in both if k and k not in off])

    def hint(self, id: str) -> str:
        """The key as it stands on a button, or nothing."""
        return self.by_id[id].shortcut().toString(QKeySequence.SequenceFormat.NativeText)
