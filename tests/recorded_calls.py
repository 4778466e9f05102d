"""Twenty calls of the command line with their JSON, as it was recorded: what reads it must go on reading it.

`python -m tests.recorded_calls FOLDER` records anew. Paths are relative, seeds fixed; the sounds are the demo's.
"""

import contextlib
import io
import json
import os
import shutil
import sys
from pathlib import Path

import numpy as np
import soundfile as sf

from brucke.commands.cli import main
from brucke.demo import FOLDER, SETUP

RECORDED = Path(__file__).parent / "recorded"
# Name, arguments; in this order, since some write what others read.
CALLS = (
    ("arrivals", "arrivals hour.brucke.json"),
    ("arrivals of one", "arrivals hour.brucke.json --listener shore_stream"),
    ("check", "check hour.brucke.json --silent"),
    ("check of what sounds", "check hour.brucke.json"),
    ("diff", "diff hour.brucke.json other.brucke.json"),
    ("card", "card hour.brucke.json"),
    ("new", "new sing sing.brucke.json"),
    ("new for this computer", "new session here.brucke.json --here"),
    ("arrivals here", "arrivals here.brucke.json"),
    ("export", "export hour.brucke.json hour.brucke.zip"),
    ("import", "import hour.brucke.zip --into back"),
    ("stages", "stages paths.json"),
    ("offset", "offset voice.wav later.wav"),
    ("offset of nothing", "offset voice.wav noise.wav"),
    ("take-offset", "take-offset later.wav harp.wav"),
    ("clean", "clean harp.wav later_harp.wav"),
    ("passage", "passage passage.wav --rate 16000"),
    ("loudness", "loudness harp.wav"),
    ("denoise", "denoise noisy.wav --profile 3.5 --out quiet.wav"),
    ("render", "render hour.brucke.json --out rendered --seconds 2"),
)


def prepare(folder: Path) -> None:
    """What the calls read."""
    for file in FOLDER.iterdir():
        if file.suffix == ".flac":
            shutil.copy(file, folder)
    text = SETUP.read_text()
    (folder / "hour.brucke.json").write_text(text)
    (folder / "other.brucke.json").write_text(text.replace('"gain_db": -6,', '"gain_db": -9,'))
    rng = np.random.default_rng(3)
    for name in ("voice", "harp"):
        sound, rate = sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)
        mono = sound[: 20 * rate].mean(axis=1)
        sf.write(folder / f"{name}.wav", mono, rate, subtype="FLOAT")
        later = np.concatenate([np.zeros(1234, np.float32), mono])
        sf.write(folder / ("later.wav" if name == "voice" else "later_harp.wav"), later, rate, subtype="FLOAT")
    noise = 0.01 * rng.standard_normal(10 * rate).astype(np.float32)
    sf.write(folder / "noise.wav", noise, rate, subtype="FLOAT")
    noise[4 * rate :] += mono[: 6 * rate]
    sf.write(folder / "noisy.wav", noise, rate, subtype="FLOAT")
    ways = (("cable", ["out", "in"], 12.0), ("loudspeaker", ["out", "air"], 9.0), ("room", ["air", "in"], 8.0))
    paths = {"measured": [{"name": name, "stages": stages, "ms": ms} for name, stages, ms in ways]}
    (folder / "paths.json").write_text(json.dumps(paths))


def call(arguments: str) -> tuple[int, str]:
    out, said = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(said):
        code = main([*arguments.split(), "--json"])
    return code, out.getvalue() or said.getvalue()


if __name__ == "__main__":
    work = Path(sys.argv[1]).resolve()
    work.mkdir(parents=True, exist_ok=True)
    os.chdir(work)
    prepare(work)
    for number, (name, arguments) in enumerate(CALLS):
        code, text = call(arguments)
        (work / f"{number:02d}.json").write_text(text)
        print(code, name, len(text), text[:70].replace("\n", " "))
