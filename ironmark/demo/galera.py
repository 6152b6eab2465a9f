"""A Galera cluster of MariaDB on loopback, for the tests and for anyone who wants to try one: ``scripts/galera``."""

from __future__ import annotations

import getpass
import os
import re
import secrets
import shutil
import signal
import subprocess
import tempfile
import time
from pathlib import Path
from typing import Annotated

import pymysql
import typer

from ironmark.demo.loopback import end, end_with_us, free_ports
from ironmark.store.mariadb import DATABASE, ROWS_DATABASE, MariaDB, program
from ironmark.tables.dialects import over_socket

_LIBRARY = Path("/usr/lib/galera/libgalera_smm.so")
USER = "ironmark"


class Galera:
    """So many nodes, all of them begun from one empty set of files, so that none has to be copied while another runs."""

    def __init__(self, directory: Path, many: int = 3) -> None:
        self.directory, self.password = directory, secrets.token_urlsafe(12)
        self.ports = [free_ports(3) for _ in range(many)]
        self.processes: list[subprocess.Popen[bytes] | None] = [None] * many

    @property
    def url(self) -> str:
        """All nodes, as ``--database-url`` takes them."""
        return self.url_from(0)

    def url_from(self, first: int) -> str:
        """The same, with another one asked first."""
        order = [(first + at) % len(self.ports) for at in range(len(self.ports))]
        hosts = ",".join(f"127.0.0.1:{self.ports[at][0]}" for at in order)
        return f"mysql://{USER}:{self.password}@{hosts}/{DATABASE}"

    def start(self) -> Galera:
        if not _LIBRARY.exists():
            raise FileNotFoundError("Galera is not installed; on Debian: apt-get install galera-4")
        single = MariaDB(self.directory / "first").start()  # makes the files, the accounts and the databases
        single.stop()
        programs = self.directory / "bin"
        programs.mkdir()
        (programs / "wsrep_sst_forward").write_text(_FORWARD)
        (programs / "wsrep_sst_forward").chmod(0o755)
        shutil.move(self.directory / "first" / "mariadb", self._data(0))
        self.start_one(0, first=True)
        with self.root(0) as connection, connection.cursor() as cursor:
            cursor.execute(f"CREATE OR REPLACE USER {USER}@'127.0.0.1' IDENTIFIED BY '{self.password}'")
            for database in (DATABASE, ROWS_DATABASE):
                cursor.execute(f"GRANT ALL ON {database}.* TO {USER}@'127.0.0.1'")
        # The others begin with its files, and with what happens from then on.
        self.stop_one(0)
        for at in range(1, len(self.ports)):
            shutil.copytree(self._data(0), self._data(at))
        for at in range(len(self.ports)):
            self.start_one(at, first=at == 0)
        return self

    def _base(self, at: int) -> Path:
        return self.directory / f"node{at + 1}"

    def _data(self, at: int) -> Path:
        return self._base(at) / "data"

    def start_one(self, at: int, *, first: bool = False) -> None:
        """Start a node and wait until it takes part. first: it begins a cluster instead of joining one."""
        port, group, transfer = self.ports[at]
        others = ",".join(f"127.0.0.1:{ports[1]}" for ports in self.ports)
        options = (
            f"gmcast.listen_addr=tcp://127.0.0.1:{group};ist.recv_addr=127.0.0.1:{transfer};gcache.size=256M;"
            "evs.suspect_timeout=PT2S;evs.inactive_timeout=PT4S;evs.keepalive_period=PT0.5S"
        )
        command = [
            program("mariadbd"), "--no-defaults", f"--datadir={self._data(at)}", f"--socket={self._base(at) / 'db.sock'}",
            f"--pid-file={self._base(at) / 'pid'}", "--bind-address=127.0.0.1", f"--port={port}", "--skip-name-resolve",
            "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--max-allowed-packet=64M",
            "--innodb-buffer-pool-size=128M", "--innodb-flush-log-at-trx-commit=1", "--binlog-format=ROW",
            "--innodb-autoinc-lock-mode=2", "--wsrep-on=ON", f"--wsrep-provider={_LIBRARY}",
            f"--wsrep-provider-options={options}", f"--wsrep-node-address=127.0.0.1:{group}",
            f"--wsrep-node-name=node{at + 1}", "--wsrep-sst-method=forward", *(["--user=root"] if os.geteuid() == 0 else []),
        ]  # fmt: skip
        if not first:
            command.append(f"--wsrep-start-position={self._recovered(command)}")
        command.append(f"--wsrep-cluster-address=gcomm://{'' if first else others}")
        with (self._base(at) / "log").open("ab") as log:
            self.processes[at] = subprocess.Popen(
                command,
                stdout=log,
                stderr=log,
                start_new_session=True,
                preexec_fn=end_with_us,
                env=os.environ | {"PATH": f"{self.directory / 'bin'}:{os.environ.get('PATH', '')}"},
            )
        until = time.monotonic() + 60
        while time.monotonic() < until:
            try:
                with self.root(at) as connection, connection.cursor() as cursor:
                    cursor.execute("SHOW STATUS LIKE 'wsrep_ready'")
                    if (cursor.fetchone() or ("", ""))[1] == "ON":
                        return
            except (OSError, pymysql.MySQLError):
                pass
            time.sleep(0.1)
        tail = "\n".join((self._base(at) / "log").read_text(errors="replace").splitlines()[-8:])
        raise TimeoutError(f"Node {at + 1} did not join:\n{tail}")

    def _recovered(self, command: list[str]) -> str:
        """Up to where a node has all changes, also after it was killed."""
        told = subprocess.run([*command, "--wsrep-recover"], capture_output=True, text=True, timeout=60)
        found = re.findall(r"Recovered position: (\S+)", told.stdout + told.stderr)
        return found[-1] if found else ""

    def root(self, at: int) -> pymysql.connections.Connection:
        return over_socket(str(self._base(at) / "db.sock"), user=getpass.getuser(), connect_timeout=5)

    def kill_one(self, at: int) -> None:
        process = self.processes[at]
        if process is not None:
            process.kill()
            process.wait()
        self.processes[at] = None

    def stop_one(self, at: int) -> None:
        end(self.processes[at])
        self.processes[at] = None

    def stop(self) -> None:
        for at in reversed(range(len(self.processes))):
            self.stop_one(at)


