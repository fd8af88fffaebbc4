#!/usr/bin/env python3
"""A private PostgreSQL cluster on loopback: made once, started when it is not running, stopped by the same hand.

Standard library only: it runs before anything is installed. Called by ./start and by the tests. It never touches the
machine's own cluster: the data folder, port and server are this clone's, and a server on the port that does not serve
this clone's data folder is left alone.
"""

from __future__ import annotations

import hashlib
import os
import pwd
import shutil
import signal
import socket
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("ORVIX_VAR", ROOT / "var")).resolve()
OWNER = "orvix"
FIRST_PORT, PORTS = 54320, 400
FAST = {"fsync": "off", "synchronous_commit": "off", "full_page_writes": "off"}


class ClusterError(Exception):
    """The cluster cannot be made or started; the message says what to do."""


@dataclass(frozen=True)
class Cluster:
    """A running cluster: its data folder, its port, and whether this call started it."""

    data: Path
    port: int
    started: bool


def binaries() -> Path:
    """The folder of Debian's newest PostgreSQL server programs; raises ClusterError where there is none."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda path: int(path.parts[4]))
    if not found:
        raise ClusterError("PostgreSQL is not installed: apt-get install postgresql")
    return found[-1].parent


def ensure(name: str = "cluster", *, durable: bool = True) -> Cluster:
    """Make the cluster if there is none, start it if it is not running, and say where it is."""
    data = data_folder(name)
    _drop_half_made(data)
    if not (data / "PG_VERSION").exists():
        _make(data, durable)
    port = int((data / "orvix-port").read_text())
    if _serves(data, port):
        return Cluster(data, port, started=False)
    _drop_stale_pid(data)
    port = _free_port(port)
    (data / "orvix-port").write_text(f"{port}\n")
    _give_away(data / "orvix-port")
    options = f"-p {port} -c listen_addresses=127.0.0.1 -c unix_socket_directories=''"
    if not durable:
        options += "".join(f" -c {key}={value}" for key, value in FAST.items())
    log = data / "orvix-server.log"
    _run([str(binaries() / "pg_ctl"), "-w", "-t", "60", "-D", str(data), "-l", str(log), "-o", options, "start"])
    return Cluster(data, port, started=True)


def runs(cluster: Cluster) -> bool:
    """Whether the cluster's server process lives, by its own mark; costs no connection."""
    try:
        pid = int((cluster.data / "postmaster.pid").read_text().split("\n")[0])
    except (OSError, ValueError):
        return False
    return _lives(pid, cluster.data)


def stop(cluster: Cluster) -> None:
    """Stop the server of this cluster, waiting until it has written everything down."""
    _run([str(binaries() / "pg_ctl"), "-w", "-t", "60", "-m", "fast", "-D", str(cluster.data), "stop"])


def create_database(cluster: Cluster, name: str) -> None:
    """Create a database if it is not there."""
    asked = ["psql", "-h", "127.0.0.1", "-p", str(cluster.port), "-U", OWNER, "-d", "postgres", "-Atc"]
    there = subprocess.run(
        [*asked, f"select 1 from pg_database where datname='{name}'"], capture_output=True, text=True, check=True
    )
    if not there.stdout.strip():
        subprocess.run([*asked, f'create database "{name}"'], capture_output=True, check=True)


def data_folder(name: str) -> Path:
    """var/NAME in the clone, or where the postgres user cannot reach that, a folder of this clone's in /var/lib."""
    inside = VAR / name
    if os.geteuid() != 0 or _reachable(VAR.parent):
        return inside
    mark = hashlib.sha256(str(VAR).encode()).hexdigest()[:10]
    return Path("/var/lib/orvix") / f"{ROOT.name}-{mark}" / name


def _reachable(folder: Path) -> bool:
    command = ["runuser", "-u", "postgres", "--", "test", "-x", str(folder)]
    return subprocess.run(command, capture_output=True, check=False).returncode == 0


def _make(data: Path, durable: bool) -> None:
    data.parent.mkdir(parents=True, exist_ok=True)
    data.mkdir(exist_ok=True)
    data.chmod(0o700)
    _give_away(data)
    initdb = [str(binaries() / "initdb"), "-D", str(data), "-U", OWNER, "--auth=trust", "--encoding=UTF8"]
    _run([*initdb, "--locale=C.UTF-8", *([] if durable else ["--no-sync"])])
    (data / "orvix-port").write_text(f"{FIRST_PORT}\n")
    _give_away(data / "orvix-port")
    (data / "orvix-made").touch()


def _drop_half_made(data: Path) -> None:
    """A folder without our closing mark was left by a set-up that was cut off; nothing of a painter's is in it."""
    if data.exists() and not (data / "orvix-made").exists():
        shutil.rmtree(data)


def _drop_stale_pid(data: Path) -> None:
    """Remove postmaster.pid when its process is gone, a zombie, or no server of this folder."""
    pid_file = data / "postmaster.pid"
    if not pid_file.exists():
        return
    lines = pid_file.read_text().split("\n")
    pid = int(lines[0]) if lines[0].strip().isdigit() else 0
    if not _lives(pid, data):
        pid_file.unlink()


def _lives(pid: int, data: Path) -> bool:
    """Whether a process is the server of this folder, and no zombie."""
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
        command = Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return False
    return state != "Z" and b"postgres" in command and str(data).encode() in command


def _serves(data: Path, port: int) -> bool:
    """Whether the server that answers on the port serves this folder."""
    with socket.socket() as probe:
        probe.settimeout(1)
        if probe.connect_ex(("127.0.0.1", port)) != 0:
            return False
    asked = ["psql", "-h", "127.0.0.1", "-p", str(port), "-U", OWNER, "-d", "postgres", "-Atc", "show data_directory"]
    environment = {**os.environ, "PGCONNECT_TIMEOUT": "3"}
    told = subprocess.run(asked, capture_output=True, text=True, check=False, env=environment)
    return told.returncode == 0 and Path(told.stdout.strip()) == data


def _free_port(first: int) -> int:
    for port in [first, *range(FIRST_PORT, FIRST_PORT + PORTS)]:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise ClusterError(f"no free port from {FIRST_PORT} to {FIRST_PORT + PORTS - 1}")


def _give_away(path: Path) -> None:
    if os.geteuid() == 0:
        shutil.chown(path, "postgres", "postgres")


def _run(command: list[str]) -> None:
    """Run a server program as a user that it accepts, with the signals of the terminal kept from it."""
    if os.geteuid() == 0:
        try:
            pwd.getpwnam("postgres")
        except KeyError as error:
            raise ClusterError("there is no postgres user: apt-get install postgresql") from error
        command = ["runuser", "-u", "postgres", "--", *command]
    done = subprocess.run(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=False,
        cwd="/", start_new_session=True, preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_IGN),
    )  # fmt: skip
    if done.returncode:
        raise ClusterError(f"{' '.join(command[-6:])} failed: {done.stderr.strip()[-600:]}")


if __name__ == "__main__":
    try:
        found = ensure(*sys.argv[1:2])
    except ClusterError as error:
        sys.exit(str(error))
    print(found.data, found.port)
