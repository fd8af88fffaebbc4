#!/usr/bin/env python3
"""Kills the server or its database with signal 9 while strokes come, again and again, and looks whether any is lost.

Works on a state folder of its own, with the database as durable as ./start makes it. Ends with status 1 where a stroke
that was acknowledged is gone, or where the stored pixels are not what the log gives.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import signal
import struct
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from contextlib import suppress
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
CANVAS = 1
BEGIN, SAMPLES, END, ACK = 2, 3, 4, 7
PIXELS, TOLD = 0x81, 0x82
COMPARE = """
import django; django.setup()
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.steps import as_it_was_after
from orvix_web.canvases.storage import load
row = Canvas.objects.get(pk={canvas})
last = Operation.objects.filter(canvas=row, state="done").order_by("-number").values_list("number", flat=True).first()
same = (load(row).canvas.pixels() == as_it_was_after(row, last).pixels()).all()
print("same" if same else "other")
"""


class Server:
    """One run of the application on the state folder."""

    def __init__(self, state: Path) -> None:
        environment = {**os.environ, "ORVIX_VAR": str(state), "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, str(ROOT / "ops" / "serve.py")]
        self.process = subprocess.Popen(
            command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=environment
        )
        assert self.process.stdout is not None
        said = next((line for line in self.process.stdout if "Orvix: " in line), None)
        if said is None:
            sys.exit("the server did not start: run ./start to see why")
        self.address = said.split()[1].rstrip("/")
        threading.Thread(target=self.process.stdout.read, daemon=True).start()

    def kill(self) -> None:
        """Signal 9 to the server; its worker is ended as well."""
        self.process.kill()
        self.process.wait(30)


class Painter(threading.Thread):
    """Paints strokes as fast as they are taken; `acknowledged` are the numbers that were said to be committed."""

    def __init__(self, address: str, brush: int, acknowledged: set[int], seed: int) -> None:
        super().__init__(daemon=True)
        self._address = address.replace("http", "ws") + f"/live/canvas/{CANVAS}/endure/"
        self._origin, self._brush, self._chance = address, brush, random.Random(seed)
        self.acknowledged = acknowledged

    def run(self) -> None:
        """Paint until the connection breaks."""
        from websockets.exceptions import WebSocketException
        from websockets.sync.client import connect

        told = {"origin": self._origin, "max_size": None, "compression": None}
        with suppress(OSError, WebSocketException, TimeoutError), connect(self._address, **told) as page:
            for stroke in range(1, 100_000):
                self._paint(page, stroke)

    def _paint(self, page, stroke: int) -> None:  # type: ignore[no-untyped-def]
        chance = self._chance
        x, y, seed = chance.uniform(100, 1300), chance.uniform(100, 900), chance.randrange(2**32)
        samples = b"".join(
            struct.pack("<7f", 8 * n, x + 6 * n, y + 3 * n * chance.uniform(-1, 1), 0.7, 0, 0, 0) for n in range(24)
        )
        told = json.dumps({"brush": self._brush, "colour": "#c2553b", "seed": seed}).encode()
        page.send(bytes([BEGIN]) + struct.pack("<I", stroke) + told)
        page.send(bytes([SAMPLES]) + struct.pack("<IId", stroke, 0, 0.0) + samples)
        page.send(bytes([END]) + struct.pack("<II", stroke, 24))
        while True:
            frame = page.recv(30)
            if frame[0] == PIXELS:
                page.send(bytes([ACK]) + frame[1:5])
            elif frame[0] == TOLD:
                news = json.loads(frame[1:])
                if news["kind"] == "committed" and news["what"] == "stroke":
                    self.acknowledged.add(news["number"])
                    return
                if news["kind"] in ("refused", "broken", "nothing"):
                    return


def main() -> int:
    """Run; returns the exit status."""
    asked = argparse.ArgumentParser(prog="./endure", description=__doc__.split("\n")[0])
    asked.add_argument("--kills", type=int, default=30, help="how often; 30")
    asked.add_argument("--seed", type=int, default=1, help="of the moments at which it is killed")
    args = asked.parse_args()
    (ROOT / "var").mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="endure-", dir=ROOT / "var") as folder:
        os.chmod(folder, 0o755)
        os.environ["ORVIX_VAR"] = folder
        import postgres

        try:
            return _endure(Path(folder), args.kills, random.Random(args.seed))
        finally:
            with suppress(postgres.ClusterError):
                postgres.stop(postgres.Cluster(postgres.data_folder("cluster"), 0, started=True))


def _endure(state: Path, kills: int, chance: random.Random) -> int:
    import postgres

    acknowledged: set[int] = set()
    data, lost = postgres.data_folder("cluster"), 0
    for kill in range(1, kills + 1):
        server = Server(state)
        painter = Painter(server.address, _brush(server.address), acknowledged, chance.randrange(2**32))
        painter.start()
        before, waited = len(acknowledged), time.monotonic()
        while len(acknowledged) == before and time.monotonic() - waited < 60:
            time.sleep(0.05)
        time.sleep(chance.uniform(0.0, 2.5))
        which = chance.choice(("server", "database"))
        if which == "database":
            os.kill(int((data / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
            time.sleep(0.2)
        server.kill()
        painter.join(30)
        with suppress(FileNotFoundError, ProcessLookupError, ValueError):
            os.kill(int((state / "worker.pid").read_text()), signal.SIGKILL)
        cluster = postgres.ensure()
        gone = sorted(acknowledged - _kept(cluster.port))
        lost += len(gone)
        told = f"lost {gone}" if gone else "none lost"
        print(f"{kill:>3} {which:<9} {len(acknowledged) - before:>4} more acknowledged, {told}", flush=True)
    same = _compare(cluster.port)
    print(f"{len(acknowledged)} strokes acknowledged over {kills} kills, {lost} lost; the pixels are ", end="")
    print("what the log gives" if same else "NOT what the log gives")
    return 0 if same and not lost and acknowledged else 1


def _brush(address: str) -> int:
    with urllib.request.urlopen(f"{address}/canvases/{CANVAS}/") as answer:
        page = answer.read().decode()
    return int(page.split('data-chosen="')[1].split('"')[0])


def _kept(port: int) -> set[int]:
    """The numbers of the strokes in the log."""
    sql = f"select number from canvases_operation where canvas_id={CANVAS} and kind='stroke' and state='done'"
    command = ["psql", "-h", "127.0.0.1", "-p", str(port), "-U", "orvix", "-d", "orvix", "-Atc", sql]
    return {int(line) for line in subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()}


def _compare(port: int) -> bool:
    """Whether the stored blocks, with what comes after them, are what painting from the first step gives."""
    environment = {**os.environ, "ORVIX_PG_PORT": str(port), "ORVIX_SECRET_KEY": "endure"}
    environment["DJANGO_SETTINGS_MODULE"] = "orvix_web.settings.local"
    command = [sys.executable, "-c", COMPARE.format(canvas=CANVAS)]
    told = subprocess.run(command, capture_output=True, text=True, check=True, env=environment)
    return told.stdout.strip() == "same"


if __name__ == "__main__":
    sys.exit(main())
