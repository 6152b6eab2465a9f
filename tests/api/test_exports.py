"""What leaves: an edition of each demo scorecard in every form, and the same figures read back from each."""

import csv
import io
import json
import os
import re
import signal
import struct
import tempfile
import time
import unittest
import zipfile
from functools import lru_cache
from pathlib import Path
from typing import Any
from unittest import mock

import jsonschema
import openpyxl
import pikepdf
import pypdf
import resvg_py
from pptx import Presentation

from ironmark.api.access import Reader
from ironmark.api.answers import export
from ironmark.api.answers.edition import export_page_of
from ironmark.demo.scorecards import SCORECARDS
from ironmark.pages.authoring.images import harmless
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.publish.exporting import Options
from ironmark.store import scratch
from tests import world

CARDS = tuple(SCORECARDS)
NOTE = "=In fog, <script>alert(1)</script> & ΑΒΓ"


@lru_cache(maxsize=8)
def edition(card: str) -> str:
    """A published edition of a demo scorecard's October."""
    client = world.running().client
    made = client.post("/api/editions", json={"scorecard": card, "scope": {"period": "2026-10"}, "note": NOTE})
    assert made.status_code == 201, made.text
    key = str(made.json()["id"])
    assert client.post(f"/api/editions/{key}/publish").status_code == 200
    return key


@lru_cache(maxsize=64)
def taken(card: str, kind: str, **_: Any) -> bytes:
    return take(edition(card), kind)


def take(key: str, kind: str, **options: Any) -> bytes:
    answer = world.running().client.get(f"/api/editions/{key}/export/{kind}", params=options, timeout=120)
    assert answer.status_code == 200, answer.text[:500]
    return answer.content


def plain(text: str) -> str:
    return re.sub(r"\s+", "", text)


def told_by(node: Any) -> list[str]:
    """The alternative texts of a tagged PDF."""
    node = node.get_object() if hasattr(node, "get_object") else node
    if isinstance(node, list):
        return [text for one in node for text in told_by(one)]
    if not isinstance(node, dict):
        return []
    return ([str(node["/Alt"])] if "/Alt" in node else []) + told_by(node.get("/K"))


