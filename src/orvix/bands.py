"""Work on a picture band by band of rows, on two threads: what fits into the cache is done several times faster."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from orvix.progress import UNWATCHED, Watch

THREADS = 2
BAND_PX = 1 << 16


def in_bands(
    rows: int, columns: int, work: Callable[[int, int], None], watch: Watch = UNWATCHED, stage: str = ""
) -> None:
    """Call work(top, bottom) for bands of rows that together are all of them; a small picture is one band.

    Bands must not depend on each other. `watch` is told how far it is, on the calling thread, and stops it.
    """
    high = max(BAND_PX // max(columns, 1), 8)
    if rows <= high:
        work(0, rows)
        return
    tops = range(0, rows, high)
    with ThreadPoolExecutor(THREADS) as threads:
        under_way = [threads.submit(work, top, min(top + high, rows)) for top in tops]
        try:
            for n, band in enumerate(under_way):
                band.result()
                watch.tell((n + 1) / len(under_way), stage)
                watch.stop_if_asked()
        except BaseException:
            threads.shutdown(cancel_futures=True)
            raise
