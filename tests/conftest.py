"""Shared things: the Nightboat hour, its sounds, a quiet settings file, and a window that runs on the stand-ins."""

import contextlib
import os
import shutil
import signal
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_RUNTIME_DIR"] = tempfile.mkdtemp(prefix="quay-run-")  # a Brucke that runs elsewhere is none of ours

from brucke.core.document.setup import Setup
from brucke.demo import FOLDER
from brucke.demo.make_setup import nightboat as make_nightboat
from brucke.engine.processes.forked import FORKS
from brucke.ports.devices.server_choice import spoken
from brucke.ports.sounds.beat_sounds import beat_sounds
from brucke.ports.sounds.files import mono

from .desktop_server import DesktopServer
from .foot_switch import foot_switch
from .sound_server import SoundServer
from .stolen import pytest_runtest_protocol
from .taken import choose, pytest_addoption, pytest_runtest_logreport, pytest_sessionfinish

# pytest finds them here
__all__ = [
    "foot_switch", "pytest_addoption", "pytest_runtest_logreport", "pytest_runtest_protocol", "pytest_sessionfinish",
]  # fmt: skip

settings.register_profile("untimed", deadline=None)  # a machine that is taken away for a while is no counterexample
settings.load_profile("untimed")

# `live` has the cores to itself, one after the other; all others share them. Files say which they are; whatever uses
# one of these is live.
LIVE_FIXTURES = {"live", "hot", "sound_server", "desktop"}


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    for item in items:
        if set(getattr(item, "fixturenames", ())) & LIVE_FIXTURES:
            item.add_marker(pytest.mark.live)
    choose(config, items)


@pytest.fixture(autouse=True)
def nothing_goes_on() -> Iterator[None]:
    """What a test that failed has left running would take the next ones' time away, so it ends with it."""
    yield
    for thread in Path("/proc/self/task").iterdir():
        with contextlib.suppress(OSError):
            for child in (thread / "children").read_text().split():
                forked_from = FORKS.forker_pid  # it stays, its children end
                if int(child) != forked_from and b"brucke." in Path(f"/proc/{child}/cmdline").read_bytes():
                    os.kill(int(child), signal.SIGKILL)


@pytest.fixture
def nightboat() -> Setup:
    return make_nightboat()


@pytest.fixture(scope="session")
def sounds() -> dict[str, np.ndarray]:
    """Every demo part exactly on the beat, [channels, frames]."""
    return beat_sounds(make_nightboat(), [FOLDER])


@pytest.fixture(scope="session")
def sources(sounds) -> dict[str, np.ndarray]:
    return {id: mono(s) for id, s in sounds.items()}


@pytest.fixture
def rng() -> np.random.Generator:
    return np.random.default_rng(20)


def delayed(sound: np.ndarray, frames: float, length: int) -> np.ndarray:
    """The sound later by a fraction of a frame, by phase in the spectrum: independent of our own interpolators."""
    size = 1 << (len(sound) + length).bit_length()
    spectrum = np.fft.rfft(sound.astype(np.float64), size)
    turned = spectrum * np.exp(-2j * np.pi * np.arange(len(spectrum)) * frames / size)
    return np.fft.irfft(turned, size)[:length].astype(np.float32)


def with_noise(sound: np.ndarray, snr_db: float, rng: np.random.Generator, reference: np.ndarray) -> np.ndarray:
    level = np.sqrt(np.mean(reference.astype(np.float64) ** 2)) * 10 ** (-snr_db / 20)
    return (sound + level * rng.standard_normal(len(sound))).astype(np.float32)


@pytest.fixture
def data_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Takes and settings of this test only."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("XDG_MUSIC_DIR", str(tmp_path / "music"))
    monkeypatch.setattr("brucke.app.recording.take_folders.of_the_demo", lambda: tmp_path / "demo")
    return tmp_path


@pytest.fixture(scope="session")
def app():
    """The application with its typeface."""
    from brucke.ui.shell.app import make_app

    return make_app()[0]


@pytest.fixture
def desktop(monkeypatch: pytest.MonkeyPatch):
    """A desktop of our own with its sound server, seen by this process and every one it starts."""
    if shutil.which("wireplumber") is None:
        pytest.skip("no such desktop on this computer")
    with tempfile.TemporaryDirectory(prefix="quay-") as folder:
        server = DesktopServer(Path(folder))
        server.start()
        for key, value in server.env.items():
            monkeypatch.setenv(key, value)
        spoken(anew=True)
        yield server
        server.stop()
        spoken(anew=True)


@pytest.fixture
def sound_server(monkeypatch: pytest.MonkeyPatch):
    """Running, and seen by this process and every one it starts. Its folder's path is short: sockets need that."""
    with tempfile.TemporaryDirectory(prefix="quay-") as folder:
        server = SoundServer(Path(folder))
        for name, value in server.env.items():
            monkeypatch.setenv(name, value)
        server.start()
        spoken(anew=True)
        yield server
        server.stop()
        spoken(anew=True)
