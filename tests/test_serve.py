"""./start's own process, for real: it comes up, survives signal 9 with nothing lost, and stops all of it."""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import socket
import struct
import subprocess
import sys
import time
import urllib.parse
import urllib.request
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from tests.browser.walk import png
from tests.orvix_web.test_messages import begin_frame, end_frame, samples_frame

ROOT = Path(__file__).resolve().parent.parent


BEGINNING = """
import postgres, serve
cluster = postgres.ensure(durable=False)
serve.set_up(cluster)
from django.core.management import call_command
call_command("migrate", verbosity=0, interactive=False)
from orvix_web.accounts.people import local_painter
from orvix_web.brushes.services import create_brush
from orvix_web.canvases.services import create_canvas
from orvix_web.tiles.services import create_grain, create_tile
owner = local_painter()
tile = create_tile(owner, "Cloth", {"size": [64, 64], "source": {"name": "noise"}})
create_brush(owner, "Chalk", create_grain(owner, tile.latest.pk, "Cloth grain").latest.pk)
create_canvas(owner, "Page", {"width": 1024, "height": 768})
postgres.stop(cluster)
"""
"""Makes a cluster with one thing of each kind, so that the demo works are not made."""


def remove(folder: Path) -> None:
    import postgres

    data = folder / "cluster"
    if (data / "postmaster.pid").exists():
        postgres.stop(postgres.Cluster(data, 0, started=True))
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture
def state():
    folder = ROOT / "var" / f"serve-test-{os.getpid()}"
    yield folder
    remove(folder)


@pytest.fixture(scope="module")
def beginning():
    folder = ROOT / "var" / f"serve-test-{os.getpid()}-beginning"
    folder.mkdir(parents=True)
    command = [sys.executable, "-c", BEGINNING]
    subprocess.run(command, env=environment_of(folder) | {"PYTHONPATH": str(ROOT / "ops")}, check=True, timeout=180)
    yield folder
    remove(folder)


@pytest.fixture
def begun(state, beginning):
    """A folder of state with one thing of each kind."""
    subprocess.run(["cp", "-a", str(beginning), str(state)], check=True)  # the files stay postgres's
    return state


def free_port() -> int:
    with closing(socket.socket()) as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def environment_of(state: Path) -> dict[str, str]:
    """As of a painter's shell, but for where the state lies."""
    plain = {key: value for key, value in os.environ.items() if not key.startswith(("ORVIX_", "DJANGO_"))}
    return {**plain, "ORVIX_VAR": str(state)}


def started(state: Path, *more: str) -> tuple[subprocess.Popen, str]:
    process = subprocess.Popen(
        [sys.executable, str(ROOT / "ops" / "serve.py"), *more],
        stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment_of(state),
    )  # fmt: skip
    said = []
    for line in process.stdout:
        said.append(line)
        found = re.search(r"http://127\.0\.0\.1:\d+", line)
        if found:
            return process, found.group()
    raise AssertionError("".join(said))


def room(url: str, canvas: int):
    address = f"{url.replace('http', 'ws')}/live/canvas/{canvas}/t/"
    return connect(address, origin=url, max_size=None, compression=None)


def one_stroke(page, brush: int, n: int = 1) -> None:
    """Paint a stroke and wait until it is acknowledged."""
    samples = np.array([[8 * k, 100 + 30 * k, 400 + 100 * n, 0.8, 0, 0, 0] for k in range(40)], float)
    page.send(begin_frame(n, {"brush": brush, "colour": "#ff0000", "seed": n}))
    page.send(samples_frame(n, 0, samples))
    page.send(end_frame(n, 40))
    while True:
        frame = page.recv(60)
        if frame[0] == 0x81:
            page.send(b"\x07" + struct.pack("<I", struct.unpack("<I", frame[1:5])[0]))
            continue
        told = json.loads(frame[1:])
        assert told["kind"] not in ("refused", "broken"), told
        if told["kind"] == "committed":
            return