class TheSameFigures(unittest.TestCase):
    """Values, marks and states of each reading, read back from each form."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def rows(self, card: str) -> list[dict[str, Any]]:
        """The readings as the edition itself says them."""
        page = self.client.get(f"/api/editions/{edition(card)}?data=true").json()
        names = {state["key"]: state["name"] for state in page["states"]}
        found = []
        sheets = {sheet["id"]: sheet for sheet in page["sheets"]}
        for key in (key for section in page["sections"] for key in section["sheets"]):
            for r in sheets[key]["readings"]:
                mark = r["marks"][0]["value"] if r["marks"] else None
                found.append({"instrument": sheets[key]["title"], "label": r["label"], "value": r["value"], "mark": mark, "state": names.get(r["state"], "")})  # fmt: skip
        self.assertGreater(len(found), 15)
        return found

    def drawn(self, card: str) -> list[dict[str, Any]]:
        return [
            {"title": one["title"], **reading}
            for one in self.client.get(f"/api/editions/{edition(card)}").json()["picture"]["instruments"]
            for reading in one["readings"]
        ]

    def hold(self, card: str, form: str, found: list[tuple[Any, Any, str]]) -> None:
        expected = [(row["value"], row["mark"], row["state"]) for row in self.rows(card)]
        self.assertEqual(len(found), len(expected), form)
        for (value, mark, state), (a, b, c) in zip(found, expected, strict=True):
            with self.subTest(card=card, form=form):
                self.assertEqual((value is None, mark is None, state), (a is None, b is None, c))
                self.assertAlmostEqual(value or 0, a or 0, 9)
                self.assertAlmostEqual(mark or 0, b or 0, 9)

    def test_csv(self) -> None:
        for card in CARDS:
            with zipfile.ZipFile(io.BytesIO(taken(card, "csv"))) as packed:
                rows = list(csv.DictReader(io.StringIO(packed.read("readings.csv").decode("utf-8-sig"))))
                words = dict(csv.reader(io.StringIO(packed.read("dictionary.csv").decode("utf-8-sig"))))
                about = packed.read("about.csv").decode("utf-8-sig")
            self.assertEqual(set(rows[0]), set(words) - {"column"})
            self.assertIn("'=In fog", about)
            number = [float(text) if text else None for row in rows for text in (row["value"], row["mark"])]
            self.hold(card, "csv", list(zip(number[::2], number[1::2], [row["state"] for row in rows], strict=True)))

    def test_json_follows_its_schema(self) -> None:
        schema = self.client.get("/api/editions/schema").json()
        for card in CARDS:
            document = json.loads(taken(card, "json"))
            jsonschema.Draft202012Validator(schema).validate(document)
            self.assertEqual(document["edition"]["note"], NOTE)
            self.hold(card, "json", [(r["value"], r["mark"], r["state"]) for r in document["readings"]])
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.Draft202012Validator(schema).validate(document | {"readings": [{"value": "12"}]})

    def test_xlsx(self) -> None:
        for card in CARDS:
            book = openpyxl.load_workbook(io.BytesIO(taken(card, "xlsx")))
            page = book["Readings"]
            head = [cell.value for cell in page[1]]
            at = {name: head.index(name) for name in ("Value", "Mark", "State")}
            found = []
            for row in page.iter_rows(min_row=2):
                state = row[at["State"]]
                graded = state.fill.fgColor.rgb != "00000000"
                found.append((row[at["Value"]].value, row[at["Mark"]].value, state.value if graded else ""))
            self.hold(card, "xlsx", found)
            self.assertEqual(page.freeze_panes, "B2")
            self.assertEqual(page.page_setup.orientation, "landscape")
            self.assertEqual({"Summary", "Readings", "Marks", "Yardsticks", "Notes"} - set(book.sheetnames), set())
            one = len(self.client.get(f"/api/editions/{edition(card)}").json()["picture"]["instruments"])
            self.assertEqual(len(book.sheetnames), 5 + one)
            texts = [cell for sheet in book for row in sheet.iter_rows() for cell in row if isinstance(cell.value, str)]
            self.assertFalse([cell.value for cell in texts if cell.data_type == "f"])
            self.assertIn(NOTE, [cell.value for cell in texts], "a text that begins with = is typed as it is")
            self.assertFalse([cell.value for cell in texts if cell.value.startswith("'")])
            for name in book.sheetnames:
                if name != "Notes":
                    self.assertIn("Unit", [cell.value for row in book[name].iter_rows() for cell in row], name)
            cuts = [row[3] for row in book["Yardsticks"].iter_rows(min_row=2, values_only=True) if row[7]]
            self.assertTrue(cuts and all(isinstance(cut, (int, float)) for cut in cuts), "cuts are numbers")
            periods = {row[at["Value"] - 2] for row in page.iter_rows(min_row=2, values_only=True)}
            self.assertTrue(all(re.match(r"\d{4}(-|$)", period or "2026") for period in periods), periods)

    def test_a_workbook_is_frozen_too(self) -> None:
        """However numbers are written by now, it is the same to the last byte."""
        key = edition(CARDS[2])
        before = take(key, "xlsx")
        ways = self.client.get("/api/calendar")
        body = {"year_start": ways.json()["year_start"], "locale": "de_DE"}
        changed = self.client.put("/api/calendar", json=body, headers={"If-Match": ways.headers["etag"]})
        self.assertEqual(changed.status_code, 200, changed.text)
        try:
            self.assertEqual(take(key, "xlsx"), before)
            told = [re.sub(r'"again".*', "", take(key, kind).decode(errors="replace")) for kind in ("html", "json")]
        finally:
            back = {"If-Match": changed.headers["etag"]}
            self.client.put("/api/calendar", json=body | {"locale": ways.json()["locale"]}, headers=back)
        self.assertEqual([take(key, kind).decode(errors="replace") for kind in ("html", "json")], told)

    def test_slides(self) -> None:
        for card in CARDS:
            deck = Presentation(io.BytesIO(taken(card, "pptx")))
            shapes = [shape for slide in deck.slides for shape in slide.shapes]
            said = " ".join(shape._element.xpath(".//p:cNvPr")[0].get("descr") or "" for shape in shapes)
            for table in (shape.table for shape in shapes if shape.has_table):
                said += " " + " ".join(cell.text for row in table.rows for cell in row.cells)
            for reading in self.drawn(card):
                self.assertIn(plain(reading["shown"]), plain(said).replace("percent", "%"))
                for mark in reading["marks"][:1]:
                    self.assertIn(plain(mark["shown"]), plain(said).replace("percent", "%"))
            ledgers = {s["title"] for s in self.page(card)["sheets"] if s["instrument"]["face"] == "ledger"}
            told = {s._element.xpath(".//p:cNvPr")[0].get("descr") for s in shapes if s.has_table}
            self.assertEqual(told, ledgers | {"Readings by state"})
            pictures = [shape for shape in shapes if shape.shape_type == 13]
            self.assertTrue(all(p.image.size[0] > p.width / 9525 * 1.5 for p in pictures), "not sharp")
            self.assertTrue(all(slide.has_notes_slide for slide in list(deck.slides)[:2]))

    def page(self, card: str) -> Any:
        return self.client.get(f"/api/editions/{edition(card)}?data=true").json()

    def test_pdf(self) -> None:
        for card in CARDS:
            document = pypdf.PdfReader(io.BytesIO(taken(card, "pdf")))
            pages = [page.extract_text() for page in document.pages]
            alternatives = told_by(document.trailer["/Root"]["/StructTreeRoot"])
            self.assertGreater(len(alternatives), 5)
            said = plain(" ".join([*pages, *alternatives])).replace("percent", "%")
            for at, text in enumerate(pages, start=1):
                self.assertIn(plain(f"{at} / {len(pages)}"), plain(text))
                self.assertIn(plain("October 2026, edition"), plain(text))
            ledgers = [s["title"] for s in self.page(card)["sheets"] if s["instrument"]["face"] == "ledger"]
            for reading in self.drawn(card):
                if reading["title"] not in ledgers:
                    self.assertIn(plain(reading["spoken"]).replace("percent", "%"), said)
                elif reading["role"] != "period":
                    self.assertIn(plain(reading["shown"] or "no reading"), said, f"{card} {reading['spoken']}")
            fonts = [font for page in document.pages for font in page["/Resources"]["/Font"].values()]
            for font in fonts:
                kinds = font.get_object().get("/DescendantFonts", [font])
                held = kinds[0].get_object().get("/FontDescriptor", {})
                embedded = {"/FontFile", "/FontFile2", "/FontFile3"} & set(held.get_object() if held else {})
                self.assertTrue(embedded or font.get_object()["/Subtype"] == "/Type3")
            box = document.pages[0].mediabox
            self.assertEqual((round(box.width), round(box.height)), (842, 595))

    def test_html_holds_the_same_and_asks_nobody(self) -> None:
        for card in CARDS:
            text = taken(card, "html").decode()
            told = json.loads(re.search(r'id="told">(.*?)</script>', text, re.S)[1])  # type: ignore[index]
            mine = [r for one in told["picture"]["instruments"] for r in one["readings"]]
            keys = ("value", "shown", "state", "spoken")
            self.assertEqual(
                [{k: r[k] for k in keys} for r in mine], [{k: r[k] for k in keys} for r in self.drawn(card)]
            )
            self.assertNotIn("<script>alert(1)", text)
            self.assertIn("default-src &#x27;none&#x27;", text)


class Proof(unittest.TestCase):
    """Every form tells which edition it is of, and whether a figure in it was changed."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        cls.key = edition(CARDS[0])

    def check(self, body: bytes, status: int = 200) -> Any:
        answer = self.client.post("/api/editions/check", files={"file": ("it", body)}, timeout=120)
        self.assertEqual(answer.status_code, status, answer.text[:500])
        return answer.json()

    def test_as_it_left(self) -> None:
        for kind in ("pdf", "pptx", "xlsx", "csv", "json", "html", "png", "svg"):
            with self.subTest(kind):
                found = self.check(take(self.key, kind))
                self.assertEqual(
                    (found["kind"], found["found"], found["edition"]), (kind, "as_it_left", self.key), found
                )

    def test_a_figure_that_was_changed_is_told(self) -> None:
        book = openpyxl.load_workbook(io.BytesIO(take(self.key, "xlsx")))
        page = book["Readings"]
        value = [cell.value for cell in page[1]].index("Value") + 1
        page.cell(3, value).value = 0.999
        buffer = io.BytesIO()
        book.save(buffer)
        found = self.check(buffer.getvalue())
        self.assertEqual(found["found"], "changed", found)
        self.assertRegex(
            " ".join(found["differences"]), r"Readings, [A-Z]+3: “0\.\d+” in the edition, “0.999” in the file"
        )
        with zipfile.ZipFile(io.BytesIO(take(self.key, "csv"))) as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
            mark = packed.comment
        files["readings.csv"] = files["readings.csv"].replace(b"91.4%", b"97.4%")
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as made:
            made.comment = mark
            for name, text in files.items():
                made.writestr(name, text)
        found = self.check(buffer.getvalue())
        self.assertIn("“91.4%” in the edition, “97.4%” in the file", " ".join(found["differences"]))
        html = take(self.key, "html")
        found = self.check(html.replace(b'"shown":"91.4%"', b'"shown":"99.4%"'))
        self.assertIn("“99.4%” in the file", " ".join(found["differences"]))
        found = self.check(take(self.key, "json").replace(b'"shown": "91.4%"', b'"shown": "99.4%"'))
        self.assertIn("readings 1", found["differences"][0])

    def test_a_picture_or_a_print_that_was_changed_is_told(self) -> None:
        svg = take(self.key, "svg", instrument="i1")
        self.assertEqual(self.check(svg.replace(b"<path", b'<path opacity="0"', 1))["found"], "changed")
        with pikepdf.open(io.BytesIO(take(self.key, "pdf"))) as pdf:
            pdf.pages[0].contents_add(b"q 1 0 0 RG Q")
            buffer = io.BytesIO()
            pdf.save(buffer)
        self.assertEqual(self.check(buffer.getvalue())["found"], "changed")
        with pikepdf.open(io.BytesIO(take(self.key, "pdf"))) as pdf:  # saved anew by another program, with all it shows
            buffer = io.BytesIO()
            pdf.save(buffer)
        self.assertEqual(self.check(buffer.getvalue())["found"], "as_it_left")

    def test_what_is_of_no_edition_here_is_told(self) -> None:
        body = self.client.get(f"/api/scorecards/{CARDS[0]}").json()["body"]
        loose = self.client.post("/api/scorecards/export/xlsx", json={"body": body}).content
        self.assertEqual(self.check(loose)["found"], "unmarked")
        elsewhere = take(self.key, "html").replace(self.key.encode(), b"somewhere-else")
        self.assertEqual(self.check(elsewhere)["found"], "unknown")
        for odd in (b"", b"%PDF-1.7 no more", b"PK\x03\x04", b"\x89PNG\r\n\x1a\n", b"{", b"<html>", os.urandom(999)):
            self.check(odd, 422)

    def test_some_sections_alone(self) -> None:
        """In every form, told as such, and known again."""
        body = self.client.get(f"/api/editions/{self.key}").json()["body"]
        section = body["sections"][1]
        for kind in ("csv", "html", "json", "pdf"):
            with self.subTest(kind):
                found = take(self.key, kind, section=section["id"])
                self.assertEqual(self.check(found)["found"], "as_it_left")
                if kind == "json":
                    rows = json.loads(found)["readings"]
                    self.assertEqual({row["section"] for row in rows}, {section["title"]})
        refused = self.client.get(f"/api/editions/{self.key}/export/pdf", params={"section": "nowhere"})
        self.assertEqual(refused.status_code, 404)


