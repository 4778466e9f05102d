"""What just happened is kept from memory: whole, in its place, and never where it was not to be."""

import time
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace

from brucke.app.recording import just_happened
from brucke.app.recording.take_folders import own_folder
from brucke.demo import SETUP
from brucke.takes.sounds import take_sound

from .live_studio import sounding, until

pytestmark = pytest.mark.live


def without_far_ends(setup):
    far = {p.id for p in setup.parts if p.kind == "far_end"}
    return replace(setup, routes=tuple(replace(r, on=r.on and r.part not in far) for r in setup.routes))


@pytest.fixture
def studio(app, data_home, tmp_path):
    with sounding(SETUP, tmp_path) as s:
        yield s


def test_what_just_happened_becomes_a_recording_like_any_other(studio):
    s, just = studio, studio.just_happened
    just.keep()
    assert "is off" in s.said[-1]
    just.choose(True)
    assert (just.state, just.why) == ("waits", "far_end"), "the demo's call is heard in the headphones"
    s.session.edit("Routes", without_far_ends(s.session.setup), "share")
    until(lambda: just.state == "remembers" and just.seconds > 4)
    just.keep()
    until(lambda: just.state != "keeping")
    assert just.state == "remembers", s.said
    folder, take = s.taking.takes[-1]
    assert set(take.parts) == {p.id for p in s.session.setup.parts if p.channels and p.kind != "far_end"}
    assert not take.missing
    harp, rate = take_sound(folder, take.parts["harp"])
    kept, _rate = take_sound(folder, take.listeners["recorder"])
    assert harp.shape[1] == kept.shape[1] >= 4 * rate
    assert np.abs(harp).max() > 0.05
    np.testing.assert_allclose(kept[:2], harp, atol=1e-7, err_msg="no delay and no gain on the way to the recorder")
    assert just.seconds < 4, "it begins anew behind what was kept"


def test_it_stays_within_its_bound_forgets_when_a_far_end_is_routed_and_fails_without_loss(studio, monkeypatch):
    s, just = studio, studio.just_happened
    with_far = s.session.setup
    monkeypatch.setattr(just_happened, "SPAN_S", 2)
    s.session.edit("Routes", without_far_ends(with_far), "share")
    just.choose(True)
    until(lambda: just.state == "remembers")
    until(lambda: just.seconds >= 2.0)
    time.sleep(1.0)
    assert just.seconds == 2.0
    monkeypatch.setattr(just_happened, "own_folder", lambda *_a: (_ for _ in ()).throw(OSError(28, "No space left")))
    just.keep()
    until(lambda: just.state != "keeping")
    assert s.said[-1] == "Not kept: no space left. It is remembered still."
    monkeypatch.setattr(just_happened, "own_folder", own_folder)
    just.keep()
    until(lambda: just.state != "keeping")
    folder, take = s.taking.takes[-1]
    assert sf.info(folder / take.parts["harp"]).frames == 2 * s.session.setup.rate_hz
    until(lambda: just.seconds >= 1.0)
    monkeypatch.setattr(just_happened, "keep", lambda *_a: (_ for _ in ()).throw(OSError(28, "No space left")))
    just.keep()
    until(lambda: just.state != "keeping")
    assert "What was written is in" in s.said[-1]
    left = Path(s.said[-1].rpartition(" is in ")[2].rstrip("."))
    assert sf.info(left / "parts/harp.wav").frames > 0, "what nobody remembers any more is not taken away"
    child = just._child.process.pid
    s.session.edit("Routes", with_far, "share")
    assert (just.state, just.seconds) == ("waits", 0.0), "at once, and nothing of before is left"
    until(lambda: not Path(f"/proc/{child}").exists(), 5)
