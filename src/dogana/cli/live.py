"""Which instance commands are about that read its database themselves."""

from pathlib import Path

from dogana.core.errors import InvalidError
from dogana.demo.running import Running
from dogana.settings import Settings


def live_settings() -> Settings:
    """The settings given, or else those of the demo that runs here.

    Raises:
        InvalidError: where there is neither.
    """
    settings = Settings()
    running = None if settings.database_url else Running.load(Path(".dogana/demo/running.json"))
    if running is not None:
        given = {"database_url": running.database_url, "signing_key": Path(running.key_file)}
        settings = settings.model_copy(update=given)
    if not settings.database_url:
        raise InvalidError("Set DOGANA_DATABASE_URL, or start the demo.")
    return settings