class Books(unittest.TestCase):
    """Several editions as one: cover, contents, one numbering, each page of its own period."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        september = cls.client.post(
            "/api/editions", json={"scorecard": CARDS[1], "scope": {"period": "2026-09"}}
        ).json()
        body = {
            "title": "Board pack & ΑΒΓ <b>",
            "note": "In two parts.",
            "editions": [edition(CARDS[0]), september["id"]],
        }
        answer = cls.client.post("/api/books", json=body)
        cls.titles = [cls.client.get(f"/api/editions/{key}").json()["edition"]["title"] for key in body["editions"]]
        assert answer.status_code == 201, answer.text
        cls.key = answer.json()["id"]

    def take(self, kind: str) -> bytes:
        answer = self.client.get(f"/api/books/{self.key}/export/{kind}", timeout=240)
        self.assertEqual(answer.status_code, 200, answer.text[:500])
        return answer.content

    def test_on_paper(self) -> None:
        document = pypdf.PdfReader(io.BytesIO(self.take("pdf")))
        pages = [page.extract_text() for page in document.pages]
        self.assertIn(plain("Board pack & ΑΒΓ <b>"), plain(pages[0]))
        self.assertIn("In two parts.", pages[0])
        starts = {}
        for at, page in enumerate(pages):
            for title in self.titles:
                if at > 1 and title in page:
                    starts.setdefault(title, at + 1)
        for title in self.titles:
            self.assertRegex(pages[1], rf"{title}.*(?s:.)*{starts[title]}")
        self.assertIn(f"{len(pages)} / {len(pages)}", pages[-1])
        self.assertIn("October 2026", pages[2])
        self.assertIn("September 2026", pages[-1])
        marks = [item.title for item in document.outline if not isinstance(item, list)]
        self.assertEqual(marks, ["Contents", *self.titles])

    def test_as_slides_and_as_one_file(self) -> None:
        deck = Presentation(io.BytesIO(self.take("pptx")))
        titles = [slide.shapes.title.text for slide in deck.slides]
        self.assertEqual(titles[:2], ["Board pack & ΑΒΓ <b>", "Contents"])
        html = self.take("html").decode()
        self.assertNotIn("ΑΒΓ <b>", html)
        told = json.loads(re.search(r'id="told">(.*?)</script>', html, re.S)[1])  # type: ignore[index]
        self.assertEqual([one["picture"]["period"] for one in told], ["2026-10", "2026-09"])

    def test_it_tells_which_editions_are_in_it(self) -> None:
        def check(body: bytes) -> Any:
            return self.client.post("/api/editions/check", files={"file": ("it", body)}, timeout=120).json()

        for kind in ("pdf", "pptx", "html"):
            with self.subTest(kind):
                found = check(self.take(kind))
                self.assertEqual((found["kind"], found["found"]), (kind, "as_it_left"), found)
                for title in self.titles:
                    self.assertIn(title, found["said"])
        changed = self.take("html").replace(b"September 2026", b"September 2036")
        self.assertEqual(check(changed)["found"], "changed")

    def test_what_does_not_fit_is_refused(self) -> None:
        for editions in ([], ["nowhere"], [edition(CARDS[0])] * 2):
            answer = self.client.post("/api/books", json={"title": "x", "editions": editions})
            self.assertIn(answer.status_code, (404, 422))
        self.assertEqual(self.client.get("/api/books/nowhere/export/pdf").status_code, 404)
        self.assertEqual(self.client.get(f"/api/books/{self.key}/export/png").status_code, 422)


class Slides(unittest.TestCase):
    """Charts of the slides' own, and a template of one's own."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def test_bars_and_lines_can_be_worked_with(self) -> None:
        page = self.client.get(f"/api/editions/{edition(CARDS[1])}?data=true").json()
        deck = Presentation(io.BytesIO(take(edition(CARDS[1]), "pptx", charts=True)))
        charts = [shape.chart for slide in deck.slides for shape in slide.shapes if shape.has_chart]
        self.assertGreater(len(charts), 1)
        figures = {round(v, 9) for chart in charts for v in chart.plots[0].series[0].values if v is not None}
        known = {round(r["value"], 9) for sheet in page["sheets"] for r in sheet["readings"] if r["value"] is not None}
        known |= {round(m["value"], 9) for s in page["sheets"] for r in s["readings"] for m in r["earlier"] if m["value"] is not None}  # fmt: skip
        self.assertEqual(figures - known, set(), "the figures are those of the edition")
        plain_ones = Presentation(io.BytesIO(take(edition(CARDS[1]), "pptx")))
        self.assertFalse([s for slide in plain_ones.slides for s in slide.shapes if s.has_chart])

    def test_a_template_is_taken(self) -> None:
        template = Presentation()  # of another shape, with slides of its own
        slide = template.slides.add_slide(template.slide_layouts[1])
        slide.shapes.title.text = "Somebody’s old slide"
        buffer = io.BytesIO()
        template.save(buffer)
        kept = self.client.put("/api/slide-template", files={"file": ("House style.pptx", buffer.getvalue())})
        self.assertEqual((kept.status_code, kept.json()["name"]), (200, "House style.pptx"), kept.text)
        self.addCleanup(self.client.delete, "/api/slide-template")
        deck = Presentation(io.BytesIO(take(edition(CARDS[0]), "pptx", template=True)))
        self.assertEqual((deck.slide_width, deck.slide_height), (template.slide_width, template.slide_height))
        titles = [slide.shapes.title.text for slide in deck.slides]
        self.assertNotIn("Somebody’s old slide", titles)
        self.assertEqual(titles[:2], ["Network performance", "Punctuality"])
        runs = [run for slide in deck.slides for run in slide.shapes.title.text_frame.paragraphs[0].runs]
        self.assertEqual({run.font.name for run in runs}, {None}, "titles look as the template has them")
        for slide in deck.slides:
            for shape in slide.shapes:
                self.assertLessEqual(shape.left + shape.width, deck.slide_width + 20_000, shape.name)
                self.assertLessEqual(shape.top + shape.height, deck.slide_height + 20_000, shape.name)
        for odd in (b"", b"PK\x03\x04", buffer.getvalue()[:2000], zipped_nothing()):
            answer = self.client.put("/api/slide-template", files={"file": ("x.pptx", odd)})
            self.assertEqual(answer.status_code, 422, answer.text)
        self.assertEqual(self.client.get("/api/slide-template").json()["name"], "House style.pptx")


