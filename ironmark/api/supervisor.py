"""What several server processes are started by, and their database is kept alive by: a program of its own, since one that has
read rows, or could, holds a fifth of a gigabyte for nothing."""

from __future__ import annotations

import json
import os
import signal
import socket
import sys
import threading
import time
import urllib.request
from pathlib import Path
from typing import Any

import uvicorn
from uvicorn.supervisors import Multiprocess

from ironmark.store.mariadb import MariaDB, MariaDBError

TOLD = "IRONMARK_SUPERVISOR"  # what it is to do; the environment is what no other account can read
DATABASE = "IRONMARK_DATABASE"
GRACE_S = 5  # how long an answer under way may take when the server is told to end
# A connection that nobody uses stays: one that is closed just as a proxy or a browser asks again is an error to whoever asks.
KEEP_ALIVE_S = 75
WAYS: dict[str, Any] = {
    "log_config": None, "timeout_graceful_shutdown": GRACE_S, "timeout_keep_alive": KEEP_ALIVE_S,
}  # fmt: skip


def become(held: socket.socket, workers: int, database: MariaDB | None, ready: str) -> None:
    """Go on as it, in the same process. held: what is bound to where it serves, see ``start_options.bound``; database: ours, which is stopped here and
    started there again; ready: what is said once it answers."""
    port = database.port if database else 0
    if database:
        database.stop()
    told = {
        "held": held.fileno(), "workers": workers, "directory": str(database.directory) if database else "", "port": port,
        "ready": ready,
    }  # fmt: skip
    os.environ[TOLD] = json.dumps(told)
    sys.stdout.flush()
    os.execv(sys.executable, [sys.executable, "-m", "ironmark.api.supervisor"])


def main() -> None:
    told = json.loads(os.environ.pop(TOLD))
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    held = socket.socket(fileno=told["held"])
    database = MariaDB(Path(told["directory"])) if told["directory"] else None
    try:
        if database:
            database.start(told["port"])
            database.watch()
            os.environ[DATABASE] = database.url.render_as_string(hide_password=False)
        _supervise(held, told["workers"], told["ready"])
    except MariaDBError as error:
        sys.exit(str(error))
    finally:
        held.close()
        if database:
            database.stop()


def _supervise(held: socket.socket, workers: int, ready: str) -> None:
    host, port = held.getsockname()
    config = uvicorn.Config("ironmark.api.start:process", factory=True, host=host, port=port, workers=workers, **WAYS)
    threading.Thread(target=_when_it_answers, args=(host, port, ready), daemon=True).start()
    supervisor = Multiprocess(config, sockets=[held])
    if signal.getsignal(signal.SIGHUP) != signal.SIG_IGN:  # the terminal ends: so does the server, and all of it
        signal.signal(signal.SIGHUP, lambda *_: os.kill(os.getpid(), signal.SIGTERM))
    supervisor.run()


def _when_it_answers(host: str, port: int, ready: str) -> None:
    address = "127.0.0.1" if host == "0.0.0.0" else host
    while True:
        try:
            urllib.request.urlopen(f"http://{address}:{port}/api/health", timeout=5).close()
        except OSError:
            time.sleep(0.1)
        else:
            print(ready, flush=True)
            return


if __name__ == "__main__":
    main()
