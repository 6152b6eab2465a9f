"""Sheets of words with live figures, and of pictures, over HTTP."""

import io
import unittest
from typing import Any

from PIL import Image

from ironmark.pages.model.page import Page
from tests import world

EVIL = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 9 9" onload="alert(1)">
<script>alert(2)</script><style>@import url(http://elsewhere.example/a.css);</style>
<foreignObject><body xmlns="http://www.w3.org/1999/xhtml"><p>words</p></body></foreignObject>
<a xlink:href="javascript:alert(3)"><rect width="9" height="9"/></a>
<rect id="box" width="4" height="4" fill="url(#shade)" onclick="alert(4)" style="background:url(http://elsewhere.example/b)"/>
<use href="http://elsewhere.example/c.svg#d"/><use href="#box"/><image href="http://elsewhere.example/e.png"/>
</svg>"""
BOMB = b'<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg"><text>&b;</text></svg>'


def png(width: int = 4, height: int = 3) -> bytes:
    body = io.BytesIO()
    Image.new("RGB", (width, height), "#225577").save(body, "PNG")
    return body.getvalue()


class Words(unittest.TestCase):
    def setUp(self) -> None:
        self.client = world.running().client

    def read(self, text: str, **scope: Any) -> Any:
        section = {"id": "s", "texts": [{"id": "t", "text": text}]}
        asked = {"body": {"title": "t", "sections": [section]}, "scope": {"period": "2026-10"} | scope}
        answer = self.client.post("/api/scorecards/read", json=asked)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()["texts"][0]

    def spans(self, text: str, **scope: Any) -> list[Any]:
        return [span for block in self.read(text, **scope)["blocks"] for span in block["spans"]]

    def test_figures_are_those_of_the_page(self) -> None:
        parts = (
            "{on_time}",
            "{on_time: gap}",
            "{on_time: mark}",
            "{on_time: state}",
            "{on_time: period}",
            "{ on_time:Reached }",
        )
        found = self.spans(" / ".join(parts))
        figures = [span for span in found if span["figure"]]
        shown = ["91.4%", "0.6 points under target 92%", "92%", "Near", "October 2026", "99%"]
        self.assertEqual([span["text"] for span in figures], shown)
        self.assertEqual([span["state"] for span in figures], ["near", "near", None, "near", None, "near"])
        self.assertIn("91.4%, near", figures[0]["spoken"])
        narrowed = self.spans("{on_time}", members={"route": ["Night freight"]})
        self.assertEqual(narrowed[0]["text"], "93.5%")

    def test_a_figure_is_graded_as_on_its_page(self) -> None:
        bands = {"name": "Strict", "bands": ["short", "beyond"], "cuts": [{"offset": 0.99}]}
        made = self.client.post("/api/yardsticks", json=bands).json()["id"]
        self.addCleanup(self.client.delete, f"/api/yardsticks/{made}", headers={"If-Match": '"1"'})
        instrument = {"id": "i", "kpi": "on-time", "yardstick": made, "marks": []}
        section = {"id": "s", "instruments": [instrument], "texts": [{"id": "t", "text": "{on_time: state}"}]}
        asked = {"body": {"title": "t", "sections": [section]}, "scope": {"period": "2026-10"}}
        page = self.client.post("/api/scorecards/read", json=asked).json()
        self.assertEqual(page["instruments"][0]["readings"][0]["state"], "short")
        self.assertEqual(page["texts"][0]["blocks"][0]["spans"][0]["text"], "Short")

    def test_a_figure_that_is_none_is_told_and_never_printed_in_braces(self) -> None:
        found = self.read("Late: {on_tine}, {on_time: gab}, {}")
        problems = [
            "no KPI “on_tine”; did you mean on_time?",
            "no “gab” of a reading; there are value, gap, mark, state, reached, period",
        ]
        self.assertEqual(found["problems"], problems)
        broken = [span for block in found["blocks"] for span in block["spans"] if span["problem"]]
        self.assertEqual([span["text"] for span in broken], ["on_tine", "on_time: gab"])
        nothing = self.spans("{on_time}", period="1999-01")
        self.assertEqual((nothing[0]["text"], nothing[0]["state"]), ("no reading", None))

    def test_what_is_written_becomes_blocks_and_never_html(self) -> None:
        text = "# Head\n\nA **bold** and *leaning* [link](https://elsewhere.example/x) and [not](javascript:alert(1)).\n\n- one\n- two\n\n3. three\n\n<script>alert(1)</script>"
        blocks = self.read(text)["blocks"]
        kinds = [(block["kind"], block["level"], block["number"]) for block in blocks]
        self.assertEqual(
            kinds,
            [
                ("heading", 1, 0),
                ("paragraph", 0, 0),
                ("item", 1, 0),
                ("item", 1, 0),
                ("numbered", 1, 3),
                ("paragraph", 0, 0),
            ],
        )
        by_text = {span["text"]: span for span in blocks[1]["spans"]}
        self.assertTrue(by_text["bold"]["bold"] and by_text["leaning"]["italic"])
        self.assertEqual(by_text["link"]["href"], "https://elsewhere.example/x")
        self.assertFalse([span for block in blocks for span in block["spans"] if "javascript" in span["href"]])
        self.assertEqual(blocks[-1]["spans"][0]["text"], "<script>alert(1)</script>")

    def test_a_page_with_words_goes_to_json_and_back(self) -> None:
        text = self.client.get("/api/scorecards/sailing-cost/page", params={"data": "true"}).text
        page = Page.from_json(text)
        self.assertEqual(page.to_json().decode(), text)
        self.assertEqual(set(page.figures), {"cost_per_sailing", "margin", "fuel_cost"})


class Pictures(unittest.TestCase):
    def setUp(self) -> None:
        self.client = world.running().client

    def send(self, body: bytes) -> Any:
        return self.client.post("/api/images", files={"file": ("a", body)})

    def test_a_picture_is_kept_once_and_given_back(self) -> None:
        kept = self.send(png())
        self.assertEqual((kept.status_code, kept.json()["kind"]), (201, "png"))
        self.assertEqual(self.send(png()).json(), kept.json())
        found = self.client.get(f"/api/images/{kept.json()['id']}")
        self.assertEqual((found.content, found.headers["content-type"]), (png(), "image/png"))
        self.assertIn("sandbox", found.headers["content-security-policy"])
        self.assertEqual(self.client.get("/api/images/none").status_code, 404)

    def test_a_drawing_is_made_harmless(self) -> None:
        kept = self.send(EVIL).json()
        found = self.client.get(f"/api/images/{kept['id']}").text
        for gone in ("script", "alert", "elsewhere", "foreignObject", "onload", "onclick", "javascript", "@import"):
            self.assertNotIn(gone, found)
        self.assertIn('href="#box"', found)
        self.assertIn("url(#shade)", found)

    def test_what_is_no_picture_is_refused(self) -> None:
        gif = io.BytesIO()
        Image.new("P", (2, 2)).save(gif, "GIF")
        for body in (b"", b"words", b"<html></html>", b"<svg", BOMB, png()[:30], gif.getvalue(), png(9000, 5000)):
            answer = self.send(body)
            self.assertEqual((answer.status_code, answer.json()["type"]), (422, "no-picture"), body[:20])
        large = self.send(b"\x89PNG" + bytes(3 << 20))
        self.assertEqual(large.json()["type"], "no-picture")