def zipped_nothing() -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as made:
        made.writestr("readme.txt", "no presentation")
    return buffer.getvalue()


class Preflight(unittest.TestCase):
    """What PDF/A-2u asks for, as far as it can be looked at here: no validator of the standard is at hand."""

    def test_it_is_made_to_last(self) -> None:
        for paper in ("a4", "a4-upright"):
            body = take(edition(CARDS[0]), "pdf", paper=paper)
            with pikepdf.open(io.BytesIO(body)) as pdf:
                told = pdf.open_metadata()
                self.assertEqual((told["pdfaid:part"], told["pdfaid:conformance"]), ("2", "U"))
                self.assertRegex(told["dc:title"], r"^Network performance, October 2026, edition \d+$")
                self.assertEqual((told["pdf:Producer"], list(told["dc:language"])), ("Iron Mark", ["en-GB"]))
                self.assertEqual(str(pdf.docinfo["/Title"]), told["dc:title"], "both tell the same")
                intent = pdf.Root.OutputIntents[0]
                self.assertEqual((str(intent.S), int(intent.DestOutputProfile.N)), ("/GTS_PDFA1", 3))
                self.assertIn("/ID", pdf.trailer)
                self.assertNotIn("/AcroForm", pdf.Root)
                self.assertNotIn("/OpenAction", pdf.Root)
                self.assertNotIn("/Encrypt", pdf.trailer)
                self.assertTrue(pdf.Root.MarkInfo.Marked)
                for held in pdf.objects:
                    if not isinstance(held, (pikepdf.Dictionary, pikepdf.Stream)):
                        continue
                    self.assertNotEqual(held.get("/Subtype"), "/Type3", "no nameless fonts")
                    self.assertNotIn(str(held.get("/S")), ("/JavaScript", "/Launch"))
                    if held.get("/Type") == "/Font" and held.get("/Subtype") == "/Type0":
                        self.assertIn("/ToUnicode", held, "every sign can be read as text")
                        descriptor = held.DescendantFonts[0].FontDescriptor
                        self.assertTrue("/FontFile2" in descriptor or "/FontFile3" in descriptor, "fonts are within")
                        self.assertRegex(str(held.BaseFont), r"^/[A-Z]{6}\+\w")
                    if held.get("/Type") == "/Annot":
                        self.assertEqual(int(held.F) & 4, 4)
                with pdf.open_outline() as outline:
                    sections = [item.title for item in outline.root[0].children]
            self.assertEqual(sections[:3], ["Punctuality", "Revenue and cost", "Safety and readiness"])
            self.assertEqual(len(sections), len(set(sections)))


