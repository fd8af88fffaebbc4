"""The application on a state folder of its own, with the demo data, for pictures and measurements."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--force-device-scale-factor=1",
]  # fmt: skip


@contextmanager
def served() -> Iterator[str]:
    """Start a server with fresh demo data, give its address, and stop it."""
    (ROOT / "var").mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="served-", dir=ROOT / "var") as state:
        os.chmod(state, 0o755)
        environment = {**os.environ, "ORVIX_VAR": state, "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, str(ROOT / "ops" / "serve.py")]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment) as process:
            try:
                assert process.stdout is not None
                yield next(line for line in process.stdout if "Orvix: " in line).split()[1].rstrip("/")
            finally:
                process.terminate()
                process.wait(60)
