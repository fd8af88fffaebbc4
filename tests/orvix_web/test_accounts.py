"""Accounts of a studio: made by a command, signed in with, each with its own things; what is shared, and with whom."""

from __future__ import annotations

import io

import pytest
from django.core.management import call_command
from django.core.management.base import CommandError
from PIL import Image

from orvix.errors import BadValue
from orvix_web.accounts.attempts import MOST, SECONDS, Attempts
from orvix_web.accounts.people import add_account, local_painter, painter_of, set_open, set_password
from orvix_web.errors import NotYours
from orvix_web.shelf.models import Share
from orvix_web.shelf.services import do
from orvix_web.shelf.sharing import share, unshare
from orvix_web.tiles.models import Tile

WORD = "a long word for tests"


@pytest.fixture
def studio(settings, db, monkeypatch):
    """Two accounts of a server where people sign in."""
    settings.SIGN_IN = True
    monkeypatch.setattr("orvix_web.accounts.signing.attempts", Attempts())
    return add_account("marta", WORD), add_account("karel", WORD)


@pytest.fixture
def shared(studio, kit):
    """The kit is Marta's; Karel may look."""
    marta, _ = studio
    for thing in (kit.tile, kit.grain, kit.brush, kit.canvas):
        type(thing).objects.filter(pk=thing.pk).update(owner=marta)
    share(marta, [f"tile-{kit.tile.pk}", f"brush-{kit.brush.pk}", f"canvas-{kit.canvas.pk}"], "karel", may_copy=False)
    return kit


def signed_in(client, name):
    told = client.post("/sign-in/", {"username": name, "password": WORD, "next": "/shelf/"})
    assert told.status_code == 302
    assert told.headers["Location"] == "/shelf/"
    return client


def command(monkeypatch, *args, typed=WORD):
    monkeypatch.setattr("sys.stdin", io.StringIO(typed + "\n"))
    out = io.StringIO()
    call_command("account", *args, stdout=out)
    return out.getvalue()


def test_accounts_are_made_listed_closed_and_opened_by_a_command(monkeypatch, client, settings, db):
    settings.SIGN_IN = True
    assert command(monkeypatch, "add", "marta") == "marta: may sign in now\n"
    local_painter()
    assert command(monkeypatch, "list") == "marta: open\npainter: no password yet\n"
    signed_in(client, "marta")
    assert "closed" in command(monkeypatch, "close", "marta")
    assert client.get("/shelf/").status_code == 302, "who is signed in there is out"
    command(monkeypatch, "open", "marta")
    command(monkeypatch, "password", "painter")
    assert "painter: open" in command(monkeypatch, "list")
    signed_in(client, "painter")


@pytest.mark.parametrize(
    ("args", "typed", "rule"),
    [
        (("add", "Marta"), WORD, "already exists"),
        (("add", "a b"), WORD, "must be 1 to 40 letters"),
        (("add", "jo"), "short", "too short"),
        (("add", "jo"), "password123", "too common"),
        (("password", "nobody"), WORD, "There is no account named"),
        (("close", "nobody"), WORD, "There is no account named"),
        (("list", "marta"), WORD, "takes no name"),
        (("add",), WORD, "takes a name"),
    ],
)
def test_what_a_command_refuses(monkeypatch, studio, args, typed, rule):
    with pytest.raises(CommandError, match=rule):
        command(monkeypatch, *args, typed=typed)


def test_nothing_is_shown_to_who_is_not_signed_in(client, studio, kit):
    for path in ("/", "/shelf/", f"/tiles/{kit.tile.pk}/", "/chain/", f"/canvases/{kit.canvas.pk}/export.png"):
        told = client.get(path)
        assert (told.status_code, told.headers["Location"].split("?")[0]) == (302, "/sign-in/")
    assert client.post("/shelf/do/", {"what": "trash", "thing": f"tile-{kit.tile.pk}"}).status_code == 302
    assert client.get("/chain/", headers={"HX-Request": "true"}).headers["HX-Redirect"] == "/sign-in/"
    assert client.get("/shelf/", headers={"Accept": "application/json"}).status_code == 401
    assert b"Sign in" in client.get("/sign-in/").content
    assert painter_of({"headers": []}) is None
    assert painter_of({"headers": [(b"cookie", b"sessionid=made-up")]}) is None


def test_each_sees_only_its_own_and_signs_out(client, studio, kit):
    signed_in(client, "karel")
    assert client.get(f"/tiles/{kit.tile.pk}/").status_code == 404
    assert kit.tile.name.encode() not in client.get("/tiles/").content
    cookie = f"sessionid={client.cookies['sessionid'].value}".encode()
    assert painter_of({"headers": [(b"cookie", cookie)]}).username == "karel"
    set_password("karel", WORD + " anew")
    assert painter_of({"headers": [(b"cookie", cookie)]}) is None, "another password signs out"
    client.post("/sign-out/")
    assert client.get("/tiles/").status_code == 302


