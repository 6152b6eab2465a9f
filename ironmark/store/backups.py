"""Backup and restore of the whole database, with MariaDB's own tools."""

from __future__ import annotations

import gzip
import os
import shutil
import subprocess
import tempfile
from pathlib import Path
from typing import Any

from sqlalchemy import URL, create_engine
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from ironmark.store import leases

HOW = "Install the Debian package mariadb-client, or use scripts/backup and scripts/restore, which do."
_HEAD = b"-- ironmark backup"


class ToolFailed(Exception):
    """A tool is missing, or said that it failed."""


def backup(url: URL, file: Path) -> None:
    """The tables and rows as of one moment, compressed. What stands in ``file`` is replaced only once it is whole."""
    command = [
        _tool("mariadb-dump"), _secrets(), *_place(url), "--single-transaction", "--quick", "--hex-blob",
        "--default-character-set=utf8mb4", "--add-drop-table", "--ignore-table-data=" + f"{url.database}.exports",
        str(url.database),
    ]  # fmt: skip
    if not file.parent.is_dir():
        raise ToolFailed(f"There is no folder {file.parent}. Make it, or name another one; nothing was written.")
    part = file.with_name(file.name + ".part")
    try:
        part.unlink(missing_ok=True)
        # It holds everything, secrets too: only its owner may read it.
        place = os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
        with os.fdopen(place, "wb") as raw, gzip.open(raw, "wb", compresslevel=5) as out:
            out.write(_HEAD + b"\n")
            _run(command, url, out=out)
        os.replace(part, file)
    except OSError as error:
        raise ToolFailed(f"{file} cannot be written ({error.strerror or error}).") from None
    finally:
        part.unlink(missing_ok=True)


def restore(url: URL, file: Path) -> None:
    """Put a backup in place of every table there is. Raises ToolFailed, with nothing changed for what is no backup, and
    while a server works on the database."""
    _insist_alone(url)
    try:
        with gzip.open(file, "rb") as found:
            if found.readline().strip() != _HEAD:
                raise ToolFailed(f"{file} is no backup of this product.")
            while found.read(1 << 20):  # to its end: a damaged one changes nothing
                pass
    except (OSError, EOFError) as error:
        raise ToolFailed(f"{file} cannot be read to its end ({error}); nothing was changed.") from None
    command = [_tool("mariadb"), _secrets(), *_place(url), "--default-character-set=utf8mb4", str(url.database)]
    with gzip.open(file, "rb") as found:
        found.readline()
        _run(command, url, source=found)


def _insist_alone(url: URL) -> None:
    engine = create_engine(url)
    try:
        with Session(engine) as session:
            if leases.anyone(session):
                raise ToolFailed(
                    "A server works on this database, or was killed less than half a minute ago. Stop it with Ctrl-C and try "
                    "again; nothing was changed."
                )
    except DBAPIError:
        pass  # there are no tables yet
    finally:
        engine.dispose()


def _tool(name: str) -> str:
    found = shutil.which(name, path=os.environ.get("PATH", "") + ":/usr/bin:/usr/sbin")
    if found is None:
        raise ToolFailed(f"There is no {name} on this machine. {HOW}")
    return found


def _secrets() -> str:
    return "--defaults-extra-file={secrets}"


def _place(url: URL) -> list[str]:
    query = {name: str(value) for name, value in url.query.items()}
    socket = query.get("unix_socket")
    return [f"--socket={socket}"] if socket else [f"--host={url.host}", f"--port={url.port or 3306}", "--protocol=tcp"]


def _run(command: list[str], url: URL, out: Any = None, source: Any = None) -> None:
    """The password goes by a file that only we can read, never on the command line."""
    with tempfile.NamedTemporaryFile("w", prefix="ironmark-", suffix=".cnf") as secrets:
        password = str(url.password or "").replace("\\", "\\\\").replace('"', '\\"')
        secrets.write(f'[client]\nuser={url.username}\npassword="{password}"\n')
        secrets.flush()
        told = [part.replace("{secrets}", secrets.name) for part in command]
        with tempfile.TemporaryFile() as said:
            process = subprocess.Popen(
                told, stdin=subprocess.PIPE if source else subprocess.DEVNULL, stdout=subprocess.PIPE if out else said, stderr=said
            )  # fmt: skip
            try:
                if out is not None and process.stdout is not None:
                    shutil.copyfileobj(process.stdout, out, 1 << 20)
                if source is not None and process.stdin is not None:
                    shutil.copyfileobj(source, process.stdin, 1 << 20)
                    process.stdin.close()
            except BrokenPipeError:
                pass  # what it says tells why
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe is not None:
                    pipe.close()
            said.seek(0)
            if process.returncode:
                raise ToolFailed(said.read().decode(errors="replace").strip()[-500:] or "MariaDB\u2019s tool failed.")
