"""Where every command begins: only what it needs is loaded, for a pipeline nothing of Dogana."""

import sys

from dogana_client import commands


def main() -> None:
    """Run the command that was asked for."""
    asked = sys.argv[1] if len(sys.argv) > 1 else ""
    if asked in commands.app.commands:
        commands.main()
    else:
        from dogana.cli.main import COMMANDS, app_of

        app_of([asked] if asked in COMMANDS else COMMANDS)()
