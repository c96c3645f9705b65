"""Headless Chromium through Selenium, and waiting on facts of the page."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import ElementClickInterceptedException, TimeoutException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

FLAGS = (
    "--headless=new --no-sandbox --disable-gpu --use-angle=swiftshader --enable-unsafe-swiftshader"
    " --disable-dev-shm-usage --disable-quic --no-first-run --disable-background-networking --disable-component-update"
    " --disable-sync --disable-features=BackForwardCache,SpareRendererForSitePerProcess,Translate,OptimizationHints,MediaRouter"
    " --force-prefers-reduced-motion --window-size=1280,800"
).split()
PATIENCE = 60
FIRST = """
return [...document.querySelectorAll(arguments[0])].find((e) => !arguments[1] || e.innerText.includes(arguments[1])) ?? null
"""
"""One question to the browser, however many elements match."""


class Page:
    """A browser window at Awl, with the few gestures tests and pictures need."""

    def __init__(self, driver: webdriver.Chrome, address: str) -> None:
        self.driver = driver
        self.address = address

    def wait(self, fact: Callable[[], Any], what: str) -> Any:
        """Wait until `fact()` is true, and return it."""
        try:
            return WebDriverWait(self.driver, PATIENCE, 0.1, ignored_exceptions=[Exception]).until(lambda _: fact())
        except TimeoutException as error:
            raise TimeoutException(f"waited for {what}\n{self.log()}") from error

    def log(self) -> str:
        """Errors of the console."""
        return "\n".join(entry["message"] for entry in self.driver.get_log("browser") if entry["level"] == "SEVERE")

    def open(self, place: str) -> None:
        """Go to an address below `#/`."""
        self.driver.get(f"{self.address}/#/{place}")

    def open_afresh(self, place: str) -> None:
        """Load the page anew at an address below `#/`: what the one before it held is forgotten."""
        if self.driver.current_url.startswith(self.address):
            # Without telling the page that is there, which would begin to show it.
            self.script("history.replaceState(null, '', arguments[0])", f"#/{place}")
            self.driver.refresh()
        else:
            self.open(place)

    def choose_file(self, path: Path) -> None:
        """Give a file to the page's import, as soon as the page is there."""
        self.wait(lambda: self.driver.find_elements(By.CSS_SELECTOR, "[data-testid=file]"), "the file input")[
            0
        ].send_keys(str(path))

    def find(self, selector: str, text: str = "") -> WebElement:
        """The first element that matches and contains the text; waits for it."""

        def look() -> WebElement | None:
            found: WebElement | None = self.script(FIRST, selector, text)
            return found

        element: WebElement = self.wait(look, f"{selector} with '{text}'")
        return element

    def click(self, selector: str, text: str = "") -> None:
        """Click an element once it is there and can be clicked."""

        def press() -> bool:
            element = self.find(selector, text)
            try:
                element.click()
            except ElementClickInterceptedException:
                # It lies under the bar at the foot of the page: a reader would scroll.
                self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
                element.click()
            return True

        self.wait(press, f"a click on {selector} with '{text}'")

    def type(self, selector: str, text: str) -> None:
        """Replace the content of a field, as a person does: select all, then type."""

        def write() -> bool:
            # A field that was drawn anew meanwhile is looked for again.
            self.find(selector).send_keys(Keys.CONTROL, "a", Keys.NULL, text)
            return True

        self.wait(write, f"{selector} to be written into")

    def script(self, code: str, *arguments: Any) -> Any:
        """Run code in the page."""
        return self.driver.execute_script(code, *arguments)

    def settled(self) -> None:
        """Wait until the map is drawn and nothing runs."""
        self.wait(lambda: self.script("return !!window.awlMap && window.awlMap.rendered > 0"), "the map")
        self.wait(lambda: self.script("return !document.querySelector('.running')"), "the questions to end")
        self.wait(lambda: self.script("return document.documentElement.dataset.fetching === '0'"), "what is fetched")
        self.script("window.awlMap.rendered = 0; window.awlMap.map.triggerRepaint()")
        self.wait(
            lambda: self.script("return window.awlMap.rendered > 0 && window.awlMap.map.loaded()"), "the map to rest"
        )

    def at(self, lon: float, lat: float) -> tuple[int, int]:
        """Where a coordinate lies in the map's canvas, pixels."""
        x, y = self.script(
            "const p = window.awlMap.map.project([arguments[0], arguments[1]]); return [p.x, p.y]", lon, lat
        )
        return round(x), round(y)

    def click_map(self, lon: float, lat: float) -> None:
        """Click the map at a coordinate, once it listens: it shows a cross while a word waits for a click."""
        canvas = self.find(".maplibregl-canvas")
        waits = (
            "return [...document.querySelectorAll('.notice')].some((n) => n.textContent.startsWith('Click the map'))"
        )
        listens = "return window.awlMap?.map.getCanvas().style.cursor === 'crosshair'"
        self.wait(lambda: not self.script(waits) or self.script(listens), "the map to wait for a click")
        x, y = self.at(lon, lat)
        size = canvas.size
        ActionChains(self.driver).move_to_element_with_offset(
            canvas, x - size["width"] // 2, y - size["height"] // 2
        ).click().perform()

    def drag_pin(self, index: int, lon: float, lat: float) -> None:
        """Drag the n-th pin to a coordinate."""
        pin = self.driver.find_elements(By.CSS_SELECTOR, ".pin")[index]
        x0, y0 = self.script(
            "const b = arguments[0].getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]", pin
        )
        left, top = self.script("const b = document.querySelector('.map').getBoundingClientRect(); return [b.x, b.y]")
        x, y = self.at(lon, lat)
        chain = ActionChains(self.driver, duration=30).click_and_hold(pin)
        for share in (0.25, 0.5, 0.75, 1.0):
            pointer = chain.w3c_actions.pointer_action
            pointer.move_to_location(round(x0 + (left + x - x0) * share), round(y0 + (top + y - y0) * share))
        chain.release().perform()

    def drag_map(self, begin: tuple[float, float], end: tuple[float, float]) -> None:
        """Drag from one coordinate of the map to another."""
        left, top = self.script("const b = document.querySelector('.map').getBoundingClientRect(); return [b.x, b.y]")
        (x0, y0), (x1, y1) = self.at(*begin), self.at(*end)
        chain = ActionChains(self.driver, duration=30)
        pointer = chain.w3c_actions.pointer_action
        pointer.move_to_location(round(left + x0), round(top + y0))
        pointer.pointer_down()
        for share in (0.25, 0.5, 0.75, 1.0):
            pointer.move_to_location(round(left + x0 + (x1 - x0) * share), round(top + y0 + (y1 - y0) * share))
        pointer.pointer_up()
        chain.perform()

    def picture(self, path: Path) -> None:
        """Save what is seen."""
        self.driver.save_screenshot(str(path))


