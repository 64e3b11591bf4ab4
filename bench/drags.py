"""A number dragged in a real browser on the running demo: pictures a second, and how soon the sharp one is there at rest."""

from __future__ import annotations

import json
import statistics

from playwright.sync_api import Page, sync_playwright

from bench.faults import ADDRESS, VAR

SECONDS = 2.5
ROWS = 5  # of the ledger, spread over its length
AIM = 20  # pictures a second
WATCH = """() => {
  const canvas = document.querySelector('canvas[data-serial]');
  window.seen = [];
  new MutationObserver(() => window.seen.push([performance.now(), canvas.dataset.serial, canvas.dataset.encoding]))
    .observe(canvas, { attributes: true, attributeFilter: ['data-serial', 'data-encoding'] });
}"""


def run() -> None:
    password = json.loads((VAR / "secrets.json").read_text()).get("demo", "demo")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{ADDRESS}/login/")
        page.fill("input[name=username]", "demo")
        page.fill("input[name=password]", password)
        page.click("text=Log in")
        page.wait_for_url(lambda url: "login" not in url)
        page.goto(f"{ADDRESS}/shots/ORR/ORR_010/rebuild/")
        page.wait_for_selector("canvas[data-encoding=png]")
        page.evaluate(WATCH)
        fields = page.locator(".ledger-row num-field")
        rates, rests = [], []
        for number in sorted({round(at * (fields.count() - 1) / (ROWS - 1)) for at in range(ROWS)}):
            rate, rest = _drag(page, fields.nth(number))
            print(f"row {number + 1}: {rate:.1f} pictures a second, sharp {rest:.0f} ms after rest")
            rates.append(rate)
            rests.append(rest)
        browser.close()
    print(
        f"drags in a browser: {min(rates):.1f} to {max(rates):.1f} pictures a second (aim: {AIM}), "
        f"sharp after {statistics.median(rests):.0f} ms (aim: 200)"
    )


def _drag(page: Page, field) -> tuple[float, float]:
    """Pictures a second while the pointer moves, and milliseconds from its rest to the exact picture."""
    field.scroll_into_view_if_needed()
    box = field.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("window.seen.length = 0; window.begun = performance.now()")
    for step in range(int(SECONDS * 60)):
        page.mouse.move(x + 30 * (1 - abs(step % 60 - 30) / 15), y)
        page.wait_for_timeout(1000 / 60 - 4)
    shown, spent = page.evaluate(
        "[new Set(window.seen.map((entry) => entry[1])).size, performance.now() - window.begun]"
    )
    page.evaluate("window.seen.length = 0; window.begun = performance.now()")
    page.mouse.up()
    page.wait_for_timeout(900)
    rest = page.evaluate("window.seen.find((entry) => entry[2] === 'png')[0] - window.begun")
    page.keyboard.press("Control+z")
    page.wait_for_timeout(700)
    return shown / spent * 1000, rest
