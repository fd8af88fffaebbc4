"""Pages that are read while somebody paints or deletes in another window."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connection

from orvix_web.canvases.history import history
from orvix_web.canvases.models import Operation
from orvix_web.chain.templatetags.strip import strip_context
from orvix_web.shelf.services import do

pytestmark = pytest.mark.django_db(transaction=True)


class Meanwhile:
    """Does something in a session of its own, once, after so many queries of this one."""

    def __init__(self, after: int, deed) -> None:
        self.left, self.deed = after, deed

    def __call__(self, execute, sql, params, many, context):
        result = execute(sql, params, many, context)
        self.left -= 1
        if self.left == 0:
            with ThreadPoolExecutor(1) as other:
                other.submit(self._in_a_session).result(20)
        return result

    def _in_a_session(self) -> None:
        try:
            self.deed()
        finally:
            connection.close()


def test_a_rework_stored_while_a_log_is_read_is_in_it_or_not(kit):
    def logged(number, kind, data):
        Operation.objects.create(canvas=kit.canvas, number=number, kind=kind, data=data, state="done", engine_version=1)

    logged(1, "stroke", {})
    for after in (1, 2):
        number = 1 + after
        meanwhile = Meanwhile(after, lambda number=number: logged(number, "rework", {"strokes": [1], "gone": True}))
        with connection.execute_wrapper(meanwhile):
            told = history(kit.canvas)
        assert 1 in told.done
        assert number in history(kit.canvas).done
        assert history(kit.canvas).steps == []


@pytest.mark.slow
@pytest.mark.parametrize("after", range(1, 40, 3))
def test_the_strip_is_of_one_moment(kit, after):
    chain = [f"brush-{kit.brush.pk}", f"grain-{kit.grain.pk}", f"tile-{kit.tile.pk}"]
    do(kit.owner, "trash", chain)
    do(kit.owner, "restore", chain)

    def gone():
        do(kit.owner, "trash", chain)
        do(kit.owner, "delete", chain)

    meanwhile = Meanwhile(after, gone)
    with connection.execute_wrapper(meanwhile):
        places = strip_context(kit.owner, "brush", kit.brush.pk, "brushes")["places"]
    counted = [one["count"] for one in places]
    assert counted[:2] in ([1, 1], [0, 0]), "all of it was there, or nothing was"
    assert strip_context(kit.owner, "brush", kit.brush.pk, "brushes")["places"][1]["count"] == (meanwhile.left > 0)
