"""The document's life on disk: templates, recent ones, what a crash leaves, files that come in, export and import."""

import os
import shutil
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from platformdirs import user_data_path
from PyQt6.QtCore import QObject, QSettings, QTimer, pyqtSignal

from ...core.document.ranges import printable
from ...core.edits.naming import free_id
from ...core.edits.route_edits import put_on_this_computer, without_sounds
from ...core.files.process_alive import this_program
from ...core.storage.bundle import export_bundle, find_file, import_bundle, sound_files
from ...core.storage.recovery import Recovery, find_recoveries, recovery_file, write_recovery
from ...core.storage.setup_file import SetupError
from ...core.storage.templates import TEMPLATES
from ...words.translation import _
from ..session.session import Session
from .open_documents import OpenDocuments

KEEP_AFTER_MS = 500
MOST_RECENT = 8
MOST_NAME, MOST_SAID = 100, 400


def _newer(path: Path, than: Path) -> bool:
    try:
        return path.stat().st_mtime > than.stat().st_mtime
    except OSError:
        return False


def written(name: str) -> str:
    """A file's name as a setup can keep it: any bytes may stand in one."""
    return printable(name, MOST_NAME).replace("�", "_").replace("\\", "_")


class Documents(QObject):
    _not_kept = pyqtSignal(str)  # why, empty when it was kept; from the thread that writes

    def __init__(self, session: Session, settings: QSettings):
        super().__init__()
        self.session, self.settings = session, settings
        self.home = user_data_path("brucke")
        self._pool = ThreadPoolExecutor(1)
        self._kept: tuple[object, ...] = ()
        self._closed = self._failing = False
        self.brought_back = ""
        self.who = this_program()
        self.open_setups = OpenDocuments(self.home / "windows")
        self._open_file: Path | None = None
        self._not_kept.connect(self._say_not_kept)
        # Not started anew by every edit: the first unsaved one is on disk half a second later.
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(KEEP_AFTER_MS)
        self._timer.timeout.connect(self._keep)
        session.changed.connect(self._changed)
        session.replaced.connect(self._changed)
        session.changed.connect(self._opened)
        session.replaced.connect(self._opened)
        self._opened()

    # Crash

    @property
    def recovery_home(self) -> Path:
        return self.home / "recovery"

    def _state(self) -> tuple[object, ...]:
        s = self.session
        return s.setup, s.knowledge, s.path, s.more_folders

    def _changed(self) -> None:
        s = self.session
        if self._closed:
            return
        if not s.unsaved:
            self._timer.stop()
            if self._kept:
                self._kept = ()
                self._pool.submit(recovery_file(self.recovery_home, self.who).unlink, True)
        elif self._state() != self._kept and not self._timer.isActive():
            self._timer.start()

    def _keep(self) -> None:
        """Write what is open aside, in a thread of its own: the disk may be slow."""
        s = self.session
        if not s.unsaved:
            return
        self._kept = self._state()
        recovery = Recovery(
            setup=s.setup, knowledge=s.knowledge, path=str(s.path or ""),
            folders=tuple(str(f) for f in s.more_folders), who=self.who,
        )  # fmt: skip
        self._pool.submit(self._write, recovery)

    def _write(self, recovery: Recovery) -> None:
        try:
            write_recovery(self.recovery_home, recovery)
        except OSError as e:
            self._not_kept.emit((e.strerror or str(e)).lower())
        else:
            self._not_kept.emit("")

    def _say_not_kept(self, reason: str) -> None:
        """Once for every time it begins to fail."""
        if reason:
            self._kept = ()  # tried again with the next edit
            if not self._failing:
                self.session.noticed.emit(
                    _("What is not saved could not be kept aside for a crash: {reason}. Save it (Ctrl+S).").format(
                        reason=reason
                    ),
                    "coral",
                )
        self._failing = bool(reason)

    def recover(self) -> bool:
        """Bring back what a program that ended unexpectedly left; whether there was anything."""
        found = find_recoveries(self.recovery_home)
        if not found:
            return False
        self.bring_back(*found[0])
        return True

    def left_of(self, path: Path) -> tuple[Path, Recovery] | None:
        """What a crash left of this very file, newer than its last save."""
        for file, r in find_recoveries(self.recovery_home):
            if r.path and Path(r.path).resolve() == path.resolve() and (r.setup != self.session.setup):
                return file, r
        return None

    def bring_back(self, file: Path, r: Recovery) -> None:
        """Unsaved, and never in the way of a save that is newer than what a crash left."""
        path = Path(r.path) if r.path else None
        folders = tuple(Path(f) for f in r.folders)
        said = _("Brucke ended unexpectedly. “{name}” is as you left it; save it to keep it.").format(name=r.setup.name)
        if path is not None and _newer(path, file):
            folders = (path.parent, *folders)
            said = _(
                "Brucke ended unexpectedly. {name} was saved since then and stays as it is; what was left is open "
                "here without a file. Save it under another name to keep it."
            ).format(name=path.name)
            path = None
        self.session.replace(r.setup, r.knowledge, path, folders, saved=False)
        self._keep()
        self._pool.submit(file.unlink, True)
        self.brought_back = said  # at a start, before there is a window that could say it
        self.session.noticed.emit(said, "amber")

    def _opened(self) -> None:
        """Another document or another file: does another window have it open as well?"""
        if self._closed or self.session.path == self._open_file:
            return
        self._open_file = self.session.path
        if self.open_setups.take(self.session.path) and self.session.path is not None:
            self.session.noticed.emit(
                _("{name} is open in another window too. Whoever saves last replaces the other's work.").format(
                    name=self.session.path.name
                ),
                "amber",
            )

    def keep_now(self) -> None:
        """Whatever is not saved is kept aside at once."""
        if self.session.unsaved and self._state() != self._kept:
            self._keep()

    def close(self, leave: bool = False) -> None:
        """A proper end leaves nothing to recover; one that asked nobody leaves what is not saved (`leave`)."""
        self._closed = True
        self._timer.stop()
        self._pool.shutdown(wait=True)
        self.open_setups.give_up()
        if leave and self.session.unsaved:
            return
        recovery_file(self.recovery_home, self.who).unlink(missing_ok=True)
        for folder in self.session.more_folders:
            if folder.parent == self.home / "open":
                shutil.rmtree(folder, ignore_errors=True)

    # Recent

    def recent(self) -> list[Path]:
        value = self.settings.value("recent", [], list)
        return [Path(p) for p in value if Path(p).exists()]

    def remember(self, path: Path) -> None:
        names = [str(path), *(str(p) for p in self.recent() if p != path)]
        self.settings.setValue("recent", names[:MOST_RECENT])

    def last(self) -> Path | None:
        """What was opened or saved last, there or not: no other takes its place."""
        value = self.settings.value("recent", [], list)
        return Path(value[0]) if value else None

    # New, in, out

    def new(self, template: str, here: bool = False) -> None:
        """From a template, on stand-ins or on what is `here`."""
        made = next(t for t in TEMPLATES if t.code == template).make()
        self.session.replace(without_sounds(put_on_this_computer(made)) if here else made, saved=False)

    def bring_in(self, files: list[Path]) -> tuple[list[str], list[str]]:
        """Names under which the setup can use sound files from anywhere, and what was wrong with the others."""
        from ...ports.sounds.files import SoundFileError
        from ...ports.sounds.track import track_info

        names, errors = [], []
        for file in files:
            odd = written(file.name) != file.name
            name = ""
            try:
                if odd:  # no library opens what is no text; under another name it may
                    name = self._name_for(file.resolve())
                track_info(find_file(name, self.session.folders) if odd else file)
                names.append(name or self._name_for(file.resolve()))
            except SoundFileError as e:
                if odd:
                    self._unlink(find_file(name, self.session.folders))
                errors.append(printable(str(e), MOST_SAID))
            except OSError as e:
                errors.append(
                    _("{written}: the file: {what}").format(
                        written=written(file.name), what=(e.strerror or str(e)).lower()
                    )
                )
        return names, errors

    @staticmethod
    def _unlink(link: Path) -> None:
        if link.is_symlink():
            link.unlink(missing_ok=True)

    def _name_for(self, file: Path) -> str:
        s = self.session
        name = written(file.name)
        if s.path is not None and file.parent == s.path.parent.resolve() and name == file.name:
            return name
        folder = next((f for f in s.more_folders if f.parent == self.home / "open"), None)
        if folder is None:
            home = self.home / "open"
            home.mkdir(parents=True, exist_ok=True)
            folder = home / free_id(str(os.getpid()), {p.name for p in home.iterdir()})
            folder.mkdir()
            s.more_folders = (*s.more_folders, folder)
        stem, ending = Path(name).stem, Path(name).suffix
        for i in range(2, 1000):
            there = find_file(name, s.folders)
            if not there.exists():
                (folder / name).symlink_to(file)
                return name
            if there.resolve() == file:
                return name
            name = f"{stem}-{i}{ending}"
        raise OSError(f"{name}: too many files of that name")

    def export(self, path: Path, do: Callable[[Callable[[], None]], None] = lambda work: work()) -> None:
        """`do` runs what waits for the disk. Errors: OSError, SetupError."""
        s = self.session
        setup, knowledge = s.setup, s.knowledge
        files = [(name, find_file(name, s.folders)) for name in sound_files(s.setup)]
        missing = next((name for name, file in files if not file.exists()), None)
        if missing is not None:
            raise SetupError(f"{path.name}: sounds: “{missing}” is nowhere to be found")
        do(lambda: export_bundle(path, setup, knowledge, files))

    def read(self, path: Path) -> None:
        """Open a setup; a bundle is unpacked beside our other data first. Errors: SetupError."""
        if path.name.endswith(".zip"):
            path = import_bundle(path, self.home / "imported")
        self.session.open(path)
