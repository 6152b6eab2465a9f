"""Starting, stopping, crashing and starting again."""

import shutil
import socket
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests import world


def run(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "ironmark", *arguments], cwd=world.ROOT, capture_output=True, text=True, timeout=60
    )


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
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            said = run(
                "serve", "--port", str(taken.getsockname()[1]), "--data-dir", tempfile.gettempdir() + "/never-made"
            )
        self.assertEqual(said.returncode, 1)
        self.assertIn("choose another", said.stderr)

    def test_fresh_does_not_empty_a_directory_with_other_things(self) -> None:
        directory = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, directory)
        (directory / "thesis.txt").write_text("mine")
        said = run("serve", "--fresh", "--port", str(world.free_port()), "--data-dir", str(directory))
        self.assertEqual(said.returncode, 1)
        self.assertIn("thesis.txt", said.stderr)
        self.assertTrue((directory / "thesis.txt").exists())


class Program(unittest.TestCase):
    def test_a_file_is_imported_beside_the_running_server(self) -> None:
        directory = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, directory)
        path = directory / "tickets_sold.csv"
        path.write_text("day;sold\n2026-01-02;3,5\n")
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
