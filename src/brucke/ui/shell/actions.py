"""All keys, in one table. Everything the window can do is an action here; single letters can be switched off."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget

from ...words.ways import OTHER_WAYS


@dataclass(frozen=True)
class Spec:
    id: str
    text: str
    keys: str


OTHER_KEYS = {
    "film": "Shift+P", "voice_music": "Shift+V", "what_if": "Shift+W", "stages": "Shift+I", "camera": "Shift+F", "path": "Shift+C", "clocks": "Shift+K", "buffer": "Shift+B", "hand_off": "Shift+T",
}  # fmt: skip
SPECS = (
    Spec("start_stop", "Start or stop", "F5"),
    Spec("on_air", "Open to those who listen, or close", "F9"),
    Spec("door", "Keep the chosen listener closed when opening, or no longer", "Shift+F9"),
    Spec("play", "Backing track: play or pause", "P"),
    Spec("back", "Backing track: 5 s back", "Shift+,"),
    Spec("forth", "Backing track: 5 s on", "Shift+."),
    Spec("measure", "Measure the round trip", "M"),
    Spec("headphones", "Check the headphones: left, right, not too loud", "Shift+H"),
    Spec("confirm", "Confirm the round trip with one quiet sweep", "I"),
    Spec("cancel", "Cancel", "Esc"),
    Spec("delay_one", "Delay the selected part into step", "D"),
    Spec("everyone", "Put everyone in step at this listener", "E"),
    Spec("everywhere", "Put everyone in step everywhere", "Shift+E"),
    *(Spec(id, text, OTHER_KEYS[id]) for id, text in OTHER_WAYS.items()),
    Spec("later", "Selected route: 1 ms more delay", "Ctrl+Right"),
    Spec("earlier", "Selected route: 1 ms less delay", "Ctrl+Left"),
    Spec("record", "Record, or end the recording", "R"),
    Spec("proof", "Proof take: from the top, measured", "Shift+R"),
    Spec("compare", "Listen: change between before and now", "B"),
    Spec("next_listener", "Next listener", "N"),
    Spec("table", "Show as table, or as drawing", "T"),
    Spec("moment", "Next moment", "O"),
    Spec("add", "Add a part, in Share a listener, in Shape a processor", "A"),
    Spec("presets", "Shape: presets", "Y"),
    Spec("version", "Shape: the other version of the chain", "V"),
    Spec("without", "Shape: hear it without its processors, or with", "W"),
    Spec("alone", "Listen to the chosen part alone", "L"),
    Spec("mute", "Mute the chosen part", "U"),
    Spec("silence", "Silence: nobody hears anything, or again", "Shift+U"),
    Spec("goodbye", "Goodbye: fade the song, close everyone, end the recorder", "F12"),
    Spec("hear_me", "Do I hear it: change", "H"),
    Spec("hear_them", "Do they hear it: change", "J"),
    Spec("listen", "Soundcheck: listen now", "K"),
    Spec("gather", "Go to Gather", "Alt+G"),
    Spec("share", "Go to Share", "Alt+S"),
    Spec("shape", "Go to Shape", "Alt+H"),
    Spec("align", "Go to Align", "Alt+A"),
    Spec("review", "Go to Review", "Alt+R"),
    Spec("soundcheck", "Go to the soundcheck", "F6"),
    Spec("undo", "Undo", "Ctrl+Z"),
    Spec("redo", "Redo", "Ctrl+Shift+Z"),
    Spec("new", "New setup", "Ctrl+N"),
    Spec("open", "Open a setup…", "Ctrl+O"),
    Spec("save", "Save", "Ctrl+S"),
    Spec("save_as", "Save as…", "Ctrl+Shift+S"),
    Spec("double", "Duplicate the setup", "Ctrl+Shift+D"),
    Spec("export", "Export with its sounds as one file…", "Ctrl+E"),
    Spec("import", "Import an exported setup…", "Ctrl+I"),
    Spec("name", "Name and notes…", "F4"),
    Spec("card", "A card for the other side…", "Ctrl+Shift+C"),
    Spec("home", "At home on this desktop…", "Ctrl+,"),
    Spec("night", "Night or day colours", "F8"),
    Spec("larger", "Larger text", "Ctrl++"),
    Spec("smaller", "Smaller text", "Ctrl+-"),
    Spec("fold", "Fold or unfold the listeners", "F7"),
    Spec("keys", "Keys…", "F1"),
    Spec("quit", "Quit", "Ctrl+Q"),
)


def is_single_letter(keys: str) -> bool:
    return len(keys) == 1 and keys.isalpha()


class Actions:
    """QActions of one window by id, with the user's own keys from the settings."""

    def __init__(self, window: QWidget, settings: QSettings, do: Callable[[str], None]):
        self._settings = settings
        self.by_id: dict[str, QAction] = {}
        for spec in SPECS:
            action = QAction(spec.text, window)
            action.triggered.connect(lambda _checked=False, id=spec.id: do(id))
            window.addAction(action)
            self.by_id[spec.id] = action
        self.apply()

    def keys_of(self, id: str) -> str:
        default = next(s.keys for s in SPECS if s.id == id)
        return str(self._settings.value(f"keys/{id}", default))

    @property
    def letters(self) -> bool:
        """Whether single letters work as keys."""
        return bool(self._settings.value("letters", True, bool))

    def set_letters(self, on: bool) -> None:
        self._settings.setValue("letters", on)
        self.apply()

    def set_keys(self, id: str, keys: str) -> str:
        """Give `id` new keys; the id that had them before loses them and is returned."""
        taken = next((s.id for s in SPECS if s.id != id and keys and self.keys_of(s.id) == keys), "")
        if taken:
            self._settings.setValue(f"keys/{taken}", "")
        self._settings.setValue(f"keys/{id}", keys)
        self.apply()
        return taken

    def apply(self) -> None:
        for id, action in self.by_id.items():
            keys = self.keys_of(id)
            off = is_single_letter(keys) and not self.letters
            action.setShortcut(QKeySequence() if off else QKeySequence(keys))

    def hint(self, id: str) -> str:
        """The key as it stands on a button, or nothing."""
        return self.by_id[id].shortcut().toString(QKeySequence.SequenceFormat.NativeText)
