"""Every view held against the rules of axe-core, light and dark."""

from pathlib import Path
from typing import Any

from tests.browser.page import PageTest

AXE = (Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js").read_text(encoding="utf-8")
RUN = """
const [only, done] = arguments
axe.run(document, { ...(only ? { runOnly: only } : {}), resultTypes: ['violations'], rules: { 'target-size': { enabled: true }, 'label-content-name-mismatch': { enabled: true } } })
  .then((found) => done(found.violations.map((one) => `${one.id}: ${one.nodes.slice(0, 3).map((node) => node.html.slice(0, 140)).join(' ')}`)))
"""
VIEWS = {
    "/scorecards": "h1", "/scorecards/network-performance": "[data-instrument] .head",
    "/scorecards/network-performance/bench": "[data-instrument] .head", "/scorecards/sailing-cost": ".assuming input",
    "/scorecards/revenue-by-route": "[data-instrument] .head", "/kpis/on-time": ".three textarea", "/kpis/assumptions": ".one h2",
    "/yardsticks/punctuality": ".page-title", "/marks/on-time": "table", "/data": "table", "/data/sailings": "table",
    "/data/safety-sheet": "table", "/data/refit-programme": "table", "/data/new/sheet": ".page-title",
    "/data/new/checklist": ".page-title", "/data/new/live": "h1", "/changed": "h1", "/nowhere": "h1",
    "/specimens/plain": "[data-face=strip]", "/specimens/members": "[data-face=strip]",
    "/": ".cards svg", "/rows": "textarea", "/scorecards/network-performance/present": "[data-instrument] .head",
    "/specimens/nothing": "[data-face=strip]", "/watches/routes-that-slip": ".strips", "/watches/new?kpi=on-time": ".strips",
    "/watches/sending": "form", "/upkeep": ".line",
}  # fmt: skip


class Accessible(PageTest):
    def violations(self, only: list[str] | None) -> list[Any]:
        self.driver.execute_script(AXE)
        found: list[Any] = self.driver.execute_async_script(RUN, only)
        return found

    def test_no_view_breaks_a_rule(self) -> None:
        for path, css in VIEWS.items():
            self.open(path)
            self.wait(lambda css=css: self.all(css))
            # In the dark only the colours are others.
            for mode, only in (("light", None), ("dark", ["color-contrast"])):
                self.driver.execute_script(f"document.documentElement.dataset.mode = '{mode}'")
                with self.subTest(path, mode=mode):
                    self.assertEqual(self.violations(only), [])
