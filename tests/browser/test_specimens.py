"""Every face in every condition and size, walked: no text over another or cut through, none outside its sheet, no
ticks that touch, all told in words."""

from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.page import PageTest

# The boxes of all texts in view on each sheet, cut to what scrolls; and which of them lie over another or outside.
LOOK = """
const out = []
const clipped = (node, box) => {
  let { left, right, top, bottom } = box
  for (let up = node.parentElement; up; up = up.parentElement) {
    const style = getComputedStyle(up)
    if (style.clipPath !== 'none' || style.visibility === 'hidden' || style.opacity === '0') return null
    if (style.overflow !== 'visible') {
      const held = up.getBoundingClientRect()  // but for its scroll bars
      const edge = up instanceof HTMLElement && up.clientHeight
        ? { left: held.left, right: held.left + up.clientLeft + up.clientWidth, top: held.top, bottom: held.top + up.clientTop + up.clientHeight }
        : held
      left = Math.max(left, edge.left); right = Math.min(right, edge.right)
      top = Math.max(top, edge.top); bottom = Math.min(bottom, edge.bottom)
    }
    if (up.matches('section')) break
  }
  return right - left > 1 && bottom - top > 3 ? { left, right, top, bottom } : null
}
const sideways = (node) => {
  for (let up = node.parentElement; up; up = up.parentElement)
    if (up.scrollWidth > up.clientWidth + 1 && getComputedStyle(up).overflowX === 'auto') return true
  return false
}
for (const sheet of document.querySelectorAll('[data-face]')) {
  const found = []
  const walk = document.createTreeWalker(sheet, NodeFilter.SHOW_TEXT)
  while (walk.nextNode()) {
    const node = walk.currentNode
    if (!node.data.trim() || node.parentElement.closest('title, style')) continue
    const range = document.createRange()
    range.selectNodeContents(node)
    for (const rect of range.getClientRects()) {
      const box = clipped(node, rect)
      const parent = node.parentElement
      if (box && !parent.closest('.sr-only') && Math.max(box.top - rect.top, rect.bottom - box.bottom) > 2.5)
        out.push(`${sheet.dataset.face}: “${node.data.trim().slice(0, 24)}” is cut through`)
      const short = [parent, parent.parentElement, parent.parentElement?.parentElement]
        .some((held) => held && (getComputedStyle(held).textOverflow === 'ellipsis' || getComputedStyle(held).webkitLineClamp !== 'none'))
      // What is scrolled sideways is reached by scrolling; its foot shows the bar.
      if (box && !short && !sideways(node) && rect.right - box.right > 2.5)
        out.push(`${sheet.dataset.face}: “${node.data.trim().slice(0, 24)}” is cut off`)
      const tick = !!parent.closest('.ticks, .tick, .axis')
      if (box) found.push({ tick, node, text: node.data.trim().slice(0, 24), sticky: !!node.parentElement.closest('.axis-row, .head'), ...box })
    }
  }
  const edge = sheet.getBoundingClientRect()
  for (const [i, a] of found.entries()) {
    if (a.left < edge.left - 1 || a.right > edge.right + 1 || a.bottom > edge.bottom + 1)
      out.push(`${sheet.dataset.face}: “${a.text}” leaves its sheet`)
    for (const b of found.slice(i + 1)) {
      if (a.node === b.node || a.sticky !== b.sticky) continue  // rows pass under a heading or axis that stays
      const wide = Math.min(a.right, b.right) - Math.max(a.left, b.left)
      const tall = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top)
      const touch = a.tick && b.tick && wide > -2 && tall > 4
      if (touch) out.push(`${sheet.dataset.face}: ticks “${a.text}” and “${b.text}” touch`)
      if (wide > 1.5 && tall > 4) out.push(`${sheet.dataset.face}: “${a.text}” over “${b.text}”`)
    }
  }
}
return out
"""
FACES = 16


