"""The program: ``python -m ironmark serve|demo|import FILE|migrate``."""

from __future__ import annotations

import json
import logging
import os
import shutil
import signal
import socket
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import structlog
import typer
import uvicorn
from sqlalchemy import Engine, create_engine

from ironmark.api.app import create_app
from ironmark.demo import load
from ironmark.store import database, datasets, scratch
from ironmark.store.mariadb import MariaDB, MariaDBError
from ironmark.tables.formats import read_file
from ironmark.tables.reader import Unreadable

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
HOME = Path(__file__).parents[1] / "data"
DATA_DIR = typer.Option(HOME, "--data-dir", help="Where the database keeps its files.", show_default="data")


def _fail(message: str) -> typer.Exit:
    typer.echo(message, err=True)
    return typer.Exit(1)


def _log_as_json(path: Path) -> None:
    """Structured logs go to a file: the terminal shows the address and what went wrong at the start."""
    stream = path.open("a", encoding="utf-8", buffering=1)
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(ensure_ascii=False),
        ],
        logger_factory=structlog.WriteLoggerFactory(stream),
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
    )


@contextmanager
def _database(directory: Path) -> Iterator[Engine]:
    """The migrated database, started here unless a running server has it already."""
    mariadb = MariaDB(directory)
    try:
        if not mariadb.join():
            mariadb.start()
        database.migrate(mariadb.url)
        engine = database.connect(mariadb.url)
        yield engine
        engine.dispose()
    except MariaDBError as error:
        raise _fail(str(error)) from None
    finally:
        mariadb.stop()


class _Server(uvicorn.Server):
    """Says where it is once it answers."""

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            typer.echo(f"Iron Mark is ready: http://{self.config.host}:{self.config.port}/   (Ctrl-C stops it)")


@app.command()
def serve(
    port: int = typer.Option(8470, help="The port to listen on.", min=1, max=65535),
    host: str = typer.Option(
        "127.0.0.1", help="The address to listen on; others than loopback open it to the network."
    ),
    data_dir: Path = DATA_DIR,
    fresh: bool = typer.Option(False, help="Delete everything in the data directory first."),
    demo: bool = typer.Option(True, "--demo/--no-demo", help="Load the demo into an empty database."),
) -> None:
    """Start the database and the server, and stop both with Ctrl-C."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise _fail(
                f"Port {port} on {host} cannot be used ({error.strerror}). "
                f"Stop the program that has it, or choose another: ./run --port {port + 1 if port < 65535 else 8470}"
            ) from None
    _stop_in_order()
    scratch.sweep()
    mariadb = MariaDB(data_dir)
    try:
        if fresh:
            _clear(mariadb)
        mariadb.start()
        mariadb.watch()
        _log_as_json(data_dir / "server.log")
        database.migrate(mariadb.url)
        engine = database.connect(mariadb.url)
        if demo and load.load_if_empty(engine):
            typer.echo("The demo of Hollin Sound Ferries was loaded.")
        config = uvicorn.Config(
            create_app(engine, hosts=frozenset({host} if host != "0.0.0.0" else {"*"})),
            host=host,
            port=port,
            log_config=None,
            timeout_graceful_shutdown=5,
        )
        _Server(config).run()
        engine.dispose()
    except MariaDBError as error:
        raise _fail(str(error)) from None
    finally:
        mariadb.stop()


def _stop_in_order() -> None:
    """Have the database stopped too when the server is told to end, or the terminal it was started from ends."""

    def end(*_: object) -> None:
        raise SystemExit(0)

    def told(*_: object) -> None:
        os.kill(os.getpid(), signal.SIGTERM)  # the server then ends as it does for any who asks

    signal.signal(signal.SIGTERM, end)
    if signal.getsignal(signal.SIGHUP) != signal.SIG_IGN:  # not where it was started to outlive the terminal
        signal.signal(signal.SIGHUP, told)


def _clear(mariadb: MariaDB) -> None:
    """Empty the data directory, and refuse one that holds anything but ours."""
    directory = mariadb.directory
    if not directory.exists():
        return
    ours = {
        "mariadb", "mariadb.log", "mariadb.pid", "mariadb.port", "mariadb.secret", "mariadb.sock", "ironmark.lock",
        "server.log", scratch.OWNER,
    }  # fmt: skip
    others = sorted(path.name for path in directory.iterdir() if path.name not in ours)
    if others:
        raise _fail(f"--fresh would delete {directory}, but it also holds “{others[0]}”. Choose another --data-dir.")
    mariadb.claim()
    for name in ours - {"ironmark.lock", scratch.OWNER}:
        path = directory / name
        shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)


@app.command()
def demo(data_dir: Path = DATA_DIR) -> None:
    """Load the demo, unless there is something already."""
    with _database(data_dir) as engine:
        loaded = load.load_if_empty(engine)
    typer.echo("The demo was loaded." if loaded else "There is data already; the demo was left out.")


@app.command("import")
def import_file(file: Path, data_dir: Path = DATA_DIR) -> None:
    """Read a file (CSV, XLSX, ODS, JSON records, Parquet) as a new dataset."""
    try:
        table = read_file(file.read_bytes())
    except OSError as error:
        raise _fail(f"{file} cannot be opened: {error.strerror}.") from None
    except Unreadable as error:
        raise _fail(f"{file}: {error}") from None
    with _database(data_dir) as engine, database.sessions(engine).begin() as session:
        kept = datasets.create(session, file.stem.replace("_", " ").capitalize()[:120] or "Table", file.name, table)
    typer.echo(f"{kept.row_count:,} rows were read as dataset {kept.id}.")
    for problem in kept.problems:
        typer.echo(f"  {problem.column + ': ' if problem.column else ''}{problem.message}")


@app.command()
def migrate(data_dir: Path = DATA_DIR) -> None:
    """Bring the database's tables to this version."""
    with _database(data_dir):
        typer.echo("The database is up to date.")


@app.command(hidden=True)
def openapi() -> None:
    """Print the API's description, from which the front end's types are made."""
    typer.echo(json.dumps(create_app(create_engine("mysql+pymysql://")).openapi(), indent=1))


if __name__ == "__main__":
    sys.exit(app())
