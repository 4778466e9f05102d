"""What tests beside other programs start, and end whatever happens."""

import pytest

from ..desktop_server import setup_here, tone
from .sounding import Sounding


@pytest.fixture
def sounding(desktop, tmp_path):
    """Starts `live` with options; nothing of it outlives the test."""
    started = []

    def start(*options, setup=None):
        started.append(Sounding(desktop, tmp_path, setup or setup_here(), *options))
        return started[-1]

    yield start
    for one in started:
        one.process.kill()
        one.process.wait()


@pytest.fixture
def playing(desktop, tmp_path):
    """Starts the server's own player on a tone; nothing of it outlives the test."""
    started = []

    def start(node, hz, seconds=60):
        started.append(desktop.run("paplay", "-d", node, str(tone(tmp_path / f"{hz:.0f}.wav", hz, seconds))))

    yield start
    for one in started:
        one.kill()
        one.wait()
