"""Started with the desktop, on request: an entry of its own, by the Desktop Application Autostart Specification."""

from pathlib import Path

from ..core.errors import BruckeError
from .files import APP_ID, SUMMARY, Homes, in_exec
from .writing import put_file

COMMAND = "login"


class AutostartError(BruckeError, ValueError):
    """Why it could not be switched, in one sentence that names the file."""

    code = "autostart"


def autostart_file(where: Homes) -> Path:
    return where.config / "autostart" / f"{APP_ID}.desktop"


def is_on(where: Homes) -> bool:
    """Whether there is one, and the desktop has not switched it off itself."""
    try:
        lines = autostart_file(where).read_text(encoding="utf-8", errors="replace").splitlines()
    except OSError:
        return False
    off = {"hidden=true", "x-gnome-autostart-enabled=false"}
    return not off & {line.replace(" ", "").lower() for line in lines}


def starter(where: Homes) -> Path:
    """What starts Brucke: the command that was installed, else where this one is kept."""
    installed = where.programs / "brucke"
    return installed if installed.exists() else Path(__file__).resolve().parents[3] / "run"


def switch(where: Homes, on: bool, program: Path) -> None:
    """`program` is what starts Brucke. Errors: AutostartError, and it stays as it was."""
    file = autostart_file(where)
    try:
        if on:
            put_file(file, entry(program))
        else:
            file.unlink(missing_ok=True)
    except OSError as e:
        raise AutostartError(f"{file}: cannot be written ({(e.strerror or str(e)).lower()})") from None


def entry(program: Path) -> str:
    return f"""[Desktop Entry]
Type=Application
Version=1.1
Name=Brucke
Comment={SUMMARY}
Exec={in_exec(str(program))} {COMMAND}
TryExec={_value(str(program))}
Icon={APP_ID}
Terminal=false
StartupNotify=false
X-GNOME-Autostart-enabled=true
"""


def _value(text: str) -> str:
    """A string of a desktop entry."""
    return text.replace("\\", "\\\\")
