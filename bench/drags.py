"""A number dragged in a real browser on the running demo: pictures a second, and how soon the sharp one is there at
rest."""

from __future__ import annotations

import json
import statistics

from playwright.sync_api import Page, Playwright, sync_playwright

from bench.clients import ADDRESS, VAR

SECONDS = 2.5
ROWS = 5  # of the ledger, spread over its length
AIM = 20  # pictures a second
VIEWED = "canvas[data-serial]"
WATCH = f"""() => {{
  const canvas = document.querySelector('{VIEWED}');
  window.seen = [];
  const data = canvas.dataset;
  new MutationObserver(() => window.seen.push([performance.now(), data.serial, data.encoding, data.across]))
    .observe(canvas, {{ attributes: true, attributeFilter: ['data-serial', 'data-encoding'] }});
}}"""
# The same picture again and again, as fast as the server makes it, and nothing drawn.
ALONE = """async ([url, body, headers, seconds]) => {
  const asked = { ...JSON.parse(body), viewer: 'alone' };
  const begun = performance.now();
  let serial = 0;
  while (performance.now() - begun < seconds * 1000) {
    const answer = await fetch(url, { method: 'POST', headers, body: JSON.stringify({ ...asked, serial: ++serial }) });
    await answer.blob();
  }
  return serial / (performance.now() - begun) * 1000;
}"""


def run() -> None:
    with sync_playwright() as playwright:
        page = logged_in(playwright, "shots/ORR/ORR_010/rebuild/")
        watch(page)
        asked = []
        page.on("request", lambda request: asked.append(request) if '"jpeg"' in (request.post_data or "") else None)
        fields = page.locator(".ledger-row num-field")
        rates, rests = [], []
        for number in sorted({round(at * (fields.count() - 1) / (ROWS - 1)) for at in range(ROWS)}):
            rate, rest, across = _drag(page, fields.nth(number))
            print(
                f"row {number + 1}: {rate:.1f} pictures a second, {across} pixels across, sharp {rest:.0f} ms "
                "after rest"
            )
            rates.append(rate)
            rests.append(rest)
        last = asked[-1]
        headers = {name: text for name, text in last.headers.items() if name in ("content-type", "x-csrftoken")}
        alone = page.evaluate(ALONE, [last.url, last.post_data, headers, SECONDS])
        page.context.browser.close()
        page = logged_in(playwright, "shots/ORR/ORR_020/rebuild/deep/")
        watch(page)
        rate, rest, across = _drag(page, page.locator(".deep-rows num-field").last)
        print(
            f"a card dragged in depth: {rate:.1f} pictures a second, {across} pixels across, sharp {rest:.0f} ms after "
            "rest (aim: one within 100 ms)"
        )
        page.context.browser.close()
    print(
        f"drags in a browser: {min(rates):.1f} to {max(rates):.1f} pictures a second (aim: {AIM}), "
        f"{statistics.median(rates) / alone:.2f} of what the server makes of the last row when nothing is drawn; "
        f"sharp after {statistics.median(rests):.0f} ms (aim: 200)"
    )


def logged_in(playwright: Playwright, path: str) -> Page:
    """A page with a viewer, as the demo account sees it, once its picture is there."""
    password = json.loads((VAR / "secrets.json").read_text()).get("demo", "demo")
    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{ADDRESS}/login/")
    page.fill("input[name=username]", "demo")
    page.fill("input[name=password]", password)
    page.click("text=Log in")
    page.wait_for_url(lambda url: "login" not in url)
    page.goto(f"{ADDRESS}/{path}")
    page.wait_for_selector("canvas[data-encoding=png]")
    return page


def watch(page: Page) -> None:
    """From now on `window.seen` has what is shown: when, serial, encoding, pixels across."""
    page.evaluate(WATCH)


def _drag(page: Page, field) -> tuple[float, float, str]:
    """Pictures a second while the pointer moves, milliseconds from its rest to the exact picture, and the pixels across
    that most of them had."""
    field.scroll_into_view_if_needed()
    box = field.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("window.seen.length = 0; window.begun = performance.now()")
    for step in range(int(SECONDS * 60)):
        page.mouse.move(x + 30 * (1 - abs(step % 60 - 30) / 15), y)
        page.wait_for_timeout(1000 / 60 - 4)
    spent = page.evaluate("performance.now() - window.begun")
    shown = {serial: across for _, serial, _, across in page.evaluate("window.seen")}
    page.evaluate("window.seen.length = 0; window.begun = performance.now()")
    page.mouse.up()
    page.wait_for_timeout(900)
    rest = page.evaluate("window.seen.find((entry) => entry[2] === 'png')[0] - window.begun")
    page.keyboard.press("Control+z")
    page.wait_for_timeout(700)
    return len(shown) / spent * 1000, rest, statistics.mode(shown.values())
