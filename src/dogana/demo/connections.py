"""Connects the scenario with its outside: where facts are read, who is told, which tokens open what."""

from dogana.core.drift import FromAddress
from dogana.core.errors import SignedOutError
from dogana.demo import capacity
from dogana.demo.cast import ACTORS
from dogana.demo.journeys import SEALED_PROJECT
from dogana.demo.landscape import ENVIRONMENTS
from dogana.service.backend import Backend
from dogana.service.chat import rooms
from dogana.service.configuration import proposals
from dogana.service.exchange import outbound, parties
from dogana.service.landscape import environments, setting_up
from dogana.service.people import tokens
from dogana.service.secrets import values
from dogana.service.shapes import ChangeOutcome
from dogana.service.sources import registry
from dogana.sources.settings import SourceKind

TRACKER: dict[str, object] = {"kind": "/kind"}
"""How the stand-in tracker answers, as far as it differs from what is usual."""


def _searched(tracker: str) -> dict[str, object]:
    """Where its tickets are read and found."""
    return {
        "address": f"{tracker}/tickets/{{key}}",
        "search": f"{tracker}/search?query={{query}}",
        "found": "/keys",
    }


async def set_sources(backend: Backend, tracker: str, metrics: str) -> None:
    """Set up the tracker and the metrics server where they are now, unless they are already."""
    wanted: dict[str, tuple[SourceKind, str, dict[str, object]]] = {
        "tickets": ("tickets", "the ticket tracker", TRACKER | _searched(tracker)),
        "archive": (
            "tickets",
            "the archive's tracker",
            TRACKER | {"address": f"{tracker}/tickets/{{key}}?archive", "projects": [SEALED_PROJECT]},
        ),
        "metrics": ("metrics", "the metrics server", {"address": metrics, "prefer": True}),
    }
    known = {one.id: one.settings for one in await registry.all_sources(backend, ACTORS["dario"])}
    for name, (kind, title, settings) in wanted.items():
        if known.get(name, {}).get("address") != settings["address"]:
            kept = await registry.keep(
                backend,
                ACTORS["dario"],
                name,
                kind=kind,
                title=title,
                settings=settings,
                secret=None,
                expected=None,
            )
            await _confirmed(backend, kept)


async def set_places(backend: Backend, fleet: str) -> None:
    """Say where services can be opened and where it is read what runs, unless that is said already."""
    dario = ACTORS["dario"]
    for environment in ENVIRONMENTS[1:]:
        known = await environments.environment(backend, dario, environment.id)
        wanted = known.model_copy(
            update={
                "address": f"{fleet}/open/{environment.id}/{{service}}",
                "version_from": FromAddress(
                    kind="address",
                    address=f"{fleet}/version/{environment.id}/{{service}}",
                    version="/version",
                ),
            }
        )
        if wanted != known:
            kept = await setting_up.keep_environment(backend, dario, environment.id, wanted, None)
            await _confirmed(backend, kept)


async def _confirmed(backend: Backend, outcome: ChangeOutcome) -> None:
    """Have a policy owner confirm what waits for a second person."""
    if outcome.waits is not None:
        await proposals.confirm(backend, ACTORS["chiara"], outcome.waits)


async def set_exchange(backend: Backend) -> None:
    """Who is told of what happens, and what services must not be told by anybody else."""
    dario = ACTORS["dario"]
    await parties.set_subscriber(
        backend,
        dario,
        "status-page",
        title="Old status page",
        address="http://status.corvale.example/notices",
        actions=["turn back", "roll back"],
    )
    await make_sender(backend, capacity.NAME, capacity.TITLE)
    for service, environment, name in (
        ("meter-intake", None, "QUEUE_PASSWORD"),
        ("meter-intake", "live-north", "QUEUE_PASSWORD"),
        ("field-app", None, "MAP_KEY"),
        ("valve-command", None, "COMMAND_KEY"),
        ("valve-command", "live-south", "COMMAND_KEY"),
    ):
        made_up = f"made-up-{service}-{environment or 'any'}"
        await values.keep(backend, dario, service, environment, name, made_up)


async def set_rooms(backend: Backend) -> None:
    """The room of the rehearsal, anew each time: the stand-in for its homeserver forgets when it ends."""
    dario = ACTORS["dario"]
    for room in (await rooms.view(backend, dario)).rooms:
        await rooms.drop(backend, dario, room.id)
    await rooms.keep(
        backend,
        dario,
        "rehearsal",
        title="Rehearsal",
        address="!rehearsal:corvale.example",
        service=None,
        environment="rehearsal",
    )


async def send_all(backend: Backend) -> None:
    """Tell what is due."""
    while await outbound.send_due(backend):
        continue


async def make_sender(backend: Backend, name: str, title: str) -> str:
    """Let a machine of the cast send events; gives what signs them."""
    made = await parties.set_sender(backend, ACTORS["dario"], name, title=title, person=name)
    await _confirmed(backend, made)
    return made.secret


async def is_good(backend: Backend, token: str) -> bool:
    """Whether a token opens anything any more."""
    try:
        await tokens.actor_by_token(backend, token)
    except SignedOutError:
        return False
    return True


async def make_token(backend: Backend, person: str, title: str, scopes: list[tokens.Scope]) -> str:
    """An API token for a machine of the cast, asked for by the administrator and confirmed."""
    wanted = tokens.NewToken(person=person, title=title, scopes=tuple(scopes))
    made = await tokens.make_token(backend, ACTORS["dario"], wanted)
    await _confirmed(backend, made)
    return made.token
