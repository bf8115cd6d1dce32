"""The dictionary that documents are packed with, trained anew from those of a database."""

from dogana.service.ledger import audit
from dogana.settings import Settings
from dogana.store import documents
from dogana.store.packing import packed, trained
from dogana.wiring import backend_for


async def train(settings: Settings) -> tuple[bytes, str]:
    """A dictionary for the stored documents; and how small those are with the present one, in words."""
    async with backend_for(settings) as backend, audit.at_one_instant(backend) as session:
        texts = [text async for _, text in documents.every(session) if text is not None]
    plain = sum(len(text.encode()) for text in texts)
    return trained(
        texts
    ), f"{len(texts)} documents of {plain} bytes are {sum(map(len, map(packed, texts)))} now"
