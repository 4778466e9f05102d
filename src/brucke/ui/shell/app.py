"""Starts the window; `--shots` lets the demo run and takes a picture of each main view."""

import gc
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6 import sip
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from ...app.documents.documents import Documents
from ...app.engine.live_engine import LiveEngine
from ...app.jobs.background import in_background
from ...app.jobs.temporary_folders import sweep
from ...app.presence.at_home import AtHome
from ...app.presence.crash_log import CrashLog
from ...app.presence.single_instance import SingleInstance, hand_over, place
from ...app.session.session import Session
from ...core.edits.route_edits import change_device
from ...core.files.run_log import begin
from ...core.storage.setup_file import SetupError
from ...home.bus import Bus
from ...home.files import APP_ID
from ...home.tray_host import TrayHost
from ...ports.devices.kind import DeviceError
from ...ports.devices.opening import wiring_of
from ...rehearse import equipment
from ...words.translation import _
from ..kit.question import Question
from ..theme.fonts import load_fonts
from ..theme.theme import Theme
from .background_mode import BackgroundMode
from .questions import whether_held, whether_open

if TYPE_CHECKING:
    from .window import Window

CARD_BUFFERS = 16  # of one block each: what a desktop's sound server needs to keep up


def make_app() -> tuple[QApplication, Theme, QSettings]:
    """The application with typeface, colours and remembered choices."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Brucke")
    app.setDesktopFileName(APP_ID)
    app.setStyle("Fusion")
    load_fonts()
    settings = QSettings("brucke", "brucke")
    theme = Theme(settings.value("night", False, bool), float(settings.value("scale", 1.0)))
    theme.apply()
    return app, theme, settings


def _first_document(session: Session, documents: Documents, setup: Path | None, demo: bool) -> str:
    """What was asked for; else what a crash left, the last one, or nothing yet, and then why. SetupError for what was
    asked for."""
    if setup is not None:
        documents.read(setup)
        if not demo:
            documents.remember(session.path or setup)
        return ""
    if documents.recover():
        return ""
    last = documents.last()
    if last is not None:
        try:
            session.open(last)
        except SetupError as e:
            return f"{e}."
    return ""


def _use_card(session: Session, name: str) -> None:
    """The setup's interface becomes a real sound card. Errors: DeviceError."""
    interface = next((d for d in session.setup.devices if d.kind == "interface"), None)
    if interface is None:
        raise DeviceError(f"{name}: this setup has no interface that could be a sound card")
    setup = change_device(session.setup, interface.id, card=name, buffers=CARD_BUFFERS)
    wiring = wiring_of(setup)
    assert wiring is not None
    wiring.check(setup.rate_hz)
    session.replace(setup, session.knowledge, None, session.folders, saved=True)


def _at_home(app: QApplication, w: "Window") -> BackgroundMode:
    """Closing the window leaves the sound on; the desktop is told, and tells."""
    own, system = Bus("session"), Bus("system")
    home = AtHome(w.session, w.running, w.taking, w.desktop, w.settings, own, system)
    w.studio.mishaps.sleep_ahead = lambda: home.sleep_ahead
    w.ask_held = lambda text: whether_held(w, w.theme, text)
    hiding = w.background_mode = BackgroundMode(
        w, home, TrayHost(own), w.settings, lambda text: whether_open(w, w.theme, text)
    )
    for part in (home, hiding):
        w.clock.tick.connect(part.tick)
    app.setQuitOnLastWindowClosed(False)  # a dialog may be the last one that is seen
    w.ended.connect(app.quit)
    app.commitDataRequest.connect(lambda _manager: w.documents.keep_now())
    return hiding


def _at_the_worst(window: "Window") -> None:
    """What nobody foresaw is said and written; a signal ends the window as a hand would."""
    crash_log = CrashLog()
    crash_log.install(lambda text: window.notice.say(text, "coral"))
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        # The window's own clock lets Python see it, thirty times a second.
        signal.signal(number, lambda *_other: window.end_now())


def run(
    setup: Path | None, demo: bool = False, shots: Path | None = None, device: str = "", login: bool = False
) -> int:
    """The window until it is ended; 2 where the setup cannot be opened, or the sound card `device` is not there.
    `login`: as the desktop starts it, hidden, with the last setup sounding and everyone closed."""
    app, theme, settings = make_app()
    alone = demo or shots is not None  # beside whatever runs
    if not alone and hand_over(setup, place()):
        print("brucke: it runs already, and has been asked to the front", file=sys.stderr)
        return 0
    begin("window")
    in_background("sweep", sweep)
    session = Session(equipment)
    documents = Documents(session, settings)
    try:
        why_not = _first_document(session, documents, setup, demo)
        if device:
            _use_card(session, device)
    except (SetupError, DeviceError) as e:
        print(f"brucke: {e}", file=sys.stderr)
        if QApplication.platformName() not in ("offscreen", "minimal"):
            Question(None, theme, f"{e}.", ((_("Close"), "closed"),), leave="").exec()
        return 2
    if shots is not None:
        from .shots import take_shots

        gc.enable()
        return take_shots(app, theme, session, settings, shots)
    # The engine comes up while the window is still being made.
    running = LiveEngine(session)
    if session.setup.parts and not login:
        running.start(play=demo)
    from ...app.studio import Studio
    from .window import Window

    window = Window(theme, Studio(session, settings, running, documents=documents))
    geometry = settings.value("geometry")
    if geometry is not None and not demo:
        window.restoreGeometry(geometry)
    _at_the_worst(window)
    one = None if alone else SingleInstance(place())
    if one is not None:
        one.asked.connect(window.asked_for)
    at_home = None if alone else _at_home(app, window)
    if at_home is not None and login:
        at_home.home.begin()
        at_home.begin_hidden()
    else:
        window.show()
    if why_not:
        session.noticed.emit(_("The last setup was not opened. {why_not}").format(why_not=why_not), "coral")
    if at_home is not None:
        at_home.home.unopened = why_not
    gc.freeze()
    gc.enable()
    code = int(app.exec())
    if one is not None:
        one.close()
    sip.delete(window)  # while the application is still there: whatever outlives it may crash
    return code
