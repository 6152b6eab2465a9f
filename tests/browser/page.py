"""What a person does at the screen, for the browser tests."""

from __future__ import annotations

import time
import unittest
from collections.abc import Callable
from typing import Any

from selenium.common.exceptions import StaleElementReferenceException, WebDriverException
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests import world

FORGET = """try {
  sessionStorage.clear()
  for (const key of Object.keys(localStorage)) if (key !== 'clock-ahead') localStorage.removeItem(key)
} catch {}"""  # a page without an origin has no storage
SECONDS = 120.0  # on a busy machine; what is there is found at once


class PageTest(unittest.TestCase):
    """A test at the real interface. What it makes it takes away; what it changes it puts back."""

    def setUp(self) -> None:
        self.server = world.running()
        self.client = self.server.client
        self.driver = world.browser()
        self.driver.get_log("browser")
        self.addCleanup(self.driver.get, "about:blank")
        # What is typed and not kept stands there again in this tab, and when one last looked is known to this browser, but
        # not in the next test.
        self.addCleanup(self.driver.execute_script, FORGET)

    def tearDown(self) -> None:
        # Refusals are logged by the browser as failed requests; a script error is never fine.
        errors = [entry["message"] for entry in self.driver.get_log("browser") if entry["source"] != "network"]
        self.assertEqual([e for e in errors if "favicon" not in e], [])

    def open(self, place: str) -> None:
        self.driver.get("about:blank")
        self.driver.get(f"{self.server.address}/#{place}")

    def wait(self, what: Callable[[], Any], why: str = "") -> Any:
        """Wait until ``what`` gives something true, and return it."""
        until = time.monotonic() + SECONDS
        problem: Exception | None = None
        while time.monotonic() < until:
            try:
                found = what()
                if found:
                    return found
            except (WebDriverException, AssertionError, IndexError) as error:
                problem = error
            time.sleep(0.04)
        self.fail(f"{why or 'nothing came'}; the page says: {self.text()[:600]} {problem or ''}")

    def all(self, css: str) -> list[WebElement]:
        found: list[WebElement] = self.driver.find_elements(By.CSS_SELECTOR, css)
        return found

    def one(self, css: str) -> WebElement:
        found: WebElement = self.wait(lambda: next((e for e in self.all(css) if e.is_displayed()), None), css)
        return found

    def named(self, text: str, css: str = "button, a") -> WebElement:
        """The control that says ``text``, or is so called for a screen reader."""

        def look() -> WebElement | None:
            for element in self.all(css):
                said = (element.text, element.get_attribute("aria-label") or "")
                if text in (part.strip() for part in said) and element.is_displayed():
                    return element
            return None

        found: WebElement = self.wait(look, f"no control “{text}”")
        return found

    def press(self, text: str, css: str = "button, a") -> None:
        def click() -> bool:
            self.named(text, css).click()
            return True

        self.wait(click, f"“{text}” cannot be pressed")

    def slot(self, label: str) -> None:
        """Open a slot of a sentence."""
        self.wait(lambda: self._click(f'button[aria-label^="{label}:"]'), f"no slot {label}")

    def choose(self, name: str) -> None:
        """Choose from the open slot's list."""

        def pick() -> bool:
            for element in self.all(".choice"):
                if (
                    element.is_displayed()
                    and element.text.split("\n")[
                        -2 if "\n" in element.text and element.text.startswith("✓") else 0
                    ].strip("✓ ")
                    == name
                ):
                    element.click()
                    return True
                if element.is_displayed() and name in element.text.split("\n"):
                    element.click()
                    return True
            return False

        self.wait(pick, f"nothing is called “{name}”")

    def _click(self, css: str) -> bool:
        element = next((e for e in self.all(css) if e.is_displayed()), None)
        if element is None:
            return False
        try:
            element.click()
        except StaleElementReferenceException:
            return False
        return True

    def type(self, label: str, text: str, *, enter: bool = True) -> None:
        """Replace what is in the field with this label."""
        field = self.one(f'[aria-label="{label}"]')
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)
        if enter:
            field.send_keys(Keys.ENTER)

    def keys(self, *keys: str) -> None:
        ActionChains(self.driver).send_keys(*keys).perform()

    def chord(self, *keys: str) -> None:
        chain = ActionChains(self.driver)
        for key in keys[:-1]:
            chain.key_down(key)
        chain.send_keys(keys[-1])
        for key in keys[:-1]:
            chain.key_up(key)
        chain.perform()

    def paste(self, text: str) -> None:
        self.driver.execute_script(
            "const data = new DataTransfer(); data.setData('text/plain', arguments[0]);"
            "document.activeElement.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true}))",
            text,
        )

    def copied(self) -> str:
        """What the page puts on the clipboard when copying is asked for."""
        script = (
            "const data = new DataTransfer(); const e = new ClipboardEvent('copy', {clipboardData: data, bubbles: true});"
            "document.activeElement.dispatchEvent(e); return data.getData('text/plain')"
        )
        return str(self.driver.execute_script(script))

    def drag(self, element: WebElement, across: int, along: int = 0) -> None:
        chain = ActionChains(self.driver, duration=60).click_and_hold(element)
        for _ in range(4):
            chain.move_by_offset(across // 4, along // 4)
        chain.move_by_offset(across % 4, along % 4).release().perform()

    def screen(self, width: int, height: int, *, mobile: bool = False) -> None:
        """Draw on a screen of this size until the test ends."""
        size = {"width": width, "height": height, "mobile": mobile}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", world.SCREEN | size)
        self.addCleanup(self.driver.execute_cdp_cmd, "Emulation.setDeviceMetricsOverride", world.SCREEN)

    def rest(self) -> None:
        """Wait until the page has asked the server for nothing for a second."""
        asked = "return performance.getEntriesByType('resource').length"
        self.driver.execute_script("performance.setResourceTimingBufferSize(10000)")
        before, since = -1, time.monotonic()
        while time.monotonic() - since < 1:
            if (now := self.driver.execute_script(asked)) != before:
                before, since = now, time.monotonic()
            time.sleep(0.1)

    def text(self) -> str:
        return str(self.driver.execute_script("return document.body.innerText"))

    def see(self, *texts: str) -> None:
        for text in texts:
            self.wait(lambda text=text: text in self.text(), f"“{text}” is not on the page")

    def gone(self, text: str) -> None:
        self.wait(lambda: text not in self.text(), f"“{text}” is still on the page")

    # What tests make and put back

    def make(self, kind: str, body: dict[str, Any]) -> str:
        answer = self.client.post(f"/api/{kind}", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        key = str(answer.json()["id"])
        self.addCleanup(self.drop, kind, key)
        return key

    def drop(self, kind: str, key: str) -> None:
        found = self.client.get(f"/api/{kind}/{key}")
        if found.status_code == 200:
            self.client.delete(f"/api/{kind}/{key}", headers={"If-Match": found.headers["etag"]})

    def body(self, kind: str, key: str) -> Any:
        return self.client.get(f"/api/{kind}/{key}").json()["body"]

    def put_back(self, kind: str, key: str) -> None:
        """Have a document as it is now again after the test."""
        kept = self.body(kind, key)

        def restore() -> None:
            tag = self.client.get(f"/api/{kind}/{key}").headers["etag"]
            self.client.put(f"/api/{kind}/{key}", json=kept, headers={"If-Match": tag})

        self.addCleanup(restore)

    def sweep(self, kind: str) -> None:
        """Take away after the test whatever of this kind it made on the screen."""
        before = {found["id"] for found in self.client.get(f"/api/{kind}").json()}
        self.addCleanup(
            lambda: [self.drop(kind, f["id"]) for f in self.client.get(f"/api/{kind}").json() if f["id"] not in before]
        )
