"""Where an address may lead."""

from __future__ import annotations

import http.server
import socket
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from ironmark.tables.connections import LiveProblem, Wrong
from ironmark.tables.fetching import fetched


class LookedUp(unittest.TestCase):
    def test_a_name_that_leads_to_no_server_is_refused_before_anything_is_sent(self) -> None:
        got: list[bytes] = []

        class Answer(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                got.append(self.headers.get("Authorization", "").encode())
                self.send_response(200)
                self.end_headers()
                self.wfile.write(b"mlin,vrece\nGornji,4\n")

            def log_message(self, *_: object) -> None:
                pass

        server = http.server.HTTPServer(("127.0.0.1", 0), Answer)
        thread = threading.Thread(target=server.serve_forever)
        thread.start()
        self.addCleanup(thread.join)
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        port, leads_to = server.server_port, "127.0.0.1"
        found = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", ("127.0.0.1", port))]
        with (
            tempfile.TemporaryDirectory() as place,
            mock.patch("socket.getaddrinfo", lambda *_, **__: found),
            mock.patch.object(socket.socket, "getpeername", lambda _: (leads_to, port)),
        ):
            into = Path(place) / "mlin.csv"
            url = f"http://mlin.example:{port}/mlin.csv"
            self.assertEqual(fetched(url, "tajna", ["mlin.example"], into), "mlin.csv")
            self.assertEqual(into.read_bytes(), b"mlin,vrece\nGornji,4\n")
            for leads_to in ("169.254.169.254", "224.0.0.1", "0.0.0.0", "::ffff:169.254.1.1", "fe80::1%eth0"):
                with self.subTest(leads_to), self.assertRaisesRegex(Wrong, "no address of a server"):
                    fetched(url, "tajna", ["mlin.example"], into)
        self.assertEqual(got, [b"Bearer tajna"])

    def test_a_name_that_leads_nowhere_is_told(self) -> None:
        with tempfile.TemporaryDirectory() as place, self.assertRaisesRegex(LiveProblem, "does not answer"):
            fetched("http://nowhere.invalid/a.csv", "", ["nowhere.invalid"], Path(place) / "a")
