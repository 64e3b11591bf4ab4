"""Takes the pictures in docs/screenshots from the running demo: `var/venv/bin/python docs/shoot.py`."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

HERE = Path(__file__).parent / "screenshots"
VAR = Path(os.environ.get("EAGER_VAR") or HERE.parents[1] / "var")
ADDRESS = "http://127.0.0.1:8710"
QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--no-first-run",
]


def log_in(page: Page) -> None:
    page.goto(f"{ADDRESS}/login/")
    page.fill("#id_username", "demo")
    page.fill("#id_password", json.loads((VAR / "secrets.json").read_text()).get("demo", "demo"))
    page.click("text=Log in")


def shots(page: Page) -> None:
    page.goto(f"{ADDRESS}/")


def plan(page: Page) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_020/plan/#sheet")


def mist(page: Page) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/plan/#mist")
    page.wait_for_selector(".mist-foot img[src]")


def _ledger(page: Page, frame: int) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/rebuild/?frame={frame}")
    page.wait_for_selector("canvas[data-encoding=png]")
    page.wait_for_selector("text=balanced within")


def rebuild(page: Page) -> None:
    _ledger(page, 1008)
    page.get_by_role("button", name="Scopes").click()
    page.mouse.move(900, 300)


def dimmers(page: Page) -> None:
    _ledger(page, 1008)
    page.get_by_role("button", name="Dimmers").click()


def mattes(page: Page) -> None:
    """Planets being picked in the picture."""
    page.keyboard.press("Control+z")
    page.wait_for_timeout(1000)
    _ledger(page, 1008)
    page.get_by_role("button", name="Mattes", exact=True).click()
    page.locator(".chip").first.click()
    page.locator(".chip").first.click()
    page.get_by_role("button", name="Pick in the picture").click()
    page.mouse.move(760, 410)
    page.wait_for_selector("text=azure 100 %")
    page.wait_for_timeout(1500)


def compare(page: Page) -> None:
    page.keyboard.press("Control+z")
    page.wait_for_timeout(1000)
    _ledger(page, 1008)
    page.get_by_role("button", name="Compare", exact=True).click()
    page.get_by_role("button", name="Wipe").click()
    page.wait_for_timeout(1000)


def deep(page: Page) -> None:
    """The bird on its way past the sun, in the section of a pixel that it shares with a ring."""
    page.goto(f"{ADDRESS}/shots/ORR/ORR_020/rebuild/deep/?frame=1025")
    page.wait_for_selector("canvas[data-encoding=png]")
    page.wait_for_load_state("networkidle")
    page.get_by_role("button", name="Limits, files").click()
    page.get_by_role("button", name="Measure", exact=True).click()
    page.wait_for_selector(".deep-costs", timeout=60_000)
    canvas = page.locator(".surround canvas").bounding_box()
    page.mouse.move(canvas["x"] + canvas["width"] * 0.431, canvas["y"] + canvas["height"] * 0.417)
    page.wait_for_load_state("networkidle")


def _finish(page: Page, step: str) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/finish/?frame=1008&step={step}")
    page.wait_for_selector("canvas[data-encoding=png]")
    page.wait_for_load_state("networkidle")


def finish(page: Page) -> None:
    """The glow opened, between the steps before it and after it."""
    _finish(page, "glow")
    page.mouse.move(700, 330)
    page.wait_for_selector("text=16 bit")


def finish_beside(page: Page) -> None:
    """The rebuilt picture and the finished one."""
    _finish(page, "")
    page.get_by_role("button", name="Compare", exact=True).click()
    page.get_by_role("button", name="Beside").click()
    page.wait_for_timeout(1000)


def intake(page: Page) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/intake/")
    page.wait_for_selector("text=all frames read", timeout=300_000)
    page.wait_for_load_state("networkidle")


def look(page: Page) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/look/?pass=beauty_denoised&frame=1001")
    page.wait_for_selector("canvas[data-serial]")
    page.get_by_role("button", name="Scopes").click()
    page.get_by_role("button", name="Compare", exact=True).click()
    page.get_by_label("Picture to compare with").select_option("normals")
    page.get_by_role("button", name="Wipe").click()
    page.mouse.move(700, 330)
    page.wait_for_selector("text=16 bit")
    page.wait_for_load_state("networkidle")


def render(page: Page) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/render/")
    page.get_by_role("button", name="Other passes").click()
    page.wait_for_selector(".frame-detail")


def scene(page: Page) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/scene/")
    expect(page.locator(".scene-cameras img[src^=blob]")).to_have_count(3, timeout=120_000)


def work(page: Page) -> None:
    page.goto(f"{ADDRESS}/work/")


def production(page: Page) -> None:
    page.goto(f"{ADDRESS}/productions/ORR/")


def handoff(page: Page) -> None:
    _delivered(page)
    page.reload()
    count = "document.querySelectorAll"
    drawn = f"() => {count}('.item-thumb img[src^=data]').length === {count}('.item').length"
    page.wait_for_function(drawn)
    page.get_by_role("button", name="Show review large", exact=True).click()


def _delivered(page: Page) -> None:
    """A delivery of eight frames with a movie, ordered if there is none."""
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/hand-off/?frame=1001-1008")
    page.wait_for_selector("[data-item]")
    if page.locator(".dispatch[data-state=done] a.btn-sm").count() == 0:
        for preset in ("to review", "to lay over"):
            page.get_by_label("Add from preset").select_option(label=preset)
        page.get_by_role("button", name="Contact sheet").click()
        page.get_by_role("button", name="Write").click()
        page.wait_for_selector(".dispatch[data-state=done] a.btn-sm", timeout=300_000)


def review(page: Page) -> None:
    _delivered(page)
    page.locator(".dispatch[data-state=done] a.btn-sm").first.click()
    page.wait_for_selector(".review-picture img")
    if page.locator("[data-note]").count() == 0:
        box = page.locator(".review-picture svg").bounding_box()
        page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.3)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.56, box["y"] + box["height"] * 0.45, steps=8)
        page.mouse.up()
        page.get_by_label("Note", exact=True).fill("less glow on the sun, please")
        page.get_by_role("button", name="Note on").click()
    page.locator(".note-head").first.click()


def board(page: Page) -> None:
    page.goto(f"{ADDRESS}/shots/ORR/ORR_010/hand-off/")
    page.wait_for_selector("[data-item]")
    if page.locator(".board-chip a").count():
        page.locator(".board-chip a").first.click()
    else:
        page.get_by_label("New board").select_option("hero")
    page.wait_for_selector(".board-list li")
    page.wait_for_load_state("networkidle")
    page.locator(".board-name", has_text="Picture").first.click()


VIEWS = {
    "shots": shots,
    "plan": plan,
    "plan-mist": mist,
    "scene": scene,
    "production": production,
    "work": work,
    "render": render,
    "rebuild": rebuild,
    "dimmers": dimmers,
    "mattes": mattes,
    "compare": compare,
    "deep": deep,
    "hand-off": handoff,
    "board": board,
    "review": review,
    "intake": intake,
    "look": look,
    "finish": finish,
    "finish-before-after": finish_beside,
}


def main(names: list[str]) -> None:
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=QUIET)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on("console", lambda message: print("console:", message.text))
        page.on("pageerror", lambda error: print("page error:", error))
        log_in(page)
        if page.locator(".tour").count():  # of a demo that nobody has looked at yet
            page.get_by_role("button", name="Skip").click()
        for name in names or VIEWS:
            VIEWS[name](page)
            page.wait_for_timeout(1200)
            page.screenshot(path=HERE / f"{name}.png")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1:])
