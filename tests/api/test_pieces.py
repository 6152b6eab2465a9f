"""Large files: sent in pieces, stopped and gone on with, read as they are whole."""

import secrets
import time
import unittest
from typing import Any

from tests import world

PIECE = 8 * 1024 * 1024


class Pieces(unittest.TestCase):
    def setUp(self) -> None:
        self.client: Any = world.running().client
        self.key = f"p{secrets.token_hex(4)}"
        self.addCleanup(self.client.delete, f"/api/uploads/{self.key}/pieces")
        line = "2026-01-{:02d},Route {:02d},{:.2f}," + "x" * 60 + "\n"
        rows = "".join(line.format(n % 28 + 1, n % 9, n / 7) for n in range(110_000))
        self.body = ("day,route,fare,note\n" + rows).encode()
        self.assertGreater(len(self.body), PIECE)

    def put(self, place: int, body: bytes | None = None) -> Any:
        body = self.body[place * PIECE : (place + 1) * PIECE] if body is None else body
        return self.client.put(f"/api/uploads/{self.key}/pieces/{place}", content=body)

    def whole(self, size: int | None = None) -> Any:
        query = {"size": size or len(self.body), "file_name": "C:\\rows\\large.csv"}
        return self.client.post(f"/api/uploads/{self.key}/pieces", params=query)

    def test_a_file_that_was_stopped_goes_on_where_it_was(self) -> None:
        self.assertEqual(self.put(1).json(), {"pieces": 0, "size": 0}, "the first is missing")
        early = self.whole()
        self.assertEqual((early.status_code, early.json()["type"]), (409, "pieces-missing"))
        self.put(0, b"not what it is")
        self.put(0)  # sent again, it takes its own place
        self.assertEqual(
            self.client.get(f"/api/uploads/{self.key}/pieces").json(), {"pieces": 2, "size": len(self.body)}
        )
        begun = self.whole()
        self.assertEqual(begun.status_code, 202, begun.text)
        for _ in range(300):
            found = self.client.get(f"/api/uploads/{begun.json()['id']}").json()
            if found["state"] != "running":
                break
            time.sleep(0.1)
        self.assertEqual(found["state"], "done", found)
        made = self.client.get(f"/api/datasets/{found['dataset']}")
        self.addCleanup(
            self.client.delete, f"/api/datasets/{found['dataset']}", headers={"If-Match": made.headers["etag"]}
        )
        self.assertEqual(
            (made.json()["row_count"], made.json()["file_name"], made.json()["name"]), (110_000, "large.csv", "Large")
        )
        self.assertEqual(self.client.get(f"/api/uploads/{self.key}/pieces").json()["pieces"], 0, "they are given up")

    def test_what_does_not_fit_is_refused(self) -> None:
        self.assertEqual(self.put(0, b"").status_code, 413)
        self.assertEqual(self.put(0, b"x" * (PIECE + 1)).status_code, 413)
        self.assertEqual(self.put(256, b"x").status_code, 422)
        self.assertEqual(self.whole(256 * PIECE + 1).status_code, 422)


if __name__ == "__main__":
    unittest.main()
