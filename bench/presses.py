"""Objects pressed into a matte in a real browser: from the press to the picture, on 1920 x 1080 pixels and six levels.

The running demo gets a shot for it, which is removed again.
"""

from __future__ import annotations

import statistics

from playwright.sync_api import Page, sync_playwright

from bench.clients import VAR
from bench.drags import VIEWED, logged_in, watch
from bench.servers import House

AIM = 150  # milliseconds
WARMING = 4  # presses before those that count: two processes serve the page, and each keeps the planes of its own
PRESSES = 16
SETTLED = 900  # milliseconds after which the exact picture and the account are there
MAKE = """
import numpy as np
from bench.mattes import HEIGHT, WIDTH, THINGS, named_frame
from desk.intake.looking import look
from desk.rebuild.services import open_ledger
from desk.elements.models import Place
from desk.shots.models import Production, Shot
from desk.house.setup import create_shot
from desk.shots.storage import shot_folder
from prism.formats.exr import write_exr
from prism.mattes.cryptomatte import header
from prism.pixels.image import Image
production = Production.objects.get(code="ORR")
Shot.objects.filter(production=production, code="BENCH").delete()
shot = create_shot(production, "BENCH", "Presses", frames="1001-1001", width=WIDTH, height=HEIGHT)
folder = shot_folder(shot) / "presses"
folder.mkdir(parents=True, exist_ok=True)
frame = named_frame()
noise = np.random.default_rng(1).random((3, HEIGHT, WIDTH)).astype(np.float16)
planes = {"A": np.ones((HEIGHT, WIDTH), np.float16)}
for letter, plane in zip("RGB", noise):
    planes[letter] = planes[f"emission.{letter}"] = plane
for number in range(3):
    held = frame.pixels(f"ids{number:02}")
    for letter, plane in zip("RGBA", (*held.planes, held.alpha)):
        planes[f"crypto_object{number:02}.{letter}"] = plane.astype(np.float32)
names = [f"thing_{number}" for number in range(THINGS)]
write_exr(folder / "bench.1001.exr", Image.of_planes(planes, **header("crypto_object", names)))
look(Place.objects.create(shot=shot, folder=str(folder), name="presses"))
open_ledger(shot)
"""
REMOVE = """
import shutil
from desk.shots.models import Shot
from desk.shots.storage import shot_folder
for shot in Shot.objects.filter(production__code="ORR", code="BENCH"):
    shutil.rmtree(shot_folder(shot), ignore_errors=True)
    shot.delete()
"""


def run() -> None:
    house = House(VAR, {})
    print(house.python(MAKE), end="")
    try:
        with sync_playwright() as playwright:
            page = logged_in(playwright, "shots/ORR/BENCH/rebuild/")
            page.keyboard.press("m")
            page.get_by_role("button", name="New matte").click()
            page.get_by_label("Add a part").select_option(label="Cryptomatte, objects")
            page.wait_for_selector(".names li")
            page.wait_for_timeout(SETTLED)
            watch(page)
            taken = [_press(page, number) for number in range(WARMING + PRESSES)]
            page.context.browser.close()
    finally:
        print(house.python(REMOVE), end="")
    first, rest = taken[:WARMING], taken[WARMING:]
    print(
        f"press to picture in a browser: {statistics.median(rest):.0f} ms, {min(rest):.0f} to {max(rest):.0f} "
        f"(aim: {AIM}); "
        f"the first {WARMING}: {', '.join(f'{each:.0f}' for each in first)}"
    )


def _press(page: Page, number: int) -> float:
    """Milliseconds from the press to the next picture. The pointer gets there first, as a hand does."""
    box = page.locator(VIEWED).bounding_box()
    x = box["x"] + box["width"] * (0.2 + 0.6 * (number * 0.37 % 1))
    y = box["y"] + box["height"] * (0.4 + 0.2 * (number * 0.61 % 1))
    page.mouse.move(x, y)
    page.wait_for_timeout(250)
    page.evaluate(
        "window.seen.length = 0; addEventListener('pointerup', () => (window.begun = performance.now()), "
        "{ capture: true, once: true })"
    )
    page.mouse.click(x, y)
    page.wait_for_timeout(SETTLED)
    return page.evaluate(
        "window.seen.find(([at, , encoding]) => at > window.begun && encoding === 'jpeg')[0] - window.begun"
    )
