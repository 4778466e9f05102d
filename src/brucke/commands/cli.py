"""The command line. Standard output carries only a command's own result; errors are one line on stderr.

Exit codes: 0 done, 1 done and something needs attention, 2 could not.
"""

import argparse
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from ..core.document.setup_file import SetupError
from .output import CannotDo


def main(argv: Sequence[str] | None = None) -> int:
    parser = _parser()
    try:
        args = parser.parse_args(argv)
    except SystemExit as e:
        return 0 if e.code in (0, None) else 2
    from ..ports.sounds.files import SoundFileError
    from ..takes.take import TakeError

    try:
        return int(args.run(args))
    except (SetupError, SoundFileError, TakeError, CannotDo) as e:
        print(f"brucke: {e}", file=sys.stderr)
    except KeyboardInterrupt:
        print("brucke: stopped", file=sys.stderr)
    except BrokenPipeError:
        sys.stderr.close()  # whoever read has gone; nothing is left to say to them
    except OSError as e:
        print(f"brucke: {e.filename or 'the system'}: {(e.strerror or str(e)).lower()}", file=sys.stderr)
    except MemoryError:
        print("brucke: this is more than the memory of this computer holds", file=sys.stderr)
    except Exception as e:  # nobody foresaw it: one line here, the whole of it in the log
        print(f"brucke: {_log(e)}", file=sys.stderr)
    return 2


def _log(e: Exception) -> str:
    """Written to the log; the sentence that names it."""
    import traceback

    from platformdirs import user_log_path

    file = user_log_path("brucke") / "brucke.log"
    said = (
        f"something nobody foresaw: {type(e).__name__}: {str(e).splitlines()[0][:160] if str(e) else 'no more is said'}"
    )
    try:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with file.open("a", encoding="utf-8") as f:
            f.write("".join(traceback.format_exception(e)))
    except OSError:
        return said
    return f"{said}; it is written to {file}"


Command = Callable[[str, Callable[[argparse.Namespace], int], str], argparse.ArgumentParser]


def _seconds(text: str) -> float:
    value = float(text)
    if not 1 <= value <= 3600:
        raise argparse.ArgumentTypeError("from 1 to 3600 seconds")
    return value


def _parser() -> argparse.ArgumentParser:
    from . import live, offline, rehearsal, timing, window

    parser = argparse.ArgumentParser(prog="brucke", description="Makes voice, music and picture arrive together.")
    parser.set_defaults(run=window.window, setup=None, shots=None, json=False)
    sub = parser.add_subparsers(metavar="COMMAND")

    def command(name: str, run: Callable[[argparse.Namespace], int], help: str) -> argparse.ArgumentParser:
        p = sub.add_parser(name, help=help)
        p.add_argument("--json", action="store_true", help="print the result as JSON")
        p.set_defaults(run=run)
        return p

    p = command("open", window.window, "the window with a setup (also: brucke SETUP)")
    p.add_argument("setup", type=Path)
    p.set_defaults(shots=None)
    command("login", window.login, "as the desktop starts it: hidden, the last setup sounding, everyone closed")
    p = command("demo", window.demo, "the window with the Nightboat hour")
    p.add_argument("--shots", type=Path, metavar="DIR", help="write one PNG of each main view and end")
    p.add_argument("--device", default="", metavar="NAME", help="a real sound card in place of the simulated interface")
    p = command("devices", window.devices, "sound cards that --device can name")
    p = command("live", live.live, "a setup that sounds, without a window")
    p.add_argument("setup", type=Path)
    p.add_argument("--seconds", type=_seconds, default=None, metavar="N")
    p.add_argument("--open", action="store_true", help="open every call and stream; else they hear silence")
    p = command("arrivals", timing.arrivals, "stages, arrivals, and the delays that would align")
    p.add_argument("setup", type=Path)
    p.add_argument("--listener", metavar="ID")
    p = command("render", offline.render, "run the engine offline; one file per listener and part")
    p.add_argument("setup", type=Path)
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--seconds", type=_seconds, default=None)
    p.add_argument("--input", action="append", default=[], metavar="PART=FILE")
    p = command("rehearse", rehearsal.rehearsal, "measure, align, record and prove on the stand-ins")
    p.add_argument("setup", type=Path)
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--seconds", type=_seconds, default=30.0)
    p.add_argument("--exact", action="store_true", help="performers without human scatter")
    p.add_argument(
        "--plant",
        action="append",
        default=[],
        metavar="PART=MS",
        help="a fault to be found: a stand-in box that delays a part and says nothing",
    )
    p.add_argument("--seed", type=int, default=1)
    p = command("offset", offline.offset, "how much later a recording is than a reference")
    p.add_argument("reference", type=Path)
    p.add_argument("recording", type=Path)
    p = command("prove", rehearsal.prove, "measure what is left between the parts of a take")
    p.add_argument("take", type=Path)
    p.add_argument(
        "--sounds", type=Path, required=True, action="append", help="folder of the on-the-beat sounds; may be repeated"
    )
    _measuring_commands(command)
    _document_commands(command)
    _sound_commands(command)
    _home_commands(command, parser)
    return parser


