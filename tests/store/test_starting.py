"""Starting, stopping, crashing and starting again."""

import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError

from ironmark.store import database, scratch
from ironmark.store.mariadb import MariaDB
from tests import world


def run(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "ironmark", *arguments], cwd=world.ROOT, capture_output=True, text=True, timeout=180
    )


class Help(unittest.TestCase):
    def test_it_is_told_before_anything_is_installed(self) -> None:
        with tempfile.TemporaryDirectory() as bare:  # a checkout of which nothing was installed yet
            shutil.copy(world.ROOT / "run", bare)
            shutil.copytree(world.ROOT / "scripts", Path(bare) / "scripts")
            told = subprocess.run([Path(bare) / "run", "--help"], capture_output=True, text=True, timeout=120)
            self.assertEqual((told.returncode, told.stderr), (0, ""))
            self.assertEqual(sorted(path.name for path in Path(bare).iterdir()), ["run", "scripts"])
        for option in re.findall(r"--[a-z-]+", run("serve", "--help").stdout):
            if option not in ("--no-fresh",):
                self.assertIn(option, told.stdout)


class Life(unittest.TestCase):
    def test_everything_is_as_it_was_after_a_stop_a_crash_and_a_fresh_start(self) -> None:
        server = world.Running("--no-demo").start()
        self.addCleanup(server.close)
        self.assertEqual(server.client.get("/api/scorecards").json(), [])
        body = {"title": "Kept", "sections": []}
        kept = server.client.post("/api/scorecards", json=body).json()
        database = server.database_pid

        said = server.stop()
        self.assertIn(server.address, said)
        self.assertFalse(world.alive(database), "Ctrl-C stops the database too")

        server.start()
        found = server.client.get(f"/api/scorecards/{kept['id']}")
        self.assertEqual(found.json(), kept)

        # A crash leaves MariaDB behind; the next start takes its data over.
        database = server.database_pid
        server.kill()
        self.assertTrue(world.alive(database))
        server.start()
        self.assertFalse(world.alive(database))
        self.assertEqual(server.client.get(f"/api/scorecards/{kept['id']}").json(), kept)

        second = run("serve", "--port", str(world.free_port()), "--data-dir", str(server.directory))
        self.assertEqual(second.returncode, 1)
        self.assertIn("already runs", second.stderr)
        self.assertEqual(server.client.get("/api/health").status_code, 200)

        server.stop()
        server.options = ("--no-demo", "--fresh")
        server.start()
        self.assertEqual(server.client.get("/api/scorecards").json(), [])

    def test_a_port_in_use_is_a_clear_message(self) -> None:
        never = world.temporary("x", "").parent / "never-made"
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            said = run("serve", "--port", str(taken.getsockname()[1]), "--data-dir", str(never))
        self.assertEqual(said.returncode, 1)
        self.assertIn("choose another", said.stderr)

    def test_fresh_does_not_empty_a_directory_with_other_things(self) -> None:
        directory = world.temporary("thesis.txt", "mine").parent
        said = run("serve", "--fresh", "--port", str(world.free_port()), "--data-dir", str(directory))
        self.assertEqual(said.returncode, 1)
        self.assertIn("thesis.txt", said.stderr)
        self.assertTrue((directory / "thesis.txt").exists())