class Pictures(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        cls.card = CARDS[0]

    def test_png_is_as_sharp_as_it_is_asked_for(self) -> None:
        sizes = [
            struct.unpack(">II", take(edition(self.card), "png", instrument="i1", scale=n)[16:24]) for n in (1, 2, 3)
        ]
        (w, h), *others = sizes
        self.assertEqual(others, [(2 * w, 2 * h), (3 * w, 3 * h)])
        self.assertEqual(w, 301)  # three columns of a page of 1,240 pixels
        whole = struct.unpack(">II", take(edition(self.card), "png", scale=1)[16:24])
        self.assertEqual(whole[0], 1280)
        self.assertGreater(whole[1], 900)

    def test_svg_stands_alone(self) -> None:
        for options in ({"instrument": "i2"}, {}):
            svg = take(edition(self.card), "svg", **options)
            with mock.patch(
                "ironmark.pages.authoring.images.MOST_BYTES", 9 << 20
            ):  # a whole page is larger than what stands on one
                kind, kept = harmless(svg)
            self.assertEqual(kind, "svg")
            self.assertNotIn(b"<text", svg)  # outlines: no reader needs the fonts
            self.assertFalse(re.findall(rb'href="(?!#|data:image/)[^"]*"', svg))
            picture = bytes(resvg_py.svg_to_bytes(svg_string=kept.decode()))
            self.assertGreater(len(picture), 4_000)

    def test_what_was_drawn_before_leaves_nothing_behind(self) -> None:
        """The printer is kept warm: each form is the same whatever it drew last."""
        card = "where-and-when"  # its ledger fills its sheet to the last row
        said = {}
        for before in ("pdf", "svg", "png", "pptx"):
            take(edition(card), before)
            paper = pypdf.PdfReader(io.BytesIO(take(edition(card), "pdf")))
            said[before] = [page.extract_text() for page in paper.pages]
        self.assertEqual([before for before in said if said[before] != said["pdf"]], [])

    def test_papers(self) -> None:
        sizes = {}
        for paper in ("a3", "letter", "wide", "a4-upright", "a3-upright"):
            box = pypdf.PdfReader(io.BytesIO(take(edition(self.card), "pdf", paper=paper))).pages[0].mediabox
            sizes[paper] = round(box.width), round(box.height)
        self.assertEqual(
            sizes,
            {
                "a3": (1191, 842),
                "letter": (792, 612),
                "wide": (960, 540),
                "a4-upright": (595, 842),
                "a3-upright": (842, 1191),
            },
        )

    def test_what_is_not_there_is_refused(self) -> None:
        for path in ("png?instrument=nothing", "docx", "pdf?paper=napkin", "png?scale=9"):
            answer = self.client.get(f"/api/editions/{edition(self.card)}/export/{path}")
            self.assertIn(answer.status_code, (404, 422), path)
        self.assertEqual(self.client.get("/api/editions/nowhere/export/pdf").status_code, 404)


class Waiting(unittest.TestCase):
    """Waits for things that are drawn meanwhile."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def until(self, key: str, *states: str) -> Any:
        end = time.monotonic() + 240
        while time.monotonic() < end:
            found = self.client.get(f"/api/exports/{key}").json()
            if found["state"] in states:
                return found
            time.sleep(0.05)
        self.fail(f"it is {found}")


class Asked(Waiting):
    def ask(self, **asked: Any) -> str:
        answer = self.client.post("/api/exports", json=asked)
        self.assertEqual(answer.status_code, 202, answer.text)
        return str(answer.json()["id"])

    def test_an_export_is_told_and_fetched(self) -> None:
        key = self.ask(kind="pdf", scorecard=CARDS[0], scope={"period": "2026-09"})
        found = self.until(key, "done")
        self.assertEqual((found["share"], found["name"]), (1.0, "Network performance, September 2026.pdf"))
        answer = self.client.get(f"/api/exports/{key}/file")
        self.assertTrue(answer.content.startswith(b"%PDF"))
        self.assertIn("attachment", answer.headers["content-disposition"])

    def test_workings_stand_in_what_holds_them_however_it_is_taken_out(self) -> None:
        body = self.client.get(f"/api/scorecards/{CARDS[0]}").json()["body"]
        for kind in ("json", "html", "csv"):
            with self.subTest(kind):
                key = self.ask(kind=kind, scorecard=CARDS[0], scope={"period": "2026-09"})
                self.assertEqual(self.until(key, "done", "failed")["state"], "done")
                fetched = self.client.get(f"/api/exports/{key}/file").content
                asked = {"body": body, "scope": {"period": "2026-09"}}
                answer = self.client.post(f"/api/scorecards/export/{kind}", json=asked).content
                found, told = (self.workings(kind, one) for one in (fetched, answer))
                self.assertEqual(found, told)
                self.assertEqual(bool(found), kind != "csv")

    def workings(self, kind: str, file: bytes) -> Any:
        if kind == "json":
            return json.loads(file)["frozen"]["workings"]
        if kind == "html":
            return json.loads(re.search(r'id="told">(.*?)</script>', file.decode(), re.S)[1])["workings"]  # type: ignore[index]
        return {}

    def test_one_that_waits_can_be_stopped(self) -> None:
        keys = [self.ask(kind="pptx", edition=edition(CARDS[0])) for _ in range(3)]
        self.client.delete(f"/api/exports/{keys[2]}")
        self.assertEqual(self.until(keys[2], "stopped", "done")["state"], "stopped")
        self.assertEqual(self.client.get(f"/api/exports/{keys[2]}/file").status_code, 409)
        for key in keys[:2]:
            self.assertEqual(self.until(key, "done", "failed")["state"], "done")

    def test_what_is_not_asked_rightly_is_refused(self) -> None:
        for asked in (
            {"kind": "pdf"},
            {"kind": "pdf", "edition": "a", "scorecard": "b"},
            {"kind": "docx", "edition": "a"},
        ):
            self.assertEqual(self.client.post("/api/exports", json=asked).status_code, 422)
        self.assertEqual(self.client.post("/api/exports", json={"kind": "pdf", "edition": "nowhere"}).status_code, 404)

    def test_a_page_as_it_is_read(self) -> None:
        body = self.client.get(f"/api/scorecards/{CARDS[0]}").json()["body"]
        answer = self.client.post("/api/scorecards/export/json", json={"body": body, "scope": {"period": "2026-09"}})
        document = answer.json()
        self.assertIsNone(document["edition"])
        self.assertEqual(document["frozen"]["page"]["period"], "2026-09")
        tried = {"body": body, "scope": {"period": "2026-10"}, "rehearse": {"i1": {"value": 0.5}}}
        rows = self.client.post("/api/scorecards/export/json", json=tried).json()["readings"]
        self.assertEqual(next(r for r in rows if r["instrument"] == "On-time departures")["value"], 0.5)


class LongLists(unittest.TestCase):
    """A ledger of 300 rows: it runs on over pages and slides, nothing is cut, its head stands on each."""

    MANY = 300

    @classmethod
    def setUpClass(cls) -> None:
        client = cls.client = world.running().client
        lines = [
            f"2026-10-{day:02d},Berth {n + 1:03d},{20 + n * 37 % 81}" for day in range(1, 32) for n in range(cls.MANY)
        ]
        files = {"file": ("berths.csv", "day,berth,calls\n" + "\n".join(lines) + "\n")}
        dataset = client.post("/api/datasets", files=files).json()["id"]
        body = {"name": "Calls at berths", "handle": "calls_at_berths", "dataset": dataset, "formula": "sum(calls)", "nature": "flow"}  # fmt: skip
        kpi = client.post("/api/kpis", json=body).json()["id"]
        bars = {"id": "bars", "kpi": kpi, "by": "berth", "face": "bullet", "marks": [], "x": 6, "w": 6, "h": 8}
        ledger = {"id": "ledger", "kpi": kpi, "by": "berth", "face": "ledger", "marks": [], "w": 6, "h": 8}
        card = {"title": "Berths", "scope": {"period": "2026-10"}, "sections": [{"id": "s", "title": "All of them", "instruments": [ledger, bars]}]}  # fmt: skip
        cls.card = client.post("/api/scorecards", json=card).json()["id"]
        cls.edition = client.post("/api/editions", json={"scorecard": cls.card}).json()["id"]

    def test_on_paper(self) -> None:
        pages = [page.extract_text() for page in pypdf.PdfReader(io.BytesIO(take(self.edition, "pdf"))).pages]
        said = " ".join(pages)
        for n in range(1, self.MANY + 1):
            self.assertEqual(said.count(f"Berth {n:03d}"), 2, f"berth {n}: once in the ledger and once in the list")
        heads = [page for page in pages if "Value" in page and "Berth" in page]
        self.assertGreaterEqual(len(heads), 8)
        self.assertNotIn("more", said)

    def test_on_slides(self) -> None:
        deck = Presentation(io.BytesIO(take(self.edition, "pptx")))
        tables = [shape.table for slide in deck.slides for shape in slide.shapes if shape.has_table]
        names = [row.cells[0].text for table in tables for row in table.rows]
        self.assertEqual(sorted(n for n in names if n.startswith("Berth")), [f"Berth {n:03d}" for n in range(1, 301)])
        self.assertTrue(all(len(table.rows) <= 18 for table in tables))


class WhenThePrinterDies(Waiting):
    def test_it_is_started_again(self) -> None:
        server = world.running()
        key = edition(CARDS[0])
        take(key, "svg", instrument="i1")
        groups = [g for g in (self.group(p) for p in Path(tempfile.gettempdir()).glob("ironmark-printer-*")) if g]
        self.assertTrue(groups, "no printer is warm")
        for group in groups:
            scratch.end_group(group)
        self.assertTrue(take(key, "svg", instrument="i1").startswith(b"<?xml"))
        # And in the middle of it.
        asked = server.client.post("/api/exports", json={"kind": "pdf", "edition": key}).json()["id"]
        time.sleep(0.4)
        for group in (g for p in Path(tempfile.gettempdir()).glob("ironmark-printer-*") if (g := self.group(p))):
            scratch.end_group(group)
        found = self.until(asked, "done", "failed")
        self.assertEqual(found["state"], "done", found)

    def group(self, place: Path) -> int:
        """The session of this server's printer, where it is its."""
        server = world.running().process
        assert server is not None
        try:
            owner = int((place / scratch.OWNER).read_text().split()[0])
            return int((place / scratch.GROUP).read_text()) if owner == server.pid else 0
        except (OSError, ValueError, IndexError):
            return 0


def _owner(place: Path) -> int:
    try:
        return int((place / scratch.OWNER).read_text().split()[0])
    except (OSError, ValueError, IndexError):
        return 0  # it is being made, or taken away


def left_by(owner: int) -> list[Path]:
    """The places of printers whose server was this one."""
    places = Path(tempfile.gettempdir()).glob("ironmark-printer-*")
    return [place for place in places if _owner(place) == owner]


class WhenTheServerOrTheDatabaseDies(unittest.TestCase):
    """Whatever is killed in the middle, what was asked for is drawn once all is there again."""

    def test_it_is_drawn_after_all(self) -> None:
        server = world.Running().start()
        self.addCleanup(server.close)
        key = server.client.post("/api/editions", json={"scorecard": CARDS[0]}).json()["id"]
        frozen = server.client.get(f"/api/editions/{key}?data=true").content
        asked = server.client.post("/api/exports", json={"kind": "pptx", "edition": key}).json()["id"]
        time.sleep(0.6)
        owner = server.process.pid if server.process else 0
        server.kill()
        server.start()
        self.done(server, asked)
        self.assertEqual(left_by(owner), [], "a printer of the killed server still runs")
        asked = server.client.post("/api/exports", json={"kind": "pdf", "edition": key}).json()["id"]
        os.kill(server.database_pid, signal.SIGKILL)
        self.done(server, asked)
        self.assertEqual(server.client.get(f"/api/editions/{key}?data=true").content, frozen)

    def done(self, server: world.Running, key: str) -> None:
        end = time.monotonic() + 240
        found: Any = None
        while time.monotonic() < end:
            answer = server.client.get(f"/api/exports/{key}")
            if answer.status_code == 200:  # the database may be away for a moment
                found = answer.json()
                if found["state"] == "done":
                    self.assertGreater(len(server.client.get(f"/api/exports/{key}/file").content), 10_000)
                    return
                self.assertNotEqual(found["state"], "failed", found)
            time.sleep(0.1)
        self.fail(f"it is {found}")


class WithoutAPrinter(unittest.TestCase):
    def test_it_says_how_one_is_got(self) -> None:
        who = Reader(Sources(world.engine()))
        leaf = export_page_of(who, edition(CARDS[0]))
        with mock.patch("ironmark.api.answers.export.there", return_value=False), self.assertRaises(Refused) as refused:
            export.asked(who, mock.Mock(), leaf, "pdf", Options())
        self.assertEqual(refused.exception.problem.status, 503)
        self.assertIn("./run --with-printer", refused.exception.problem.detail)
        take(edition(CARDS[0]), "xlsx")
