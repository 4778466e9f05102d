"""An hour's recording handed on in the four ways, how fast, and what is left where something happens in the middle.
BRUCKE_FOLDER=… python -m bench handed_hour

A full disk is a file system in a file, a stalled one is the same, frozen; both need root."""

import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from .recorded_hour import FOLDER, HOUR_S, RATE, _freeze, _image

CHUNK = RATE * 10


def _take(folder: Path) -> None:
    """Four parts, a stream and a film of an hour."""
    import soundfile as sf

    from brucke.demo.make_setup import nightboat
    from brucke.takes.take import FilmPiece, PlacedFilm, Take, save_take

    setup = nightboat()
    rng = np.random.default_rng(1)
    noise = (0.1 * rng.standard_normal((CHUNK, 2))).astype(np.float32)
    names = [*(f"parts/{p.id}.wav" for p in setup.parts if p.channels), "listeners/shore_stream.wav"]
    for name in names:
        wide = 2 if name.startswith("listeners") else 1
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        with sf.SoundFile(folder / name, "w", RATE, wide, "FLOAT", format="RF64") as f:
            for _ in range(round(HOUR_S / 10)):
                f.write(noise[:, :wide])
    _film(folder / "film" / "film.mp4")
    piece = FilmPiece(begin_s=0.0, end_s=HOUR_S, at_s=0.0, plus_minus_s=0.001)
    save_take(
        folder,
        Take(
            date="2026-11-30T20:00:00+00:00", setup=setup, parts={Path(n).stem: n for n in names[:-1]},
            listeners={"shore_stream": names[-1]}, film=PlacedFilm(file="film/film.mp4", pieces=(piece,)),
        ),
    )  # fmt: skip


def _film(path: Path) -> None:
    """An hour of 25 pictures a second: one minute, again and again."""
    import av

    path.parent.mkdir(parents=True)
    minute = path.with_name("minute.mp4")
    with av.open(str(minute), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"preset": "ultrafast", "crf": "30"})
        stream.width, stream.height, stream.pix_fmt = 640, 360, "yuv420p"
        rng = np.random.default_rng(2)
        for _ in range(60 * 25):
            picture = np.repeat(np.repeat(rng.integers(0, 255, (18, 32, 3), np.uint8), 20, axis=0), 20, axis=1)
            out.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        out.mux(stream.encode(None))
    with av.open(str(path), "w") as out:
        target = None
        for k in range(round(HOUR_S / 60)):
            with av.open(str(minute)) as source:
                pictures = source.streams.video[0]
                target = target or out.add_stream_from_template(pictures)
                for packet in source.demux(pictures):
                    if packet.dts is None:
                        continue
                    packet.pts += round(60 * k / packet.time_base)
                    packet.dts += round(60 * k / packet.time_base)
                    packet.stream = target
                    out.mux(packet)
    minute.unlink()


def _overview(take: Path) -> None:
    """How long until all of it can be drawn, the first time and from then on."""
    from brucke.takes.overview import overview
    from brucke.takes.take import load_take

    for when in ("made", "read again"):
        began = time.monotonic()
        outlines = overview(take, load_take(take))
        seconds = time.monotonic() - began
        print(f"overview of {len(outlines)} parts {when} in {seconds:.2f} s, {HOUR_S / seconds:.0f} times as fast")


def _hand_on(take: Path, out: Path, use: str) -> "subprocess.Popen[str]":
    argv = [sys.executable, "-m", "brucke", "hand-on", str(take), "--out", str(out), "--as", use, "--json"]
    return subprocess.Popen(argv, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


def _left(out: Path) -> str:
    """What stands there: files, those that are not as long as they should be, and hidden ones."""
    import soundfile as sf

    names = [p.name for p in out.iterdir()] if out.exists() else []
    sounds = [n for n in names if n.endswith((".wav", ".flac"))]
    short = [n for n in sounds if sf.info(out / n).frames != round(HOUR_S) * RATE]
    hidden = [n for n in names if n.startswith(".")]
    return f"{len(names):3} files, {len(short)} not whole, {len(hidden)} hidden"


def _mishap(take: Path, out: Path, name: str, happens: Callable[["subprocess.Popen[str]"], None]) -> None:
    out.mkdir(parents=True, exist_ok=True)
    working = _hand_on(take, out, "editor")
    began = time.monotonic()
    while not any(p.suffix == ".wav" for p in out.iterdir()) and working.poll() is None:
        time.sleep(0.01)
    time.sleep(0.5 * (time.monotonic() - began))  # in the middle of the second
    happens(working)
    _out, said = working.communicate()
    lines = [x for x in said.splitlines() if not x.startswith("progress")]
    words = lines[-1] if lines else "done" if working.returncode == 0 else "ended"
    print(f"{name:28}{_left(out)}   {words[:110]}", flush=True)
    shutil.rmtree(out, ignore_errors=True)


def run() -> None:
    shutil.rmtree(FOLDER, ignore_errors=True)
    take = FOLDER / "take"
    take.mkdir(parents=True)
    _take(take)
    _overview(take)
    size = sum(p.stat().st_size for p in (take / "film").iterdir()) / 1e6
    began = time.monotonic()
    shutil.copyfile(take / "film" / "film.mp4", FOLDER / "copy")
    print(f"its film is {size:.0f} MB, copied by itself in {time.monotonic() - began:.1f} s")
    for use in ("editor", "film", "song", "everything"):
        out = FOLDER / use
        began = time.monotonic()
        working = _hand_on(take, out, use)
        working.communicate()
        took = time.monotonic() - began
        print(f"{use:12} {took:7.1f} s, {HOUR_S / took:5.1f} times as fast", flush=True)
        shutil.rmtree(out, ignore_errors=True)
    _mishap(take, FOLDER / "killed", "killed", lambda p: p.send_signal(signal.SIGKILL))
    _mishap(take, FOLDER / "gone", "folder moved away", lambda _p: (FOLDER / "gone").rename(FOLDER / "moved"))
    print(f"{'':28}{_left(FOLDER / 'moved')}   (where it was moved to)")
    _mishap(take, FOLDER / "deleted", "folder deleted", lambda _p: shutil.rmtree(FOLDER / "deleted"))
    mount = _image(FOLDER, 900)
    try:
        _mishap(take, mount / "full", "disk full", lambda _p: None)
    finally:
        subprocess.run(["umount", str(mount)], check=False)
        mount.rmdir()
    mount = _image(FOLDER, 4000)
    try:
        _mishap(take, mount / "slow", "disk stalls for 3 s", lambda _p: _freeze(mount, 3.0))
    finally:
        subprocess.run(["umount", str(mount)], check=False)
        shutil.rmtree(FOLDER, ignore_errors=True)
    os.sync()
