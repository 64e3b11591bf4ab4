"""The Finish station through a real page: steps added, dragged, painted, moved, compared, undone."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from desk.rebuild.models import Ledger
from desk.tests.browser import BrowserCase
from desk.tests.world import WIDTH


class Steps(BrowserCase):
    def steps(self):
        return Ledger.objects.get().document["finish"]

    def settled(self):
        """Saved, and the sharp picture there."""
        expect(self.page.locator("header, body").get_by_text("· saved").first).to_be_visible()
        self.page.wait_for_selector("canvas[data-encoding=png]")
        self.page.wait_for_load_state("networkidle")

    def add(self, kind):
        self.page.get_by_label("Add a step").select_option(kind)
        expect(self.page.locator(".chain-steps li.opened .step-name")).to_be_visible()
        self.settled()

    def names(self):
        return self.page.locator(".step-name").all_text_contents()

    def test_a_chain_from_the_first_step_to_a_file(self):
        page = self.page
        self.log_in()
        page.goto(f"{self.live_server_url}{self.url('finish')}")
        self.settled()
        expect(page.get_by_text("No step yet")).to_be_visible()
        for kind in ("grain", "vignette", "glow"):
            self.add(kind)
        self.assertEqual(self.names(), ["vignette", "glow", "grain"])  # light before display values

        # What each changes is said of this document, and of none that went before.
        page.get_by_role("button", name="Close the step").click()
        lines = page.locator(".change .quiet")
        expect(lines).to_contain_text([" · most ", " · most ", " · most "])
        page.route("**/finish/chain/", lambda route: None)  # no answer comes
        page.get_by_label("glow on").uncheck()
        expect(lines).to_have_text(["…", "…", "…"])
        page.unroute_all(behavior="ignoreErrors")
        page.get_by_label("glow on").check()
        expect(lines).to_contain_text([" · most ", " · most ", " · most "])
        page.locator(".change-words").nth(1).click()

        # A number dragged, undone and done again.
        field = page.get_by_role("spinbutton", name="threshold")
        box = field.bounding_box()
        page.mouse.move(box["x"] + 20, box["y"] + 8)
        page.mouse.down()
        page.mouse.move(box["x"] - 20, box["y"] + 8, steps=5)
        page.mouse.up()
        self.settled()
        dragged = self.steps()[1]["threshold"]
        self.assertLess(dragged, 1)
        page.locator("h1").evaluate("() => document.activeElement.blur()")
        page.keyboard.press("Control+z")
        self.settled()
        self.assertEqual(self.steps()[1]["threshold"], 1)
        page.keyboard.press("Control+Shift+z")
        self.settled()
        self.assertEqual(self.steps()[1]["threshold"], dragged)

        # A stroke limits it; another takes from that.
        canvas = page.locator(".surround canvas").bounding_box()
        for button, dx in (("Paint over", 0), ("Erase", 60)):
            page.get_by_role("button", name=button).click()
            page.mouse.move(canvas["x"] + canvas["width"] / 2 - 40 + dx, canvas["y"] + canvas["height"] / 2)
            page.mouse.down()
            page.mouse.move(canvas["x"] + canvas["width"] / 2 + 40, canvas["y"] + canvas["height"] / 2, steps=4)
            page.mouse.up()
            page.keyboard.press("Escape")
            self.settled()
        (matte,) = Ledger.objects.get().document["mattes"]
        self.assertEqual(
            [(part["kind"], part["how"]) for part in matte["parts"]], [("strokes", "add"), ("strokes", "subtract")]
        )
        self.assertEqual(self.steps()[1]["matte"], matte["id"])

        # Moved by keys, off, and before against after.
        page.get_by_role("button", name="2. glow").focus()
        page.keyboard.press("Alt+ArrowLeft")
        self.settled()
        self.assertEqual(self.names(), ["glow", "vignette", "grain"])
        page.get_by_role("checkbox", name="grain on").uncheck()
        self.settled()
        self.assertFalse(self.steps()[2]["enabled"])
        page.get_by_role("button", name="Before / after").click()
        expect(page.get_by_role("button", name="Wipe")).to_have_attribute("aria-pressed", "true")
        expect(page.locator(".shown")).to_contain_text("after glow")
        self.settled()

        # A drawn vignette is placed in the picture.
        page.get_by_role("button", name="2. vignette").click()
        page.get_by_label("form", exact=True).select_option("drawn")
        expect(page.locator(".aim")).to_contain_text("Drag the point")
        canvas = page.locator(".surround canvas").bounding_box()
        page.mouse.click(canvas["x"] + canvas["width"] / 2 + 40, canvas["y"] + canvas["height"] / 2)
        self.settled()
        self.assertGreater(self.steps()[1]["x"], 0)
        field = page.get_by_role("spinbutton", name="width")
        field.fill("0.4")
        field.press("Enter")
        self.settled()
        scale = float(page.get_by_label("Zoom; press for one to one").inner_text().removesuffix(" %")) / 100
        end = canvas["x"] + canvas["width"] / 2 + 40 + 0.2 * WIDTH * scale
        page.mouse.move(end, canvas["y"] + canvas["height"] / 2)
        page.mouse.down()
        page.mouse.move(end + 0.1 * WIDTH * scale, canvas["y"] + canvas["height"] / 2, steps=4)
        page.mouse.up()
        self.settled()
        self.assertAlmostEqual(self.steps()[1]["width"], 0.6, delta=0.05)
        found = Axe().run(page).response["violations"]
        self.assertEqual([each["id"] for each in found if each["impact"] in ("serious", "critical")], [])

        # Kept for the production, and taken home as a file.
        page.get_by_role("button", name="Save as preset").click()
        page.get_by_label("Name of the chain").fill("Corners")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Saved as “Corners”")).to_be_visible()
        page.get_by_label("Chains", exact=True).select_option(label="Corners")
        expect(page.locator(".step-card")).to_have_count(4)
        self.settled()
        self.assertEqual(len(self.steps()), 4)
        with page.expect_download() as download:
            page.get_by_role("button", name="As a file").click()
        self.assertIn("eager-prism.finish", download.value.path().read_text())
