"""Where every command begins; those of a pipeline start without loading the rest of Dogana."""

import sys

from dogana_client import commands


def main() -> None:
    """Run the command that was asked for."""
    asked = sys.argv[1] if len(sys.argv) > 1 else ""
    if asked in commands.app.commands:
        commands.main()
    else:
        from dogana.cli.main import app

        app()
