"""The passage through a browser's call, as it is and with each thing that the browser can do to sound: a plain engine
is somebody's call program, and what it does is its own."""

import numpy as np
import pytest
import soundfile as sf

from brucke.core.measure.clean_path import look_at_path
from brucke.core.measure.path_test_signal import passage

from ..desktop_server import RATE
from ..ui.conftest import pause
from .browser import Browser, engine

pytestmark = pytest.mark.skipif(engine() is None, reason="no browser engine is installed; ./run test call installs one")


@pytest.mark.parametrize(
    ("does", "named"), [("", ()), ("echo", ("echo_removal",)), ("noise", ("noise_removal",)), ("level", ("levelling",))]
)
def test_what_a_browser_does_to_sound_is_named(app, desktop, tmp_path, does, named):
    sent = passage(RATE)
    sf.write(tmp_path / "passage.wav", sent.T, RATE, subtype="FLOAT")
    browser = Browser(desktop, tmp_path, "room", "box", does)
    try:
        browser.joined()
        pause(2)
        with open(tmp_path / "back.raw", "wb") as out:
            recorder = desktop.run(
                "parec", "-d", "box.monitor", "--format=float32le", "--channels=2", f"--rate={RATE}", stdout=out
            )
            player = desktop.run("paplay", "-d", "air", str(tmp_path / "passage.wav"))
            player.wait(120)
            pause(2)
            recorder.terminate()
            recorder.wait(5)
    finally:
        browser.end()
    back = np.ascontiguousarray(np.fromfile(tmp_path / "back.raw", np.float32).reshape(-1, 2).T)
    report = look_at_path(sent, back, RATE, two_sides=True)
    certain = tuple(f.what for f in report.found if f.certain)
    print(
        f"{does or 'nothing'}: {report.verdict} {report.reason} "
        f"{[(f.what, round(f.how_much, 2), f.certain) for f in report.found]} after {report.delay_s * 1e3:.0f} ms"
    )
    # A busy machine lets the call's delay wander by a second or loses half of it: then nothing may be known, and that
    # is said.
    assert set(certain) <= {*named, "echo_removal"} if named else certain == ()
    assert report.reason or report.verdict == ("changed" if named else "clean")
    assert report.reason or set(named) <= set(certain)
