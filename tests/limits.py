"""How far tests go, and work for a process of its own; imports nothing that would take long to start."""

import os
import resource
import time

THOROUGH = os.environ.get("DOGANA_THOROUGH") == "1"


def examples(many: int) -> int:
    """How many examples a property is tried on: a quarter of them, and all where nobody waits for it."""
    return many if THOROUGH else max(many // 4, 10)


def fill(size: int) -> int:
    return len(bytearray(size))


def sleep(seconds: float) -> None:
    time.sleep(seconds)


def room() -> int:
    return resource.getrlimit(resource.RLIMIT_AS)[0]
