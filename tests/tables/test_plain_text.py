"""Long lists as other programs leave them: in other letters, packed, with line ends of their own."""

import gzip
import io
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from ironmark.pages.datasets.intake import LongFile, Reading
from ironmark.tables import plain_text
from ironmark.tables.files import ReadFile, read_table
from ironmark.tables.table import Unreadable

CIDER = "Eguna;Sagardotegia;Litro;Kexa\n" + "".join(
    f"{1 + n % 28:02d}.0{1 + n % 9}.2026;{('Dolarea', 'Ñabarra 5 €', 'Öko <script>')[n % 3]};{n % 97},{n % 10}5;{('ez', 'bai')[n % 40 == 0]}\n"
    for n in range(2500)
)
ROOM = 20_000 * 16  # beyond which texts of this size are read by parts


def zipped(*files: tuple[str, bytes]) -> bytes:
    body = io.BytesIO()
    with zipfile.ZipFile(body, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, held in files:
            packed.writestr(name, held)
    return body.getvalue()


class PlainText(unittest.TestCase):
    def read(self, body: bytes, room: int = ROOM) -> ReadFile | LongFile:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path, pieces = Path(folder.name) / "sagardoa", Path(folder.name) / "pieces"
        path.write_bytes(body)
        pieces.mkdir()
        return Reading().of_file(path, "sagardoa.csv", pieces, room)

    def test_the_same_rows_however_they_are_written_down(self) -> None:
        plain = read_table(CIDER.encode()).table
        self.assertEqual([c.role for c in plain.columns], ["period", "segment", "measure", "segment"])
        for what, body in {
            "utf-8": CIDER.encode(),
            "with a mark": CIDER.encode("utf-8-sig"),
            "western": CIDER.encode("cp1252"),
            "western with a euro": CIDER.encode("iso8859-15"),
            "of two bytes": CIDER.encode("utf-16"),
            "carriage returns alone": CIDER.replace("\n", "\r").encode(),
            "packed": gzip.compress(CIDER.encode("cp1252")),
            "an archive": zipped(("__MACOSX/._sagardoa.csv", b"x"), ("urtea/sagardoa.csv", CIDER.encode())),
            "packed twice": gzip.compress(zipped(("sagardoa.csv", CIDER.encode("utf-16")))),
        }.items():
            for room in (ROOM, ROOM * 1000):
                with self.subTest(what, room=room):
                    read = self.read(body, room)
                    self.assertEqual(isinstance(read, LongFile), room == ROOM)
                    self.assertEqual(read.table.columns, plain.columns)
                    rows = read.table.rows
                    self.assertTrue(rows.select(list(rows.columns)).equals(plain.frame))
                    said = "".join(p.message for p in read.table.problems)
                    called = {"western": "Windows-1252", "packed": "Windows-1252", "western with a euro": "ISO 8859-15"}
                    self.assertEqual("was read as" in said, what in called, said)
                    self.assertIn(called.get(what, ""), said)

    def test_letters_far_down_tell_that_it_is_not_utf8(self) -> None:
        body = CIDER.replace("Ñ", "N").replace("Ö", "O").replace(
            "€", "E"
        ).encode() + "11.12.2026;Ñabarra;7,25;ez\n".encode("cp1252")
        with mock.patch.object(plain_text, "_HEAD", 500), mock.patch.object(plain_text, "_AT_A_TIME", 777):
            rows = self.read(body).table.rows
        self.assertEqual(rows.select(["sagardotegia"])["sagardotegia"][-1], "Ñabarra")

    def test_what_cannot_be_unpacked_says_why(self) -> None:
        packed = gzip.compress(CIDER.encode())
        for body, said in (
            (packed[:-40], "damaged"),
            (packed[:200] + b"\0" * 200, "damaged"),
            (zipped(("a.csv", b"x"), ("b.csv", b"y")), "several files: a.csv, b.csv"),
        ):
            with self.subTest(said), self.assertRaisesRegex(Unreadable, said):
                self.read(body)
        with (
            mock.patch.object(plain_text.shutil, "disk_usage", return_value=mock.Mock(free=1 << 29)),
            self.assertRaisesRegex(Unreadable, "too little room on the disk"),
        ):
            self.read(packed)
        with (
            mock.patch.object(plain_text, "MAX_UNPACKED", 1000),
            self.assertRaisesRegex(Unreadable, "100 times its size"),
        ):
            self.read(gzip.compress(b"a;b\n1;2\n" * 50_000))
        with self.assertRaisesRegex(Unreadable, "binary"):
            self.read(gzip.compress(gzip.compress(packed)))
