"""Commands on a shot, one file each."""

from tropein.core.commands.registry import Change, Command, command, commands, do, planned

__all__ = ["Change", "Command", "command", "commands", "do", "planned"]
