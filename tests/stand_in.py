"""The stand-ins that ship, started as anybody starts them."""

from __future__ import annotations

import subprocess
import sys
from typing import Any

import httpx

from ironmark.demo.loopback import end_with_us
from tests import world


class StandIn:
    """One of the stand-ins, started as anybody starts it."""

    def __init__(self, what: str, *options: str) -> None:
        self.port = world.free_port()
        self.process = subprocess.Popen(
            [sys.executable, "-m", "ironmark", "standin", what, "--port", str(self.port), *options],
            cwd=world.ROOT, stdout=subprocess.DEVNULL, preexec_fn=end_with_us,
        )  # fmt: skip
        self.client = httpx.Client(base_url=f"http://127.0.0.1:{self.port}", timeout=30)
        world.until(self._answers, bool)

    def _answers(self) -> bool:
        try:
            return self.client.get("/messages").is_success
        except httpx.HTTPError:
            return False

    def do(self, mode: str) -> None:
        self.client.post(f"/do/{mode}")

    def came(self) -> Any:
        return self.client.get("/messages").json()

    def close(self) -> None:
        self.process.terminate()
        self.process.wait(20)
        self.client.close()
