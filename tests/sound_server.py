"""A desktop sound server of our own: a private runtime folder and a null device that paces in real time."""

import os
import subprocess
import time
from pathlib import Path

CARD = "pulse"  # what PortAudio calls the way to the sound server
SECOND = "far"  # and another card, with streams of its own
ASOUNDRC = """pcm.far {
  type asym
  playback.pcm { type pulse device "quay" }
  capture.pcm { type pulse device "quay.monitor" }
}"""


class SoundServer:
    def __init__(self, folder: Path):
        self.folder = folder
        self.env = {
            "XDG_RUNTIME_DIR": str(folder), "PULSE_RUNTIME_PATH": str(folder / "pulse"),
            "PULSE_STATE_PATH": str(folder),
            "PULSE_CONFIG_PATH": str(folder), "PULSE_SERVER": f"unix:{folder}/pulse/native", "PULSE_SOURCE":
            "quay.monitor",
            "PULSE_SINK": "quay", "HOME": str(folder),
        }  # fmt: skip
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        (self.folder / "pulse").mkdir(parents=True, exist_ok=True)
        self.folder.chmod(0o700)
        (self.folder / ".asoundrc").write_text(ASOUNDRC)
        self.process = subprocess.Popen(
            [
                "pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--disallow-exit", "--log-target=null",
                "-L", "module-null-sink sink_name=quay rate=48000", "-L", "module-native-protocol-unix", "-F",
                os.devnull,
            ],
            env={**os.environ, **self.env}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        until = time.monotonic() + 20
        while not (self.folder / "pulse" / "native").exists():
            assert self.process.poll() is None, "the sound server did not start"
            assert time.monotonic() < until
            time.sleep(0.05)

    def stop(self) -> None:
        if self.process is not None:
            self.process.kill()
            self.process.wait()
            (self.folder / "pulse" / "native").unlink(missing_ok=True)
            (self.folder / "pulse" / "pid").unlink(missing_ok=True)
            self.process = None