def _measuring_commands(command: Command) -> None:
    from . import films, measured, timing

    p = command("stages", timing.stages, "what each stage takes, from measured ways that share them")
    p.add_argument("paths", type=Path)
    p = command("drift", measured.drift, "how a recording slides against its reference, and where it jumps")
    p.add_argument("reference", type=Path)
    p.add_argument("recording", type=Path)
    p = command("take-offset", measured.take_offset, "how much later than the music a voice is, phrase by phrase")
    p.add_argument("voice", type=Path, help="alone: a file with the voice left and the music right")
    p.add_argument("music", type=Path, nargs="?")
    p.add_argument("--keep", type=Path, metavar="FILE", help="write both sounds and their phrases, for showing")
    p = command("clean", measured.clean, "what a path does to sound: noise or echo removal, gate, levelling, filter")
    p.add_argument("sent", type=Path)
    p.add_argument("returned", type=Path)
    p.add_argument("--two-sides", action="store_true", help="the coder is known to carry two channels")
    p = command(
        "passage", measured.write_passage, "the sound to send through a path for clean; never where a person listens"
    )
    p.add_argument("out", type=Path)
    p.add_argument("--rate", type=_rate, default=48000, metavar="HZ")
    p = command("picture", films.picture, "sound against picture in any recording with claps, or flashes and beeps")
    p.add_argument("file", type=Path)
    p.add_argument(
        "--keep", type=Path, metavar="FILE", help="write pictures and sound around what was found, for showing"
    )
    p = command("slate", films.slate, "a test film with flashes and beeps exactly together")
    p.add_argument("out", type=Path)
    p.add_argument("--fps", default="25", metavar="N", help="pictures a second: 25, 29.97, 30000/1001")
    p.add_argument("--rate", type=_rate, default=48000, metavar="HZ", help="of its sound")
    p = command("watch-camera", films.watch_camera, "what a camera of this computer sees, in blocks, and when")
    p.add_argument("camera", type=Path)
    p.add_argument("--seconds", type=_seconds, default=10.0, metavar="S")


def _rate(text: str) -> int:
    value = int(text)
    if not 8000 <= value <= 192_000:
        raise argparse.ArgumentTypeError("from 8000 to 192000 Hz")
    return value


def _share(text: str) -> float:
    value = float(text)
    if not 0 <= value <= 1:
        raise argparse.ArgumentTypeError("from 0 to 1")
    return value


def _least_gain(text: str) -> float:
    value = float(text)
    if not -80 <= value <= 0:
        raise argparse.ArgumentTypeError("from -80 to 0 dB")
    return value


def _sound_commands(command: Command) -> None:
    def run(name: str) -> Callable[[argparse.Namespace], int]:
        def late(args: argparse.Namespace) -> int:
            from . import sound

            return int(getattr(sound, name)(args))

        return late

    p = command("loudness", run("loudness"), "how loud a sound is, and its true peak")
    p.add_argument("file", type=Path)
    p = command("denoise", run("denoise"), "take learned noise out of a sound, block by block as live")
    p.add_argument("file", type=Path)
    p.add_argument("--profile", required=True, metavar="FILE_OR_SECONDS", help="a profile, a sound, or seconds of FILE")
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--window", choices=("long", "middle", "short"), default="long", help="longer is cleaner and later")
    p.add_argument("--strength", type=_share, default=1.0)
    p.add_argument("--floor-db", type=_least_gain, default=-50.0)
    p.add_argument("--keep-profile", type=Path, metavar="FILE", help="write the profile for another time")


def _document_commands(command: Command) -> None:
    from ..core.document.templates import TEMPLATES
    from . import documents

    p = command("check", documents.check, "the soundcheck; exit 1 when a check fails")
    p.add_argument("setup", type=Path)
    p.add_argument("--silent", action="store_true", help="check only what is written, without listening")
    p = command("diff", documents.diff, "what is different between two setups; exit 1 when something is")
    p.add_argument("a", type=Path)
    p.add_argument("b", type=Path)
    p = command("card", documents.card, "a few sentences for the person at the other side of a call")
    p.add_argument("setup", type=Path)
    p.add_argument("--listener", metavar="ID")
    p = command("new", documents.new, "a setup from a template")
    p.add_argument("template", choices=[t.code for t in TEMPLATES])
    p.add_argument("setup", type=Path)
    p.add_argument(
        "--here", action="store_true", help="for this computer: its microphone, its headphones, its programs"
    )
    p = command("export", documents.export, "a setup with its sounds as one file")
    p.add_argument("setup", type=Path)
    p.add_argument("bundle", type=Path)
    p = command("import", documents.import_, "unpack an exported setup")
    p.add_argument("bundle", type=Path)
    p.add_argument("--into", type=Path, metavar="DIR")


def _home_commands(command: Command, parser: argparse.ArgumentParser) -> None:
    from . import installing

    p = command("install", installing.put, "into the menu, with file types and completion, for this user")
    p.add_argument(
        "--launcher", type=Path, required=True, metavar="FILE", help="what starts Brucke (./run gives itself)"
    )
    p.set_defaults(parser=parser)
    command("uninstall", installing.take_out, "out of it again, nothing else")


def entry() -> None:
    """brucke FILE is short for brucke open FILE."""
    argv = sys.argv[1:]
    if argv and argv[0].endswith((".json", ".zip")):
        argv = ["open", *argv]
    sys.exit(main(argv))


if __name__ == "__main__":
    entry()
