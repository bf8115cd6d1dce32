"""Settings, read from the environment (`DOGANA_*`); one table of them stands in docs/running.md."""

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """What an installation may set."""

    model_config = SettingsConfigDict(env_prefix="DOGANA_", extra="ignore")

    database_url: str = Field(
        default="", description="PostgreSQL for the application's role, `postgresql+psycopg://...`."
    )
    owner_database_url: str = Field(
        default="", description="The same database for the owner's role; only `migrate` uses it."
    )
    host: str = Field(default="127.0.0.1", description="Address the web process listens on.")
    port: int = Field(default=8620, ge=1, le=65535, description="Port the web process listens on.")
    signing_key: Path = Field(
        default=Path("dogana-signing.pem"),
        description="Ed25519 private key (PEM) that signs checkpoints; made by `dogana key new`.",
    )
    ledger_name: str = Field(
        default="dogana", pattern=r"^\S+$", description="Name of the ledger in its checkpoints."
    )
    repository_root: Path = Field(
        default=Path("repositories"), description="Folder below which services' git repositories lie."
    )
    tracker_url: str = Field(
        default="", description="Ticket tracker; `GET {url}/tickets/{key}` answers JSON or 404."
    )
    metrics_url: str = Field(
        default="", description="Metrics server with the Prometheus HTTP API; empty for none."
    )
    source_timeout: float = Field(
        default=3.0, gt=0, le=60, description="Seconds an outside system may take to answer."
    )
    refresh: float = Field(
        default=60.0, gt=0, description="Seconds after which the facts of what waits are read again."
    )
    secure_cookies: bool = Field(
        default=False, description="Send session cookies over HTTPS only; set it behind TLS."
    )
    web_dir: Path = Field(default=Path("web/build"), description="The built front end.")