# How a node that comes back is brought up to date: by the changes it has missed, which the others hold for a while. What
# is asked of this program is only to pass on from where these go; a node that has missed more has to be made anew.
_FORWARD = """#!/bin/sh
while [ $# -gt 0 ]; do
  case "$1" in
    --role) role=$2; shift ;;
    --address) address=$2; shift ;;
    --datadir) data=$2; shift ;;
    --gtid) gtid=$2; shift ;;
    --bypass) bypass=1 ;;
  esac
  shift
done
if [ "$role" = joiner ]; then
  rm -f "$data/forward"
  echo "ready 127.0.0.1:1/$data"
  for _ in $(seq 600); do
    if [ -s "$data/forward" ]; then cat "$data/forward"; exit 0; fi
    sleep 0.1
  done
  exit 32
fi
[ -n "$bypass" ] || { echo "it has missed too much" >&2; exit 22; }
there=${address#*/}
echo "$gtid" > "$there/forward.new" && mv "$there/forward.new" "$there/forward"
echo "done $gtid"
"""


def main(
    directory: Annotated[Path | None, typer.Option(help="Where they are kept; a new directory unless named.")] = None,
) -> None:
    """Start three nodes on this machine, and keep them until Ctrl-C."""
    galera = Galera(directory or Path(tempfile.mkdtemp(prefix="ironmark-galera-")))
    try:
        galera.start()
        print(
            f"Three nodes run in {galera.directory}. Start Iron Mark with\n  ./run --database-url '{galera.url}'\nCtrl-C ends them."
        )
        signal.sigwait({signal.SIGINT, signal.SIGTERM})
    finally:
        galera.stop()


if __name__ == "__main__":
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT, signal.SIGTERM})
    typer.run(main)
