"""What a pipeline needs of Dogana: its HTTP API from Python, and the commands `request` to `report`.

A distribution of its own, so that a pipeline installs neither database nor server; the server's holds it too.
"""

from dogana_client.api import Dogana, ProblemError, UnreachableError

__all__ = ["Dogana", "ProblemError", "UnreachableError"]
__version__ = "0.1.0"
