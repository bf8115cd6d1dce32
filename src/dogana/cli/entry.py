"""Where every command begins; those of a pipeline start without loading the rest of Dogana."""

import sys


def main() -> None:
    """Run the command that was asked for."""
    from dogana.cli import pipeline

    asked = sys.argv[1] if len(sys.argv) > 1 else ""
    if asked in {command.name for command in pipeline.app.registered_commands}:
        pipeline.app()
    else:
        from dogana.cli.main import app

        app()
