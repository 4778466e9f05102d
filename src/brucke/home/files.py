"""Every file that an installation puts somewhere, and what is in it. Pure: nothing is written here.

By the desktop's own specifications: Desktop Entry, Shared MIME-info, Icon Theme, AppStream, Base Directory.
"""

from html import escape
from importlib.resources import files as resources
from pathlib import Path

import msgspec

from ..core.storage.bundle import BUNDLE_SUFFIX
from ..core.storage.setup_file import SUFFIX

APP_ID = "org.brucke.Brucke"
SETUP_TYPE, BUNDLE_TYPE = "application/x-brucke-setup+json", "application/x-brucke-bundle+zip"
SUMMARY = "Make voice, music and picture arrive together"


class Homes(msgspec.Struct, frozen=True):
    """The user's own folders."""

    data: Path
    config: Path
    programs: Path


class Told(msgspec.Struct, frozen=True):
    """What the shell may complete: options of a command, whether it takes files."""

    name: str
    options: tuple[str, ...]


def wanted(homes: Homes, launcher: Path, commands: tuple[Told, ...]) -> dict[Path, tuple[str, bool]]:
    """(text, whether it can be run) by file."""
    data = homes.data
    return {
        data / "applications" / f"{APP_ID}.desktop": (entry(homes.programs / "brucke"), False),
        data / "icons/hicolor/scalable/apps" / f"{APP_ID}.svg": (icon(), False),
        data / "mime/packages" / f"{APP_ID}.xml": (types(), False),
        data / "metainfo" / f"{APP_ID}.metainfo.xml": (about(), False),
        data / "bash-completion/completions/brucke": (for_bash(commands), False),
        data / "zsh/site-functions/_brucke": (for_zsh(commands), False),
        homes.config / "fish/completions/brucke.fish": (for_fish(commands), False),
        homes.programs / "brucke": (f"#!/bin/sh\nexec {_in_shell(str(launcher))} \"$@\"\n", True),
    }  # fmt: skip


def _in_shell(text: str) -> str:
    return "'" + text.replace("'", "'\\''") + "'"


def in_exec(text: str) -> str:
    """An argument of a desktop entry's command line, quoted as its specification has it."""
    for character in ("\\", '"', "`", "$"):
        text = text.replace(character, "\\" + character)
    return '"' + text.replace("\\", "\\\\").replace("%", "%%") + '"'


def entry(program: Path) -> str:
    return f"""[Desktop Entry]
Type=Application
Version=1.1
Name=Brucke
GenericName=Live sound
Comment={SUMMARY}
Exec={in_exec(str(program))} %f
Icon={APP_ID}
Terminal=false
Categories=AudioVideo;Audio;Music;
Keywords=latency;delay;microphone;call;stream;
MimeType={SETUP_TYPE};{BUNDLE_TYPE};
StartupNotify=true
StartupWMClass={APP_ID}
"""


def icon() -> str:
    return resources("brucke.home").joinpath("icon.svg").read_text(encoding="utf-8")


def types() -> str:
    kinds = (
        (SETUP_TYPE, "application/json", SUFFIX, "Brucke setup"),
        (BUNDLE_TYPE, "application/zip", BUNDLE_SUFFIX, "Brucke bundle"),
    )
    told = "".join(
        f"""  <mime-type type="{kind}">
    <comment>{escape(name, quote=False)}</comment>
    <sub-class-of type="{of}"/>
    <icon name="{APP_ID}"/>
    <glob pattern="*{suffix}" weight="80"/>
  </mime-type>
"""
        for kind, of, suffix, name in kinds
    )
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
{told}</mime-info>
"""


def about() -> str:
    from importlib import metadata  # takes a while, and is only wanted here

    return f"""<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>{APP_ID}</id>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>GPL-3.0-or-later</project_license>
  <name>Brucke</name>
  <summary>{SUMMARY}</summary>
  <developer_name>The Brucke founders</developer_name>
  <description>
    <p>Brucke carries every sound of a live performance from where it is made to everyone who listens: instruments, a
    processed voice and backing tracks into calls, streams and recordings. It shows when each one arrives, and delays
    what is early.</p>
    <ul>
      <li>Every call and stream gets a microphone of its own, closed until it is opened.</li>
      <li>What each step costs in time is measured, not guessed.</li>
      <li>A recorded take says what was left between the parts, as each listener got it.</li>
    </ul>
  </description>
  <launchable type="desktop-id">{APP_ID}.desktop</launchable>
  <provides>
    <binary>brucke</binary>
    <mediatype>{SETUP_TYPE}</mediatype>
    <mediatype>{BUNDLE_TYPE}</mediatype>
  </provides>
  <content_rating type="oars-1.1"/>
  <releases>
    <release version="{metadata.version("brucke")}" date="2026-11-26"/>
  </releases>
</component>
"""


# What a shell completes


def for_bash(commands: tuple[Told, ...]) -> str:
    cases = "\n".join(f'        {c.name}) words="{" ".join(c.options)}" ;;' for c in commands)
    return f"""# Completion of brucke for bash.
_brucke() {{
    local now=${{COMP_WORDS[COMP_CWORD]}} words
    if [ "$COMP_CWORD" -eq 1 ]; then
        mapfile -t COMPREPLY < <(compgen -W "{" ".join(c.name for c in commands)}" -- "$now"; compgen -f -- "$now")
        return
    fi
    case ${{COMP_WORDS[1]}} in
{cases}
    esac
    if [[ $now == -* ]]; then
        mapfile -t COMPREPLY < <(compgen -W "$words" -- "$now")
    else
        mapfile -t COMPREPLY < <(compgen -f -- "$now")
    fi
}}
complete -o filenames -F _brucke brucke
"""


def for_zsh(commands: tuple[Told, ...]) -> str:
    cases = "\n".join(f"        {c.name}) compadd -- {' '.join(c.options)}; _files ;;" for c in commands)
    return f"""#compdef brucke
# Completion of brucke for zsh.
if (( CURRENT == 2 )); then
    compadd -- {" ".join(c.name for c in commands)}
    _files
else
    case $words[2] in
{cases}
        *) _files ;;
    esac
fi
"""


def for_fish(commands: tuple[Told, ...]) -> str:
    lines = ["# Completion of brucke for fish."]
    for c in commands:
        lines.append(f"complete -c brucke -n __fish_use_subcommand -a {c.name}")
        lines += [
            f"complete -c brucke -n '__fish_seen_subcommand_from {c.name}' -l {o.removeprefix('--')}"
            for o in c.options if o.startswith("--")
        ]  # fmt: skip
    return "\n".join(lines) + "\n"