def paint(url: str, brush: int, canvas: int) -> None:
    with room(url, canvas) as page:
        one_stroke(page, brush)


def some_brush(url: str) -> int:
    with urllib.request.urlopen(f"{url}/brushes/") as answer:
        return int(re.search(r'href="/brushes/(\d+)/"', answer.read().decode()).group(1))


def exported(url: str, canvas: int) -> np.ndarray:
    with urllib.request.urlopen(f"{url}/canvases/{canvas}/export.png") as answer:
        return png(answer.read())


def kept_as_long_work(url: str) -> str:
    """Ask for a large tile through the page's own form; returns the address of the tile."""
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    page = opener.open(f"{url}/tiles/").read().decode()
    address = re.search(r'href="(/tiles/\d+/)"', page).group(1)
    token = re.search(r'"X-CSRFToken": "(\w+)"', page).group(1)
    recipe = {"size": [4096, 4096], "source": {"name": "noise", "values": {"octaves": 8}}}
    body = urllib.parse.urlencode({"recipe": json.dumps(recipe)}).encode()
    asked = urllib.request.Request(f"{url}{address}keep/", body, {"X-CSRFToken": token, "Referer": url})
    assert b'data-state="waiting"' in opener.open(asked).read()
    return address


def until(ready, seconds: float = 60.0) -> None:
    """Ask again and again until something is so."""
    end = time.monotonic() + seconds
    while not ready():
        assert time.monotonic() < end, "it did not happen in time"
        time.sleep(0.1)


def work_page(url: str) -> str:
    with urllib.request.urlopen(f"{url}/work/") as answer:
        return answer.read().decode()


def test_killed_with_signal_9_it_loses_nothing_and_stops_all_when_told(begun):
    process, url = started(begun, "--port", str(free_port()))
    # A worker killed in the middle of a job: another takes it up, and the tile is kept once.
    tile = kept_as_long_work(url)
    until(lambda: 'data-state="running"' in work_page(url))
    worker = int((begun / "worker.pid").read_text())
    os.kill(worker, signal.SIGKILL)
    until(lambda: 'data-state="done"' in work_page(url), 180)
    assert "attempt 2" in work_page(url)
    with urllib.request.urlopen(f"{url}{tile}") as answer:
        assert len(re.findall(r'data-beside="\d+"', answer.read().decode())) == 2

    brush = some_brush(url)
    before = exported(url, 1)
    paint(url, brush, 1)
    process.send_signal(signal.SIGKILL)
    process.wait(10)

    process, url = started(begun, "--port", str(free_port()))
    after = exported(url, 1)
    assert not np.array_equal(before, after), "the acknowledged stroke is there"
    second = subprocess.run(
        [sys.executable, str(ROOT / "ops" / "serve.py")], env={**os.environ, "ORVIX_VAR": str(begun)},
        capture_output=True, text=True, check=True, timeout=60,
    )  # fmt: skip
    assert f"runs already, or is just starting: {url}" in second.stdout
    process.send_signal(signal.SIGTERM)
    assert process.wait(30) == 0
    assert not list(begun.glob("*/postmaster.pid")), "the cluster stopped too"
    assert not (begun / "worker.pid").exists(), "and the worker"


def test_a_killed_database_is_started_again_and_the_painter_goes_on_and_a_second_server_is_refused(begun):
    process, url = started(begun, "--port", str(free_port()))
    try:
        brush = some_brush(url)
        with room(url, 1) as page:
            one_stroke(page, brush, 1)
            (pid_file,) = begun.glob("*/postmaster.pid")
            for n in (2, 3):
                os.kill(int(pid_file.read_text().split()[0]), signal.SIGKILL)
                one_stroke(page, brush, n)
        seen = exported(url, 1)
        port = pid_file.read_text().split("\n")[3]
        more = {"ORVIX_PG_PORT": port, "ORVIX_SECRET_KEY": "x", "DJANGO_SETTINGS_MODULE": "orvix_web.settings.local"}
        second = subprocess.run(
            [sys.executable, "-m", "uvicorn", "orvix_web.asgi:application", "--lifespan", "on", "--port",
             str(free_port())], env=environment_of(begun) | more, capture_output=True, text=True, check=False,
            timeout=120,
        )  # fmt: skip
        assert second.returncode != 0
        assert "Another Orvix server uses this database" in second.stdout + second.stderr
        assert np.array_equal(exported(url, 1), seen), "the first one serves on"
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(60) == 0