class Endings(unittest.TestCase):
    def test_told_to_end_or_left_by_its_terminal_it_stops_the_database_and_leaves_nothing(self) -> None:
        for how in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
            with self.subTest(how):
                # A path too long for a socket has that kept elsewhere.
                deep = scratch.make("test") / ("d" * 100)
                deep.mkdir()
                server = world.Running("--no-demo", directory=deep).start()
                self.addCleanup(server.client.close)
                self.addCleanup(shutil.rmtree, deep.parent, True)
                sockets = self.of(server)
                self.assertEqual(len(sockets), 1)
                database = server.database_pid
                assert server.process is not None
                server.process.send_signal(how)
                server.process.communicate(timeout=180)
                self.assertFalse(world.alive(database))
                self.assertEqual(self.of(server), [])

    def of(self, server: world.Running) -> list[Path]:
        """The directories that a server has made in the temporary folder."""
        assert server.process is not None
        mine = f"{server.process.pid} "
        every = Path(tempfile.gettempdir()).glob(f"{scratch.PREFIX}*/{scratch.OWNER}")
        return [path.parent for path in every if path.read_text().startswith(mine)]

    def test_tests_that_are_killed_leave_neither_server_nor_database(self) -> None:
        code = "from tests import world; s = world.running(); print(s.database_pid, s.directory, flush=True); input()"
        tests = subprocess.Popen(
            [sys.executable, "-c", code], cwd=world.ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        assert tests.stdout is not None and tests.stdin is not None
        database, directory = tests.stdout.readline().split()
        self.assertTrue(world.alive(int(database)))
        tests.kill()
        tests.wait()
        tests.stdin.close()
        tests.stdout.close()
        until = time.monotonic() + 60
        while world.alive(int(database)) and time.monotonic() < until:
            time.sleep(0.1)
        self.assertFalse(world.alive(int(database)))
        # What they had in the temporary folder is found by the next start.
        self.assertIn(Path(directory), scratch.sweep())
        self.assertFalse(Path(directory).exists())

    def test_a_database_whose_port_was_taken_meanwhile_comes_back(self) -> None:
        directory = scratch.make("test")
        self.addCleanup(shutil.rmtree, directory, ignore_errors=True)
        with MariaDB(directory) as mariadb, socket.socket() as other:
            engine, before = database.connect(mariadb.url), mariadb.port
            self.addCleanup(engine.dispose)
            self.assertTrue(database.alive(engine))
            assert mariadb.process is not None
            mariadb.process.kill()
            mariadb.process.wait()
            with self.assertRaises(OperationalError):
                database.alive(engine)
            other.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            other.bind(("127.0.0.1", before))
            other.listen()
            mariadb.watch()
            self.assertTrue(world.until(lambda: self.answers(engine), bool))
            self.assertNotEqual(mariadb.port, before)

    def answers(self, engine: Engine) -> bool:
        try:
            return database.alive(engine)
        except OperationalError:
            return False

    def test_a_directory_that_is_being_made_is_left_alone(self) -> None:
        mine = scratch.make("test")
        self.addCleanup(shutil.rmtree, mine)
        (mine / scratch.OWNER).write_text("")
        self.assertNotIn(mine, scratch.sweep())

    def test_a_directory_whose_owner_works_is_left_alone(self) -> None:
        mine = scratch.make("test")
        self.addCleanup(shutil.rmtree, mine)
        self.assertNotIn(mine, scratch.sweep())
        self.assertTrue(mine.exists())


class Program(unittest.TestCase):
    def test_a_file_is_imported_beside_the_running_server(self) -> None:
        path = world.temporary("tickets_sold.csv", "day;sold\n2026-01-02;3,5\n")
        server = world.running()
        said = run("import", str(path), "--data-dir", str(server.directory))
        self.assertEqual(said.returncode, 0, said.stderr)
        self.assertIn("1 rows were read", said.stdout)
        found = next(d for d in server.client.get("/api/datasets").json() if d["name"] == "Tickets sold")
        server.client.delete(f"/api/datasets/{found['id']}", headers={"If-Match": '"1"'}).raise_for_status()

    def test_a_file_that_is_none_is_refused_in_words(self) -> None:
        said = run("import", "/no/such/file.csv", "--data-dir", "/tmp/never-made")
        self.assertEqual(said.returncode, 1)
        self.assertIn("cannot be opened", said.stderr)

    def test_demo_leaves_what_is_there_alone(self) -> None:
        said = run("demo", "--data-dir", str(world.running().directory))
        self.assertIn("left out", said.stdout)

    def test_migrate_says_that_it_is_done(self) -> None:
        said = run("migrate", "--data-dir", str(world.running().directory))
        self.assertIn("up to date", said.stdout)
