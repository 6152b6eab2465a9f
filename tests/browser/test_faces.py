"""Every face in odd conditions: past the axis, negative, without a reading, ungraded, long and foreign names, narrow."""

import itertools
from typing import Any

from selenium.webdriver.common.by import By

from tests.browser.page import PageTest

NAMES = [
    "A team whose name is as long as sixty characters may well be",
    "שלום עולם",
    "<script>window.hacked = 1</script>",
    "路线",
    "Plain",
]
ROWS = "day,team,x\n" + "".join(
    f"2026-10-{day:02d},{name},{x}\n" for day in (1, 31) for name, x in zip(NAMES, (-8, 6, 0, 12, 3), strict=True)
)


class Faces(PageTest):
    def setUp(self) -> None:
        super().setUp()
        made = self.client.post("/api/datasets", files={"file": ("odd.csv", ROWS.encode())}).json()
        self.addCleanup(self.drop, "datasets", made["id"])
        self.kpi = self.make(
            "kpis",
            {
                "handle": "odd_sum",
                "name": "Odd sum",
                "dataset": made["id"],
                "formula": "sum(x)",
                "unit": {"kind": "currency", "decimals": 0},
            },
        )
        cuts = [{"offset": -5}, {"offset": 0}, {"offset": 5}]
        self.yardstick = self.make(
            "yardsticks", {"name": "Odd", "bands": ["short", "near", "met", "beyond"], "cuts": cuts}
        )

    def show(self, *instruments: dict[str, Any], period: str = "2026-10") -> None:
        made = []
        for at, instrument in enumerate(instruments):
            place = {"x": at % 3 * 4, "y": at // 3 * 6, "w": 4, "h": 6}
            made.append(
                {"id": f"f{at}", "kpi": self.kpi, "yardstick": self.yardstick, "marks": []} | place | instrument
            )
        card = self.make(
            "scorecards",
            {
                "title": "Odd faces",
                "scope": {"period": period},
                "sections": [{"id": "s", "title": "S", "instruments": made}],
            },
        )
        self.open(f"/scorecards/{card}")
        self.wait(lambda: len(self.all("[data-instrument]")) == len(instruments))
        self.wait(lambda: "Odd" in self.one("[data-instrument=f0] h3").text)

    def inside(self, key: str, css: str) -> list[Any]:
        found: list[Any] = self.one(f"[data-instrument={key}]").find_elements(By.CSS_SELECTOR, css)
        return found

    def test_names_are_text_whatever_they_hold(self) -> None:
        self.show(*({"face": face, "by": "team"} for face in ("bullet", "bar", "lamp", "chip")))
        self.wait(lambda: len(self.inside("f0", ".item .name")) == 5)
        self.assertIsNone(self.driver.execute_script("return window.hacked ?? null"))
        for key in ("f0", "f1", "f2", "f3"):
            with self.subTest(key):
                text = self.one(f"[data-instrument={key}]").text
                self.assertIn("<script>", text)
                self.assertIn("שלום", text)
                wide = "const e = arguments[0]; return e.scrollWidth - e.clientWidth"
                self.assertLessEqual(self.driver.execute_script(wide, self.one(f"[data-instrument={key}]")), 0)

    def test_negative_values_run_to_the_left_of_zero(self) -> None:
        self.show({"face": "bar", "by": "team", "order": "name", "ticks": "none"})
        fills = self.wait(lambda: (found := self.inside("f0", "rect.fill")) and len(found) == 5 and found)
        negative, nothing, positive = (fills[i].rect for i in (1, 0, 2))
        self.assertLess(negative["x"] + negative["width"] / 2, positive["x"])
        del nothing

    def test_past_both_ends_of_the_axis(self) -> None:
        ends = ({"axis": {"low": 0, "high": 5}}, {"axis": {"low": 50, "high": 90}})
        self.show(*({"face": face} | end for face in ("dial", "bullet", "bar") for end in ends))
        for key in ("f0", "f1", "f2", "f3", "f4", "f5"):
            with self.subTest(key):
                self.wait(lambda key=key: self.inside(key, ".overrun"), "the overrun sign is missing")
                self.assertIn("£26", self.one(f"[data-instrument={key}]").text, "and the true figure is told")

    def test_no_reading_is_a_word_not_a_zero(self) -> None:
        self.show(*({"face": face} for face in ("dial", "bullet", "bar", "lamp", "chip")), period="2026-12")
        for key in ("f0", "f1", "f2", "f3", "f4"):
            text = self.one(f"[data-instrument={key}]").text
            self.assertIn("no reading", text)
            self.assertNotIn("£0", text)

    def test_not_graded_has_its_figure_and_the_reason_but_no_state_colour(self) -> None:
        self.show(*({"face": face, "yardstick": None} for face in ("dial", "bullet", "bar", "lamp", "chip")))
        for key in ("f0", "f1", "f2", "f3", "f4"):
            with self.subTest(key):
                element = self.one(f"[data-instrument={key}]")
                self.assertIn("not graded", element.text)
                if key != "f3":  # the lamp shows all its lights, unlit
                    self.assertNotIn("var(--short)", element.get_attribute("innerHTML") or "")
        self.assertIn("£26", self.one("[data-instrument=f0]").text)

    def test_only_the_band_the_value_is_in_takes_the_full_colour(self) -> None:
        self.show({"face": "dial", "axis": {"low": -10, "high": 30}})
        fills = [path.get_attribute("fill") for path in self.inside("f0", ".dial svg > path")]
        self.assertEqual(fills, ["var(--short-tint)", "var(--near-tint)", "var(--met-tint)", "var(--beyond)"])

    def test_a_deleted_kpi_says_so_and_the_rest_reads_on(self) -> None:
        self.show({"face": "dial"}, {"face": "dial", "kpi": "gone"})
        self.see("Its KPI was deleted. Choose another KPI in the brief, or undo.")
        self.assertIn("£26", self.one("[data-instrument=f0]").text)

    def test_small_ones_keep_their_figure_in_view(self) -> None:
        self.show(
            *({"face": face, "w": 2, "h": 4, "x": at * 2, "y": 0} for at, face in enumerate(("dial", "bullet", "bar")))
        )
        for key in ("f0", "f1", "f2"):
            with self.subTest(key):
                figure, sheet = self.inside(key, ".figure")[0].rect, self.one(f"[data-instrument={key}]").rect
                self.assertLessEqual(figure["y"] + figure["height"], sheet["y"] + sheet["height"])
                self.assertLessEqual(figure["x"] + figure["width"], sheet["x"] + sheet["width"])

    def test_ticks_do_not_touch_each_other(self) -> None:
        self.show({"face": "bar", "w": 2, "h": 4}, {"face": "bullet", "by": "team", "w": 4, "x": 4, "decimals": 4})
        for key in ("f0", "f1"):
            boxes = sorted((t.rect["x"], t.rect["x"] + t.rect["width"]) for t in self.inside(key, ".ticks span"))
            self.assertTrue(boxes)
            for (_, end), (start, _) in itertools.pairwise(boxes):
                self.assertLessEqual(end, start)
