"""Files that jobs made, as a page fetches them: sent piece by piece."""

from __future__ import annotations

from asgiref.sync import async_to_sync


def sent(response) -> bytes:
    """All octets of an answer that is sent in pieces."""

    async def all_of_it() -> bytes:
        return b"".join([one async for one in response])

    return async_to_sync(all_of_it)()
