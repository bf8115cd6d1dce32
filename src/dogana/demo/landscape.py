"""Services, environments and the route of the scenario; what each service's changes look like."""

from dataclasses import dataclass

HOME = "Europe/Rome"


@dataclass(frozen=True, kw_only=True)
class Environment:
    """One environment and its place on the route."""

    id: str
    title: str
    leg: int
    departs: str
    takes: int
    """Seconds the stand-in pipeline takes to bring a release in."""
    at: tuple[str, ...] = ()
    """Its set times on working days, where it has them."""


ENVIRONMENTS = (
    Environment(id="bench", title="Bench", leg=0, departs="at once", takes=4),
    Environment(
        id="rehearsal", title="Rehearsal", leg=1, departs="by timetable", takes=6, at=("07:00", "12:00")
    ),
    Environment(id="pilot-valley", title="Pilot valley", leg=2, departs="by deployer", takes=900),
    Environment(id="live-north", title="Live north", leg=3, departs="by deployer", takes=1200),
    Environment(id="live-south", title="Live south", leg=3, departs="by deployer", takes=1200),
)
LEGS = tuple(environment.id for environment in ENVIRONMENTS)
LIVE = ("live", "Live, north and south")
"""The class of environments whose policy both live ones inherit."""
ROUTE = ("standard", "Standard route")
URGENT = ("urgent", "Urgent route")
URGENT_LEGS = (("pilot-valley",), ("live-north", "live-south"))
OWNERS = {
    "meter-intake": "control-room",
    "leak-watch": "control-room",
    "valve-command": "control-room",
    "field-app": "field-operations",
    "tariff-engine": "release-desk",
    "taps-portal": "release-desk",
}
"""Whose each service is."""
PREVIEW = ("preview", "Preview")
"""What previews of branches are made from."""


@dataclass(frozen=True, kw_only=True)
class Service:
    """One service: its tickets' project, where its code lies, what changes in it are about."""

    id: str
    title: str
    project: str
    areas: tuple[str, ...]
    work: tuple[str, ...]
    past: tuple[str, ...]
    """Versions that went the whole way, oldest first."""


SERVICES = (
    Service(
        id="meter-intake",
        title="Meter intake",
        project="MET",
        areas=(
            "intake/frames.py",
            "intake/clock.py",
            "intake/queue.py",
            "schema/readings.sql",
            "docs/frames.md",
        ),
        work=(
            "Accept frames from the new ultrasonic meters",
            "Drop duplicate frames by sequence number",
            "Correct readings stamped before a clock jump",
            "Batch writes per district",
            "Report lag by collector, not by district",
            "Refuse frames without a seal counter",
        ),
        past=("7.3.0", "7.4.0"),
    ),
    Service(
        id="leak-watch",
        title="Leak watch",
        project="LEAK",
        areas=(
            "detect/night_flow.py",
            "detect/pressure.py",
            "alarms/rules.yaml",
            "alarms/notify.py",
            "docs/alarms.md",
        ),
        work=(
            "Compare night flow against the same weekday",
            "Silence alarms while a main is being flushed",
            "Weigh pressure drops by pipe age",
            "Group alarms of one street into one call",
            "Lower false alarms after hydrant tests",
            "Keep raw series for a disputed alarm",
        ),
        past=("4.1.0", "4.2.0"),
    ),
    Service(
        id="tariff-engine",
        title="Tariff engine",
        project="TAR",
        areas=(
            "tariff/steps.py",
            "tariff/rounding.py",
            "bills/preview.py",
            "schema/bills.sql",
            "docs/tariffs.md",
        ),
        work=(
            "Split a bill at the day a tariff changes",
            "Round once, at the end of the bill",
            "Apply the drought step from the decree's date",
            "Show the standing charge on the preview",
            "Migrate bill lines to their own table",
            "Credit a leak allowance only once a year",
        ),
        past=("3.7.0", "3.8.0"),
    ),
    Service(
        id="valve-command",
        title="Valve command",
        project="VALV",
        areas=(
            "command/queue.py",
            "command/ack.py",
            "safety/interlocks.py",
            "safety/limits.yaml",
            "docs/interlocks.md",
        ),
        work=(
            "Repeat a command once when no acknowledgement comes",
            "Refuse two opposite commands within a minute",
            "Log who held the key for each command",
            "Close slowly when pressure is above the limit",
            "Time out a manual override after an hour",
            "Read the interlock table at start, not per command",
        ),
        past=("2.3.0", "2.4.0"),
    ),
    Service(
        id="taps-portal",
        title="Taps portal",
        project="TAPS",
        areas=(
            "portal/usage.ts",
            "portal/bills.ts",
            "portal/styles.css",
            "portal/outages.ts",
            "docs/wording.md",
        ),
        work=(
            "Show use by hour for smart meters",
            "Explain an estimated bill in one sentence",
            "Let tenants hand over a meter by code",
            "Say when water is off in the street",
            "Remember the chosen language",
            "Make the usage chart readable by keyboard",
        ),
        past=("12.0.0", "12.1.0"),
    ),
    Service(
        id="field-app",
        title="Field app",
        project="FLD",
        areas=("app/orders.kt", "app/maps.kt", "app/sync.kt", "app/photos.kt", "docs/offline.md"),
        work=(
            "Keep work orders readable without a signal",
            "Attach photos to a valve, not to the order",
            "Sync in the background on Halifax time",
            "Show the nearest isolation valve",
            "Warn when an order's district is under storm watch",
            "Draw pipes under the map's labels",
        ),
        past=("4.9.0", "5.0.0"),
    ),
)
