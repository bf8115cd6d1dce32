"""`python -m dogana`."""

from dogana.cli.main import app

app()