@contextlib.contextmanager
def browser(address: str, width: int = 1280, height: int = 800, sharp: bool = False) -> Iterator[Page]:
    """A fresh window of exactly the given inner size.

    The map is drawn without a graphics card, in time that grows with its pixels: only where it is to be looked at is it `sharp`,
    else a pixel of the screen stands for two by two of the page.
    """
    with tempfile.TemporaryDirectory(prefix="awl-browser-") as profile:
        options = webdriver.ChromeOptions()
        scale = f"--force-device-scale-factor={1 if sharp else 0.5}"
        for flag in (*FLAGS, scale, f"--user-data-dir={profile}"):
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        options.add_experimental_option("prefs", {"download.default_directory": profile})
        driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        try:
            inner = driver.execute_script("return [innerWidth, innerHeight]")
            driver.set_window_size(2 * width - inner[0], 2 * height - inner[1])
            yield Page(driver, address)
        finally:
            driver.quit()


@contextlib.contextmanager
def server(folder: Path) -> Iterator[str]:
    """Awl serving a folder of studies on a free port; gives its address."""
    command = [sys.executable, "-m", "awl.cli", "serve", str(folder), "--port", "0", "--workers", "1"]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        line = process.stdout.readline()
        if "http://" not in line:
            raise RuntimeError(f"the server did not start: {line}")
        yield line.rsplit(" ", 1)[1].strip()
    finally:
        process.terminate()
        process.wait(20)