class Specimens(PageTest):
    def show(self, condition: str, size: str = "normal") -> None:
        self.open(f"/specimens/{condition}?size={size}")
        self.wait(lambda: self.all(f'.specimens[data-shown="{condition}"]'))
        self.wait(lambda: len(self.all("[data-face]")) == FACES)
        # Drawings take their size from their sheets, a frame or two after those are there.
        self.driver.execute_async_script(
            "requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(arguments[0], 60)))"
        )

    def conditions(self) -> list[str]:
        found: list[dict[str, Any]] = self.client.get("/api/specimens").json()
        return [condition["key"] for condition in found]

    def test_no_text_lies_over_another_or_leaves_its_sheet(self) -> None:
        every = self.conditions()
        for size, conditions in (("small", every), ("normal", every), ("full", ["plain", "members", "huge"])):
            for condition in conditions:
                with self.subTest(condition, size=size):
                    self.show(condition, size)
                    self.assertEqual(self.driver.execute_script(LOOK), [])

    def test_dark_is_as_clear_as_light(self) -> None:
        self.show("plain")
        self.driver.execute_script("document.documentElement.dataset.mode = 'dark'")
        self.addCleanup(self.driver.execute_script, "localStorage.removeItem('mode')")
        self.assertEqual(self.driver.execute_script(LOOK), [])
        sheet, text = self.driver.execute_script(
            "const s = getComputedStyle(document.querySelector('[data-face=dial]'));"
            "return [s.backgroundColor, getComputedStyle(document.querySelector('[data-face=dial] .figure')).color]"
        )
        self.assertNotEqual(sheet, text)

    def test_every_face_tells_its_reading_and_opens(self) -> None:
        self.show("plain")
        for face in self.all("[data-face]"):
            name = face.get_attribute("data-face")
            with self.subTest(name):
                told = self.driver.execute_script(
                    "return [...arguments[0].querySelectorAll('[aria-label]')].map(e => e.getAttribute('aria-label'))",
                    face,
                )
                self.assertTrue(any("under" in text or "over" in text or "Good" in text for text in told), told)
        self.named("Calls at the landing, 777, near, 23 under target 800. Open the workings", "button").click()
        self.see("Calls at the landing, 777, near, 23 under target 800")

    def test_the_focus_tells_value_mark_gap_state_and_band(self) -> None:
        self.show("members")
        self.driver.execute_script("document.querySelector('[data-face=bullet] .row .press').focus()")
        self.chord(Keys.SHIFT, Keys.TAB)
        self.keys(Keys.TAB)
        said = "Calls at the landing, North quay, 55, short, 45 under target 100; its band: under 90"
        self.wait(lambda: self.one(".tip").text == said)
        self.keys(Keys.ESCAPE)
        self.wait(lambda: not self.all(".tip"))

    def test_no_reading_shows_no_zero(self) -> None:
        self.show("nothing")
        for face in self.all("[data-face]"):
            with self.subTest(face.get_attribute("data-face")):
                self.assertTrue("no reading" in face.text or "no rows" in face.text or "quay" in face.text, face.text)

    def test_a_partial_period_is_hatched_or_told(self) -> None:
        self.show("partial")
        for face in self.all("[data-face]"):
            with self.subTest(face.get_attribute("data-face")):
                self.assertIn("21 of 30 days", face.text)

    def test_past_the_axis_is_signed_and_the_true_figure_told(self) -> None:
        self.show("over")
        for name in ("dial", "bullet", "bar", "column", "ring", "ranked"):
            face = self.one(f"[data-face={name}]")
            with self.subTest(name):
                self.assertTrue(self.driver.execute_script("return !!arguments[0].querySelector('.overrun')", face))
                self.assertIn("777", face.text)

    def test_three_hundred_members_draw_only_the_rows_in_sight(self) -> None:
        self.show("crowd")
        for name, css in (
            ("bullet", ".item .name"),
            ("bar", ".item .name"),
            ("ranked", ".item .name"),
            ("ledger", ".line .name"),
        ):
            with self.subTest(name):
                self.assertLess(len(self.all(f"[data-face={name}] {css}")), 60)
        bed = self.one("[data-face=ledger] .bed")
        first = self.one("[data-face=ledger] .line .name").text
        self.driver.execute_script("arguments[0].scrollTop = arguments[0].scrollHeight", bed)
        self.wait(lambda: self.all("[data-face=ledger] .line .name")[-1].text != first)
        self.assertEqual(self.driver.execute_script("return arguments[0].getAttribute('aria-rowcount')", bed), "301")

    def test_from_the_sentence_another_condition_and_size(self) -> None:
        self.show("plain")
        self.slot("Condition")
        self.choose("no reading")
        self.wait(lambda: self.all('.specimens[data-shown="nothing"]'))
        self.slot("Size")
        self.choose("small, 160 pixels wide")
        self.wait(lambda: self.one("[data-face=dial]").rect["width"] == 160)
