#!/usr/bin/env python3
"""What ./start does once everything is installed: cluster, database, migrations, demo data, application.

Runs until Ctrl-C or SIGTERM, then stores every open canvas and stops the cluster. With --prepare it stops before the
application starts.
"""

from __future__ import annotations

import argparse
import fcntl
import os
import secrets
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from threading import Event, Thread

import postgres

# Work is shared out among threads by ourselves; sums that take further ones only wait for each other.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

ROOT = Path(__file__).resolve().parent.parent
VAR = postgres.VAR
MARK = VAR / "address"
FIRST_PORT = 8700


def main() -> int:
    """Run; returns the exit status."""
    asked = argparse.ArgumentParser(prog="./start", description=__doc__.split("\n")[0])
    asked.add_argument("--prepare", action="store_true", help="set everything up, start nothing")
    asked.add_argument(
        "--port", type=int, default=None, help=f"the port on loopback; {FIRST_PORT} or the next free one"
    )
    asked.add_argument("--studio", action="store_true", help="ask people to sign in; accounts are made by ./account")
    asked.add_argument(
        "--host", default="127.0.0.1", help="with --studio: the address to serve on; ORVIX_HOSTS: more names"
    )
    asked.add_argument(
        "--tls-certificate", type=Path, help="with --host: a certificate, so that what is sent is encrypted"
    )
    asked.add_argument("--tls-key", type=Path, help="the key of the certificate")
    args = asked.parse_args()
    if wrong := _wrong(args):
        asked.error(wrong)
    VAR.mkdir(exist_ok=True)
    lock = (VAR / "lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        print(f"Orvix runs already, or is just starting: {_address_of_other()}")
        return 0
    MARK.unlink(missing_ok=True)
    for name in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(name, _interrupt)
    port = _port(args.host, args.port) if not args.prepare else 0
    secured = args.tls_certificate is not None
    names = ",".join(one for one in (args.host, os.environ.get("ORVIX_HOSTS", "")) if one)
    os.environ |= {"ORVIX_SIGN_IN": str(int(args.studio)), "ORVIX_TLS": str(int(secured)), "ORVIX_HOSTS": names}
    try:
        cluster = _timed("database cluster", lambda: postgres.ensure())
    except postgres.ClusterError as error:
        print(f"PostgreSQL: {error}", file=sys.stderr)
        return 1
    if not cluster.data.is_relative_to(ROOT):
        print(f"the database lies in {cluster.data}, because the postgres user cannot reach this folder")
    worker = keeper = None
    try:
        _prepare(cluster)
        if not args.prepare:
            keeper, worker = ClusterKeeper(cluster), Worker()
            _serve(args, port)
    except KeyboardInterrupt:
        pass
    finally:
        if worker is not None:
            worker.stop()
        if keeper is not None:
            keeper.stop()
        MARK.unlink(missing_ok=True)
        postgres.stop(cluster)
        print("stopped", flush=True)
    return 0


def _wrong(args: argparse.Namespace) -> str:
    """What does not go together, in words."""
    beyond = args.host not in ("127.0.0.1", "localhost")
    if beyond and not args.studio:
        return f"--host {args.host}: only with --studio, or whoever reaches it paints on your shelf"
    if (args.tls_certificate is None) != (args.tls_key is None):
        return "--tls-certificate and --tls-key go together"
    for path in (args.tls_certificate, args.tls_key):
        if path is not None and not path.is_file():
            return f"{path}: there is no such file"
    return ""


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def set_up(cluster: postgres.Cluster) -> None:
    """Make Django ready to ask this cluster."""
    postgres.create_database(cluster, "orvix")
    os.environ["ORVIX_PG_PORT"] = str(cluster.port)
    os.environ["ORVIX_SECRET_KEY"] = _secret()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "orvix_web.settings.local")
    import django

    django.setup()


def _prepare(cluster: postgres.Cluster) -> None:
    set_up(cluster)
    from django.core.management import call_command

    _timed("migrations", lambda: call_command("migrate", verbosity=0, interactive=False))
    from orvix_demo.scenario import load_scenario
    from orvix_web.accounts.people import local_painter

    if os.environ["ORVIX_SIGN_IN"] != "1":
        _timed("demo data", lambda: load_scenario(local_painter()))
    from django.db import connections

    connections.close_all()


