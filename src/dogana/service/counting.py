"""What every process counts of its work, told with its beat so that one page shows all processes."""

from prometheus_client import CollectorRegistry, Counter

TOLD = CollectorRegistry()

INSPECTIONS = Counter("dogana_inspections", "Promotions inspected.", registry=TOLD)
FAILURES = Counter("dogana_work_failed", "Work on a promotion that failed.", registry=TOLD)
ENTRIES = Counter("dogana_entries", "Entries written to the ledger.", ["action"], registry=TOLD)
SEQUENCED = Counter("dogana_sequenced", "Entries given their place in the ledger.", registry=TOLD)
DELIVERIES = Counter("dogana_deliveries", "Events sent to subscribers.", ["outcome"], registry=TOLD)
MAILS = Counter("dogana_mails", "Mails handed over to the mail server.", ["outcome"], registry=TOLD)
SOURCE_READS = Counter(
    "dogana_source_reads", "News of sources: read again, or failing.", ["source", "outcome"], registry=TOLD
)
ROUNDS = Counter("dogana_rounds_failed", "Rounds of a worker's loop that failed.", ["work"], registry=TOLD)

Sample = tuple[str, dict[str, str], float]


def samples() -> list[Sample]:
    """Every counter as it stands: name, labels, value."""
    return [
        (sample.name, sample.labels, sample.value)
        for family in TOLD.collect()
        for sample in family.samples
        if sample.name.endswith("_total")
    ]
