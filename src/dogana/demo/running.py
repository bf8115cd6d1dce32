"""How an instance that runs is found by the commands that want it."""

import json
import os
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, kw_only=True)
class Running:
    """How to reach a running instance; written beside it for the tour to find."""

    url: str
    pid: int
    key_file: str
    database_url: str
    requester_token: str
    repositories: str
    tickets: str
    fleet: str
    """The page on which one makes a newcomer bad, or well again."""
    mailbox: str
    """The page on which everybody's mail is read."""
    chat: str
    """The page of the chat."""
    capacity: str
    """The page of the capacity check, on which one has it say no."""

    def save(self, path: Path) -> None:
        """Write it where only its owner can read it: it holds a token."""
        path.touch(mode=0o600)
        path.write_text(json.dumps(self.__dict__))

    @classmethod
    def load(cls, path: Path) -> "Running | None":
        """The instance that runs now, if one does."""
        try:
            running = cls(**json.loads(path.read_text()))
            os.kill(running.pid, 0)
        except (OSError, ValueError, TypeError):
            return None
        return running