class Worker:
    """The process that does long work, started again when it dies, until it is told to stop."""

    def __init__(self) -> None:
        self._stopping = Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = Thread(target=self._keep, name="worker", daemon=True)
        self._thread.start()

    def _keep(self) -> None:
        while not self._stopping.is_set():
            self._process = subprocess.Popen(
                [sys.executable, str(ROOT / "manage.py"), "work"], stdin=subprocess.DEVNULL
            )
            (VAR / "worker.pid").write_text(f"{self._process.pid}\n")
            self._process.wait()
            self._stopping.wait(1.0)

    def stop(self) -> None:
        """Tell it to stop, and end it where it does not."""
        self._stopping.set()
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(10)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait(5)
        (VAR / "worker.pid").unlink(missing_ok=True)


class ClusterKeeper:
    """Starts the cluster again where it was killed: open canvases wait for it and go on."""

    def __init__(self, cluster: postgres.Cluster) -> None:
        self._cluster = cluster
        self._stopping = Event()
        self._thread = Thread(target=self._keep, name="cluster", daemon=True)
        self._thread.start()

    def _keep(self) -> None:
        while not self._stopping.wait(1.0):
            if postgres.runs(self._cluster):
                continue
            print("PostgreSQL stopped; it is started again", flush=True)
            try:
                again = postgres.ensure()
            except postgres.ClusterError as error:
                print(f"PostgreSQL: {error}", file=sys.stderr, flush=True)
                continue
            if again.port != self._cluster.port:
                print(f"its port {self._cluster.port} is taken by another program: start Orvix again", file=sys.stderr)
                return

    def stop(self) -> None:
        """Leave it alone from now on."""
        self._stopping.set()
        self._thread.join()


def _serve(args: argparse.Namespace, port: int) -> None:
    import uvicorn

    secured = args.tls_certificate is not None
    address = f"http{'s' * secured}://{args.host}:{port}/"
    if args.studio and not secured and args.host not in ("127.0.0.1", "localhost"):
        print(
            f"{args.host} is served without encryption: passwords can be read on the way, and browsers give fewer pen "
            "samples and no clipboard. Give --tls-certificate and --tls-key.",
            file=sys.stderr,
        )

    class Server(uvicorn.Server):
        """Says its address once it answers."""

        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            MARK.write_text(f"{address}\n")
            print(f"\nOrvix: {address}   (Ctrl-C stops it)", flush=True)

    config = uvicorn.Config(
        "orvix_web.asgi:application", host=args.host, port=port, log_level="warning", lifespan="on",
        ws="websockets-sansio", ws_per_message_deflate=False, ws_max_size=1 << 20, timeout_graceful_shutdown=5,
        ssl_certfile=args.tls_certificate, ssl_keyfile=args.tls_key,
    )  # fmt: skip
    Server(config).run()


def _address_of_other() -> str:
    """The address of the process that holds the lock, once it has said it."""
    for _ in range(600):
        if MARK.exists():
            return MARK.read_text().strip()
        time.sleep(0.1)
    return "it has not said its address yet"


def _port(host: str, asked: int | None) -> int:
    if asked is not None and not 1 <= asked <= 65535:
        sys.exit(f"port={asked}: must be 1 to 65535")
    for port in [asked] if asked is not None else range(FIRST_PORT, FIRST_PORT + 100):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            with suppress(OSError):
                probe.bind((host, port))
                if port != FIRST_PORT and asked is None:
                    print(f"port {FIRST_PORT} is in use by another program; taking {port}")
                return port
    sys.exit(f"port {asked or FIRST_PORT} is in use by another program; give another one: ./start --port N")


def _secret() -> str:
    """The key that signs cookies, made once for this clone and readable by its owner only."""
    path = VAR / "secret"
    if not path.exists():
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "w") as file:
            file.write(secrets.token_urlsafe(50))
    return path.read_text()


def _timed(name: str, work: Callable[[], object]) -> object:
    start = time.perf_counter()
    done = work()
    print(f"{name}: {time.perf_counter() - start:.1f} s", flush=True)
    return done


if __name__ == "__main__":
    sys.exit(main())
