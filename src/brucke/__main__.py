from .commands.cli import entry

entry()
