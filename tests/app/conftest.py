"""The Nightboat hour, played by hand."""

import pytest

from .played_hour import Hour


@pytest.fixture
def hour(nightboat, tmp_path, monkeypatch):
    return Hour(nightboat, tmp_path, monkeypatch)
