"""What tests of two computers share: little setups, agreeing, taking, where sound lies by the engines' own counts."""

import time

import numpy as np
from scipy.signal import correlate

from brucke.core.document.setup import Device, Listener, Part, Route, Setup, Track
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.demo import FOLDER

RATE = 48000


def small_setup(folder, song="harp.flac", rate=RATE):
    """A song and a recorder, and headphones: little to compute, so that two of them run here beside each other."""
    (folder / song).write_bytes((FOLDER / song).read_bytes())
    setup = Setup(
        name="Small", rate_hz=rate, devices=(
            Device(id="table", name="Table", kind="interface", buffer_frames=128, buffers=2, sets_clock=True,
                   rate_hz=rate),
            Device(id="player", name="Player", kind="player", buffer_frames=1024, rate_hz=rate),
            Device(id="tape", name="Tape", kind="recorder", rate_hz=rate),
        ),
        parts=(Part(id="song", name="Song", kind="lead", source="track", device="player", channels=(0, 1),
                    tracks=(Track(file=song),)),),
        listeners=(Listener(id="phones", name="Headphones", kind="monitor", device="table"),
                   Listener(id="tape", name="Tape", kind="recorder", device="tape")),
        routes=(Route(part="song", listener="phones"),),
    )  # fmt: skip
    save(folder / f"{song}-{rate}.json", setup, Knowledge())
    return folder / f"{song}-{rate}.json"


def agree(a, b):
    """`a` asks, `b` shows the digits; both are open to each other afterwards."""
    for side in (a, b):
        side.do("open")
    a.until(lambda s: any(n[1] == b.name for n in s["neighbours"]))
    a.do("agree", name=b.name)
    digits = b.until(lambda s: s["talking"][1])["talking"][1]
    a.until(lambda s: s["talking"][2])
    a.do("code", digits=digits)
    for side in (a, b):
        side.until(answers)


def begin(*sides):
    """Their engines run."""
    for side in sides:
        side.do("start")
    for side in sides:
        side.until(lambda s: s["engine"] == "running", 60)


def hear_each_other(a, b):
    """Each takes the other's song, and lets the other hear its own."""
    take(a, b, "part:song")
    take(b, a, "part:song")
    for side in (a, b):
        side.do("air", on=True)
        side.until(lambda s: flows(s) and s["matched"], 60)


def answers(state):
    return bool(state["peers"]) and all(p["there"] for p in state["peers"].values())


def flows(state):
    return bool(state["peers"]) and any(p["flows"] for p in state["peers"].values())


def take(a, b, key):
    """`b` offers it, `a` takes it, and it goes there: whoever comes while others hear stays closed."""
    b.do("offer", key=key)
    a.until(lambda s: any(key in dict(p["offer"]) for p in s["peers"].values()))
    a.do("take", key=key)
    where = "listeners" if key.startswith("part:") else "parts"
    b.until(lambda s: key in [k for _id, k in s[where]])


def keep(side, name, seconds, tmp, listener=False):
    """`sound` [frames] of a part or of a listener's sum, the frame `first` it begins with, and `pairs` [n, 2]: how many
    frames the engine had done at which second."""
    file = tmp / f"{side.name}.npz"
    side.do("keep", parts=[] if listener else [name], listeners=[name] if listener else [], seconds=seconds,
            file=str(file))  # fmt: skip
    kept = np.load(file)
    return kept["sound"][0].astype(float), int(kept["first"]), kept["pairs"]


def sound(side, name, seconds, tmp, listener=False, rate=RATE):
    """(sound, second of the shared clock at which its first frame was done) of a part, or of a listener's sum."""
    heard, began, pairs = keep(side, name, seconds, tmp, listener)
    # Frames done at second 0 of the clock, on average within a block; blocks that came late say nothing of it.
    pairs = pairs[pairs[:, 1] > pairs[-1, 1] - seconds]
    if len(pairs) < 8:
        return heard, np.nan
    first, last = (np.percentile(half[:, 0] - half[:, 1] * rate, 97) for half in np.array_split(pairs, 2))
    if abs(last - first) > 0.002 * rate:  # the engine stood still meanwhile: nobody can say when its frames were
        return heard, np.nan
    return heard, (began - last + 0.47 * 128) / rate


def later(x, y, about=None, within=120):
    """(frames, with fractions, by which x is later than y; how much of x that is): SciPy's correlation. Where it is
    known `about` how many, only what is so near: a tone is like itself at every period."""
    if not (x.any() and y.any()):
        return 0.0, 0.0
    c = correlate(x, y, method="fft")
    low = 1 if about is None else max(1, len(y) - 1 + round(about) - within)
    at = low + int(np.argmax(np.abs(c[low:-1] if about is None else c[low : low + 2 * within])))
    left, top, right = np.abs(c[at - 1 : at + 2])
    return at - (len(y) - 1) + (left - right) / (2 * (left - 2 * top + right)), top / np.sqrt((x @ x) * (y @ y))


def placed_s(there, here, from_part, to_part, device, tmp):
    """Seconds from what the sender's engine had to the same sound in the receiver's, and the state of the receiver
    meanwhile: looked at again where the set point has grown just then."""
    for _ in range(6):
        before = here.state()["matched"][device][0]
        time.sleep(4)  # nothing of before the set point that holds now is in what was heard
        x, at_x = sound(here, to_part, 4, tmp)
        y, at_y = sound(there, from_part, 4, tmp)
        state = here.state()
        frames, share = later(x, y)
        if state["matched"][device][0] == before and share > 0.5 and np.isfinite(at_x + at_y):
            break
    assert share > 0.5, share
    return at_x - at_y + frames / RATE, state
