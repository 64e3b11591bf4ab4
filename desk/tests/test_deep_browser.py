"""The bench of what is ordered by depth through a real page: a card dragged, picked, undone, put into the ledger."""

import re

import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from desk.rebuild.models import Ledger
from desk.tests.browser import BrowserCase
from desk.tests.world import HEIGHT, WIDTH
from prism.deep.files import write_samples
from prism.deep.operations import merged, placed
from prism.pixels.window import Window

WINDOW = Window(0, 0, WIDTH - 1, HEIGHT - 1)


class Bench(BrowserCase):
    def setUp(self):
        super().setUp()
        near, far = np.zeros((2, 4, HEIGHT, WIDTH), np.float32)
        near[1:, :, : WIDTH // 2] = [[[0.25]], [[0]], [[0.5]]]  # green and thin, on the left
        far[2:] = [[[0.5]], [[1]]]  # blue, everywhere
        two = [placed(rgba, depth, window=WINDOW, display=WINDOW) for rgba, depth in ((near, 2.0), (far, 6.0))]
        for frame in (1001, 1002):
            write_samples(self.folder / f"TST_010_deep.{frame}.exr", merged(two))
        self.look_again()

    def group(self):
        (group,) = [row for row in Ledger.objects.get().document["rows"] if row.get("kind") == "depth"]
        return group

    def still(self):
        self.page.wait_for_selector("canvas[data-encoding=png]")
        self.page.wait_for_load_state("networkidle")

    def test_a_card_is_dragged_picked_undone_and_put_into_the_ledger(self):
        page = self.page
        self.log_in()
        page.goto(f"{self.live_server_url}{self.url('rebuild-deep')}")
        expect(page.locator(".deep-facts")).to_contain_text(
            f"{WIDTH * HEIGHT * 3 // 2} samples, 1.50 a pixel, at most 2"
        )
        page.get_by_label("Add to what is ordered by depth").select_option(label="card: beauty")
        field = page.get_by_role("spinbutton", name="Depth of card")
        expect(field).to_have_value("6.000")
        self.still()

        # Dragged in the section, from where its handle is to the left end: before everything.
        section = page.locator(".deep-inside canvas").first
        box = section.bounding_box()
        place = 34 + (box["width"] - 46) * (6 - 1.84) / 4.32  # with 4 % of room at both ends
        page.mouse.move(box["x"] + place, box["y"] + 60)
        page.mouse.down()
        page.mouse.move(box["x"] + place - 60, box["y"] + 60, steps=4)
        page.mouse.up()
        expect(field).not_to_have_value("6.000")
        dragged = float(field.input_value())
        self.assertTrue(2 < dragged < 6, dragged)
        page.keyboard.press("Control+z")
        expect(field).to_have_value("6.000")
        page.keyboard.press("Control+Shift+z")
        self.assertAlmostEqual(float(field.input_value()), dragged, places=3)

        # Before what is pressed: the green of the left half at 2.
        page.get_by_role("button", name="Pick its depth").click()
        canvas = page.locator(".surround canvas").bounding_box()
        page.mouse.click(canvas["x"] + canvas["width"] * 0.4, canvas["y"] + canvas["height"] / 2)
        expect(field).to_have_value(re.compile(r"^1\.99"))
        self.still()

        # The section is stepped by keys, and says what it is of.
        page.locator("h1").evaluate("() => document.activeElement.blur()")
        told = page.get_by_text(re.compile(r"^pixel \d+, \d+.*: 3 samples, alpha 1.0000"))
        x, y = re.match(r"pixel (\d+), (\d+)", told.inner_text()).groups()
        page.keyboard.press("ArrowLeft")
        expect(told).to_contain_text(f"pixel {int(x) - 1}, {y}, fixed")
        page.keyboard.press("3")
        expect(page.get_by_role("button", name="difference from flat")).to_have_attribute("aria-pressed", "true")

        page.get_by_role("button", name="Limits, files").click()
        page.get_by_role("button", name="Measure", exact=True).click()
        expect(page.locator(".deep-costs tbody tr")).to_have_count(13)
        found = Axe().run(page).response["violations"]
        self.assertEqual([each["id"] for each in found if each["impact"] in ("serious", "critical")], [])
        page.get_by_role("button", name="Put into the ledger").click()
        expect(page.get_by_role("button", name="In the ledger")).to_be_visible()
        self.assertAlmostEqual(self.group()["rows"][-1]["depth"], float(field.input_value()), places=3)
        page.get_by_role("link", name="Ledger", exact=True).click()
        expect(page.locator(".ledger-item.open .ledger-title")).to_contain_text("by depth")
