"""Work for a process of its own; imports nothing that would take long to start."""

import resource
import time


def fill(size: int) -> int:
    return len(bytearray(size))


def sleep(seconds: float) -> None:
    time.sleep(seconds)


def room() -> int:
    return resource.getrlimit(resource.RLIMIT_AS)[0]
