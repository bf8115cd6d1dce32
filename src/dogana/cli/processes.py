"""`dogana serve`, `work`, `migrate` and `check`: the processes of an installation, and what they need."""

import os
import signal
from functools import partial

import typer

from dogana.cli.starting import (
    MISCONFIGURED,
    UNAVAILABLE,
    must_be_addresses,
    open_log,
    run,
    settings_given,
    until_told,
)
from dogana.settings import Settings
from dogana_client.refusal import refuse

_GIVES_WAY = 10
"""People and pipelines that ask come before what is done for them in the background."""


def serve() -> None:
    """Run one web process; settings come from DOGANA_* variables. Exits 78 where they cannot be."""

    async def main(settings: Settings) -> None:
        if not (settings.web_dir / "index.html").exists():
            refuse(
                f"No front end is in {settings.web_dir}: install the wheel, or run ./dogana serve.",
                MISCONFIGURED,
            )
        # Each part is loaded once what comes before it is known to be right: all of it takes seconds, which
        # whoever set something wrongly need not wait for.
        from dogana.wiring import backend_for, keep_what_is_loaded

        async with backend_for(settings) as backend:
            from dogana.service.house import processes, readiness

            await readiness.must_be_set_up(backend)
            import uvicorn

            from dogana.web.app import make_app

            config = uvicorn.Config(
                make_app(settings, backend),
                host=settings.host,
                port=settings.port,
                log_config=None,
                access_log=False,
                timeout_graceful_shutdown=2,
            )
            keep_what_is_loaded()
            for told in (signal.SIGTERM, signal.SIGINT):
                # The server ends by itself, and then raises them once more: it would end us unheard.
                signal.signal(told, lambda *_: None)
            beat = processes.Beat(backend, "web", at=f"http://{settings.host}:{settings.port}")
            await processes.while_telling(beat, uvicorn.Server(config).serve)

    open_log()
    run(main)


def work() -> None:
    """Run one worker process: inspects what is due, gives ledger entries their places.

    Exits 78 where it cannot work as it is set up.
    """

    async def main(settings: Settings) -> None:
        from dogana.wiring import backend_of_worker, keep_what_is_loaded, read_key

        key = read_key(settings.signing_key)
        async with backend_of_worker(settings) as backend:
            from dogana.service.house import processes, readiness

            await readiness.must_be_set_up(backend)
            await readiness.must_sign_on(backend, key, settings.ledger_name)
            from dogana.jobs.worker import Worker

            keep_what_is_loaded()
            worker = Worker(backend, key, settings.ledger_name)
            await processes.while_telling(processes.Beat(backend, "worker"), partial(until_told, worker.run))

    os.nice(_GIVES_WAY)
    open_log()
    run(main)


def migrate() -> None:
    """Bring the database to the present schema; needs DOGANA_OWNER_DATABASE_URL."""
    settings = settings_given()
    must_be_addresses(settings)
    from dogana.store.migrate import migrate as bring
    from dogana.store.migrate import revisions

    if not settings.owner_database_url:
        refuse("Set DOGANA_OWNER_DATABASE_URL to the owner's role.", MISCONFIGURED)
    bring(settings.owner_database_url, settings.database_url)
    typer.echo(f"The schema is up to date: {revisions()[0]}.")


def check() -> None:
    """Say whether everything is there that the processes need, line by line.

    Exits 0, 78 where something is missing or wrong, 69 where the database does not answer.
    """

    async def main(settings: Settings) -> None:
        from dogana.service.house import readiness
        from dogana.wiring import backend_for, read_key

        key = read_key(settings.signing_key)
        async with backend_for(settings) as backend:
            found = await readiness.readiness(backend)
            for one in found.checks:
                typer.echo(f"{'well' if one.ok else 'NOT '}  {one.says}")
            failed = {one.name for one in found.checks if not one.ok}
            if "database" in failed:
                raise typer.Exit(UNAVAILABLE)
            if "schema" not in failed:
                await readiness.must_sign_on(backend, key, settings.ledger_name)
                typer.echo("well  The signing key is the one of this ledger.")
        # Before the first start no worker runs, which is no fault of the settings.
        if failed - {"worker", "ledger"}:
            raise typer.Exit(MISCONFIGURED)

    run(main)