def test_wrong_passwords_are_told_and_have_to_wait(client, studio):
    def tried(word):
        return client.post("/sign-in/", {"username": "Karel ", "password": word}).content.decode()

    for _ in range(MOST):
        assert "Name or password is wrong" in tried("wrong")
    assert f"Too many wrong passwords ({MOST}). Try again in 5 min." in tried(WORD)
    signed_in(client, "marta")


def test_wrong_passwords_are_forgotten_in_time_and_by_a_right_one(monkeypatch):
    now = [0.0]
    monkeypatch.setattr("orvix_web.accounts.attempts.monotonic", lambda: now[0])
    attempts = Attempts()
    for _ in range(MOST):
        assert attempts.wait_s("a") == 0
        attempts.wrong("A")
    assert attempts.wait_s("a") == SECONDS
    now[0] = SECONDS + 1
    assert attempts.wait_s("a") == 0
    for _ in range(MOST - 1):
        attempts.wrong("a")
    attempts.right("a")
    attempts.wrong("a")
    assert attempts.wait_s("a") == 0


def test_many_names_do_not_free_the_one_that_waits(monkeypatch):
    monkeypatch.setattr("orvix_web.accounts.attempts.MOST_NAMES", 20)
    attempts = Attempts()
    for _ in range(MOST):
        attempts.wrong("marta")
    for n in range(100):
        attempts.wrong(f"name{n}")
    assert attempts.wait_s("marta") > 0
    assert attempts.wait_s("name99") == 0


def test_what_is_shared_is_looked_at(client, shared):
    signed_in(client, "karel")
    page = client.get("/shelf/?shared=1").content.decode()
    assert shared.tile.name in page
    assert "shared by marta" in page
    assert shared.grain.name not in page, "only what was shared"
    for kind, thing in (("tile", shared.tile), ("brush", shared.brush), ("canvas", shared.canvas)):
        told = client.get(f"/shelf/shared/{kind}/{thing.pk}/").content.decode()
        assert "allows viewing only" in told
        picture = Image.open(io.BytesIO(client.get(f"/shelf/shared/{kind}/{thing.pk}.png").content))
        assert min(picture.size) >= 120
    version = shared.tile.latest
    assert client.get(f"/thumbnails/tile/{version.pk}/0.png").status_code == 200
    assert client.get(f"/thumbnails/grain/{shared.grain.latest.pk}/0.png").status_code == 404
    assert client.get(f"/tiles/{shared.tile.pk}/").status_code == 404, "its bench stays its owner's"
    assert client.post(f"/shelf/shared/tile/{shared.tile.pk}/copy/").status_code == 422
    assert client.get(f"/shelf/shared/grain/{shared.grain.pk}/").status_code == 404


def test_what_may_be_copied_comes_in_as_a_bundle_and_stays_ones_own(client, studio, shared):
    marta, karel = studio
    share(marta, [f"brush-{shared.brush.pk}"], "karel", may_copy=True)
    assert Share.objects.filter(kind="brush").count() == 1, "the same share, with another rule"
    signed_in(client, "karel")
    there = client.post(f"/shelf/shared/brush/{shared.brush.pk}/copy/").headers["Location"]
    assert "3 of 3 items are new" in client.get(there).content.decode()
    client.post(there)
    mine = Tile.objects.get(owner=karel)
    assert mine.name == shared.tile.name
    do(marta, "trash", [f"brush-{shared.brush.pk}"])
    assert client.get(f"/thumbnails/brush/{shared.brush.latest.pk}/0.png").status_code == 404
    assert client.get(f"/shelf/shared/brush/{shared.brush.pk}/").status_code == 404
    assert client.get(f"/tiles/{mine.pk}/").status_code == 200


def test_sharing_is_ended_by_either(client, studio, shared):
    marta, karel = studio
    first, second, third = Share.objects.order_by("pk")
    unshare(marta, first.pk)
    unshare(karel, second.pk)
    stranger = add_account("ilse", WORD)
    with pytest.raises(NotYours):
        unshare(stranger, third.pk)
    signed_in(client, "marta")
    assert "karel</b> can view" in client.get(f"/shelf/canvas/{shared.canvas.pk}/used/").content.decode()
    client.post(f"/shelf/share/{third.pk}/end/")
    assert not Share.objects.exists()


def test_what_is_not_shared(client, studio, shared):
    marta, karel = studio
    key = [f"tile-{shared.tile.pk}"]
    with pytest.raises(NotYours):
        share(karel, key, "marta", may_copy=True)
    with pytest.raises(BadValue, match="not an open account"):
        share(marta, key, "marta", may_copy=True)
    with pytest.raises(NotYours):
        share(marta, key, "nobody", may_copy=True)
    with pytest.raises(BadValue, match="choose 1 to"):
        share(marta, [], "karel", may_copy=True)
    set_open("marta", False)
    signed_in(client, "karel")
    assert client.get(f"/shelf/shared/tile/{shared.tile.pk}/").status_code == 404, "a closed account shares nothing"
    set_open("karel", False)
    with pytest.raises(BadValue, match="not an open account"):
        share(marta, key, "karel", may_copy=True)