def test_a_port_in_use_and_a_bad_one_are_said(state):
    with closing(socket.socket()) as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        command = [sys.executable, str(ROOT / "ops" / "serve.py"), "--port", str(taken.getsockname()[1])]
        run = {"capture_output": True, "text": True, "check": False, "env": {**os.environ, "ORVIX_VAR": str(state)}}
        told = subprocess.run(command, **run)
        assert told.returncode != 0
        assert "is in use by another program" in told.stderr
        assert "must be 1 to 65535" in subprocess.run([*command[:-1], "99999"], **run).stderr


def test_a_half_made_cluster_and_a_leftover_pid_file_are_mended(state, monkeypatch):
    import postgres

    monkeypatch.setattr(postgres, "VAR", state)
    half = state / "cluster"
    half.mkdir(parents=True)
    (half / "PG_VERSION").write_text("15\n")
    first = postgres.ensure(durable=False)
    assert first.started
    assert not postgres.ensure(durable=False).started
    postgres.stop(first)
    shutil.copy(ROOT / "pyproject.toml", half / "postmaster.pid")
    (half / "postmaster.pid").write_text(f"{os.getpid()}\n{half}\n")
    again = postgres.ensure(durable=False)
    assert again.started
    postgres.stop(again)


@pytest.mark.parametrize(
    ("asked", "rule"),
    [
        (["--host", "192.0.2.7"], "only with --studio"),
        (["--studio", "--tls-key", "key.pem"], "go together"),
        (["--studio", "--tls-key", "no.pem", "--tls-certificate", "no.pem"], "no such file"),
    ],
)
def test_what_does_not_go_together_is_refused(asked, rule):
    command = [sys.executable, str(ROOT / "ops" / "serve.py"), *asked]
    told = subprocess.run(command, capture_output=True, text=True, check=False)
    assert told.returncode == 2
    assert rule in told.stderr


def test_a_studio_asks_people_to_sign_in_with_accounts_made_while_it_runs(begun):
    """An account is made in the same cluster by ./account's own script; its password opens the shelf."""
    process, address = started(begun, "--studio", "--port", str(free_port()))
    try:
        with urllib.request.urlopen(f"{address}/shelf/") as answer:
            assert urllib.parse.urlsplit(answer.url).path == "/sign-in/"
        command = [sys.executable, str(ROOT / "ops" / "account.py")]
        made = subprocess.run(
            [*command, "add", "marta"], input="a long word for tests\n", capture_output=True, text=True, check=False,
            env=environment_of(begun),
        )  # fmt: skip
        assert made.stdout == "marta: may sign in now\n", made.stderr
        opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
        with opener.open(f"{address}/sign-in/?next=/shelf/") as answer:
            token = re.search(r'name="csrfmiddlewaretoken" value="(\w+)"', answer.read().decode()).group(1)
        told = {
            "username": "marta",
            "password": "a long word for tests",
            "next": "/shelf/",
            "csrfmiddlewaretoken": token,
        }
        asked = urllib.request.Request(f"{address}/sign-in/", urllib.parse.urlencode(told).encode())
        asked.add_header("Referer", f"{address}/sign-in/")
        with opener.open(asked) as answer:
            assert urllib.parse.urlsplit(answer.url).path == "/shelf/"
            assert "marta" in answer.read().decode()
        with pytest.raises(InvalidStatus), connect(f"{address.replace('http', 'ws')}/live/bench/", origin=address):
            pass  # a socket of nobody's is refused
    finally:
        process.send_signal(signal.SIGTERM)
        process.wait(60)
