"""The whole job through a real page, a real queue and a real worker: log in, change a row, see it, write it, check it."""

import io
import json
import os
import re
import shutil
from pathlib import Path

import numpy as np
import OpenEXR
from axe_playwright_python.sync_playwright import Axe
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from PIL import Image as Pillow
from playwright.sync_api import expect, sync_playwright

from demo.conservatory import build_scene
from demo.load import SHOTS, plan_of
from desk.plan import services
from desk.plan.models import Plan
from desk.rebuild.models import Ledger
from desk.render.models import Run
from desk.shots.services import sources_of
from desk.tests.world import HEIGHT, WIDTH, World, write_named
from prism.combine.balance import balance
from prism.combine.evaluate import evaluate
from prism.combine.first import first_ledger, starts_of
from prism.combine.ledger import Ledger as Document
from prism.elements.opening import find_sources
from prism.passes.catalogue import CATALOGUE
from prism.passes.packing import Packing
from prism.passes.plan import Layer

CHROMIUM = shutil.which("chromium") or "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--no-first-run",
]
PATIENCE = 150_000  # milliseconds; a slow machine compiles during the first picture, and the first suggestion
expect.set_options(timeout=PATIENCE)


class BrowserCase(World, StaticLiveServerTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        # Playwright runs a loop of its own in this thread, which Django would take for asynchronous code.
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = cls.playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self):
        super().setUp()
        self.build()
        self.with_ledger()
        self.page = self.browser.new_page(viewport={"width": 1280, "height": 800})
        self.page.set_default_timeout(PATIENCE)
        self.addCleanup(self.page.close)
        self.complaints: list[str] = []
        self.page.on(
            "console", lambda message: message.type in ("error", "warning") and self.complaints.append(message.text)
        )
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))

    def log_in(self, name="ada"):
        self.page.goto(f"{self.live_server_url}/login/")
        self.page.get_by_label("Name").fill(name)
        self.page.get_by_label("Password").fill("light-and-shade")
        self.page.get_by_role("button", name="Log in").click()
        expect(self.page.get_by_role("heading", name="Shots")).to_be_visible()

    def picture(self) -> np.ndarray:
        return np.asarray(
            Pillow.open(io.BytesIO(self.page.locator(".surround canvas").screenshot())).convert("RGB")
        ).astype(int)

    def settled(self):
        """Waits until the sharp picture and the balance of the latest change are there and it is saved."""
        expect(self.page.locator("header")).to_contain_text("· saved")
        expect(self.page.locator(".verdict")).not_to_contain_text("comparing")
        self.page.wait_for_selector("canvas[data-encoding=png]")
        self.page.wait_for_load_state("networkidle")

    def another_picture(self, act):
        """Do what asks for a picture, and wait for that one."""
        canvas = self.page.locator("canvas[data-serial]")
        before = canvas.get_attribute("data-serial")
        act()
        expect(canvas).not_to_have_attribute("data-serial", before)
        self.settled()

    def go_to(self, frame):
        """By the ribbon, which spans the shot's four frames."""
        box = self.page.locator(".ribbon-frames").bounding_box()
        self.page.mouse.click(box["x"] + box["width"] * (frame - 1000.5) / 4, box["y"] + box["height"] / 2)

    def sweep(self):
        """All frames, with this test as the worker."""
        self.page.get_by_role("button", name="All frames").click()
        expect(self.page.get_by_role("button", name=re.compile(r"^Stop \("))).to_be_visible()
        self.work_all()

    def amount(self, title):
        return self.page.get_by_role("spinbutton", name=f"Amount of {title}")


class MainJob(BrowserCase):
    def test_from_login_to_a_delivered_file(self):
        self.start_worker()
        self.log_in()
        self.page.get_by_role("link", name="TST_010").first.click()
        self.settled()
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")
        before = self.picture()

        # The picture follows while the number is dragged, before the button is let go.
        box = self.amount("emission").bounding_box()
        self.page.mouse.move(box["x"] + 40, box["y"] + 8)
        self.page.mouse.down()
        serial = self.page.locator("canvas[data-serial]").first.get_attribute("data-serial")
        self.page.mouse.move(box["x"] - 60, box["y"] + 8, steps=5)
        self.page.wait_for_function(
            "old => document.querySelector('canvas[data-serial]').dataset.serial !== old", arg=serial
        )
        self.page.mouse.up()
        self.settled()
        dragged = self.picture()
        self.assertGreater(np.abs(dragged - before).max(), 8)
        expect(self.amount("emission")).to_have_value("0.50")
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")

        # Undone, redone, and the same after a reload.
        self.page.keyboard.press("Control+z")
        self.settled()
        np.testing.assert_array_equal(self.picture(), before)
        self.page.keyboard.press("Control+Shift+z")
        self.settled()
        self.page.reload()
        self.settled()
        expect(self.amount("emission")).to_have_value("0.50")

        # Reordered by keys.
        self.page.locator("[data-row=emission] .grip").focus()
        self.page.keyboard.press("Alt+ArrowUp")
        self.settled()
        order = [row["id"] for row in Ledger.objects.get().document["rows"]]
        self.assertLess(order.index("emission"), order.index("specular_direct"))

        # Changed and handed off at once: what was changed last is what is written.
        self.page.get_by_label("background on").uncheck()
        self.page.get_by_role("link", name="Hand off").click()
        self.page.get_by_label("EXR pixel type").select_option("float")
        self.page.get_by_role("button", name="Write").click()
        expect(self.page.locator("article[data-state=done]")).to_have_count(2)
        with self.page.expect_download() as download:
            self.page.locator("article", has_text=".exr").get_by_role("link").click()
        self.check_delivered(Path(download.value.path()))
        self.assertEqual(self.complaints, [])

    def check_delivered(self, path):
        """The file opened with OpenEXR itself holds the sum of the passes with emission at a half, to the last bit."""
        target = self.root / "delivered.exr"
        shutil.copy(path, target)
        document = Document.from_json(json.loads(json.dumps(Ledger.objects.get().document)))
        self.assertEqual((document.row("emission").amount, document.row("background").on), (0.5, False))
        expected = evaluate(document, find_sources([self.folder / "TST_010.1001.exr"]))
        with OpenEXR.File(str(target), separate_channels=True) as file:
            for plane, name in zip(expected, "RGBA"):
                np.testing.assert_array_equal(file.channels()[name].pixels, plane)

    def test_wide_pixels_are_shown_wide_and_picked_where_they_are(self):
        self.render(1001, pixelAspectRatio=2.0)
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        self.settled()
        shown = np.ptp(self.picture(), axis=-1) > 3  # what lies around it is grey
        counts = (shown.sum(axis=1), shown.sum(axis=0))  # the label that lies over it spans little of either
        (top, bottom), (left, right) = (np.flatnonzero(count > count.max() / 2)[[0, -1]] for count in counts)
        wide, high = right - left + 1, bottom - top + 1
        self.assertAlmostEqual(wide / high, 2 * WIDTH / HEIGHT, delta=0.05)
        self.page.locator(".surround canvas").hover(
            position={"x": left + wide * 4.5 / WIDTH, "y": top + high * 3.5 / HEIGHT}
        )
        expect(self.page.locator(".probe")).to_contain_text(re.compile(r"x\s*4\s*y\s*3"))

    def test_groups_keys_curves_and_mattes_and_all_undone(self):
        for frame in (1002, 1003):
            self.render(frame)
        self.look_again()
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001&row=emission")
        self.settled()
        first = Ledger.objects.get().document

        def saved():
            self.settled()
            return Document.from_json(Ledger.objects.get().document)

        # A fade: a key here, another two frames on.
        self.page.get_by_role("button", name="Key amount at frame 1001").click()
        self.go_to(1003)
        field = self.page.locator("[data-row=emission] .trims").get_by_role("spinbutton", name="amount", exact=True)
        field.fill("0.2")
        field.press("Enter")
        amount = saved().row("emission").amount
        self.assertEqual([(key.frame, key.value) for key in amount.keys], [(1001, 1), (1003, 0.2)])
        self.go_to(1002)
        expect(self.amount("emission")).to_have_value("0.60")

        # A number out of range is said to be, and changes nothing.
        field.fill("500")
        field.press("Enter")
        expect(self.page.locator("[data-row=emission] .trims num-field[wrong]")).to_have_count(1)
        field.press("Escape")
        self.assertEqual(saved().row("emission").amount, amount)

        # Ctrl Z in a field is the field's own.
        field.fill("0.3")
        field.press("Control+z")
        self.assertEqual(saved().row("emission").amount, amount)
        field.press("Escape")

        # The keys as a curve: one more by a double click, then copied to another number.
        row = self.page.locator("[data-row=emission]")
        drawn = row.locator("key-field svg")
        drawn.scroll_into_view_if_needed()
        box = drawn.bounding_box()
        drawn.dblclick(position={"x": box["width"] * 0.42, "y": box["height"] / 2})
        keys = saved().row("emission").amount.keys
        self.assertEqual([key.frame for key in keys], [1001, 1002, 1003])
        self.assertTrue(0.4 < keys[1].value < 0.8, keys)
        drawn.locator("circle").nth(1).press("Delete")
        self.assertEqual(saved().row("emission").amount, amount)
        row.get_by_role("button", name="Copy keys").click()
        row.get_by_role("button", name="Paste 2 keys into gain").click()
        self.assertEqual(saved().row("emission").gain, amount)
        row.locator(".trim", has_text="gain").get_by_role("button", name="No keys").click()
        row.get_by_role("spinbutton", name="gain", exact=True).dblclick()

        # A curve, by a point added and dragged; the picture changes.
        before = self.picture()
        curve = self.page.locator("[data-row=emission] curve-field svg")
        curve.scroll_into_view_if_needed()
        curve.dblclick(position={"x": 100, "y": 30})
        points = saved().row("emission").curves.all.points
        self.assertEqual(len(points), 3)
        self.assertGreater(np.abs(self.picture() - before).max(), 2)

        # A matte from the alpha of the beauty, and the other way round.
        row.get_by_label("Matte of emission").select_option(label="alpha of beauty")
        row.get_by_label("inverted").check()
        document = saved()
        self.assertEqual([matte.kind for matte in document.mattes], ["alpha", "inverted"])
        self.assertEqual(document.row("emission").matte, document.mattes[1].id)

        # Trims are reset, and a row that is off stays off.
        self.page.get_by_label("emission on").uncheck()
        row.get_by_role("button", name="Reset trims").click()
        reset = saved().row("emission")
        self.assertEqual((reset.on, reset.amount, reset.curves.all.points), (False, 1, ()))
        self.page.keyboard.press("Control+z")
        self.page.keyboard.press("Control+z")

        # Into a group, and the row below it as well.
        row.get_by_role("button", name="Group", exact=True).click()
        self.page.locator("[data-row=background] .grip").focus()
        self.page.keyboard.press("Alt+ArrowRight")
        document = saved()
        self.assertEqual([inner.id for inner in document.row("group").rows], ["emission", "background"])
        self.page.get_by_role("button", name="Fold group").click()
        expect(self.page.locator("[data-row=background]")).to_have_count(0)

        while self.page.get_by_role("button", name="Undo").is_enabled():
            self.page.get_by_role("button", name="Undo").click()
        self.assertEqual(saved(), Document.from_json(first))
        self.sweep()
        expect(self.page.locator(".balance-foot")).to_contain_text("3 balanced")
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")
        self.assertEqual(self.complaints, [])

    def test_fog_is_dragged_and_picked_and_other_files_are_undone(self):
        self.render(1001, name="other", seed=5).rename(self.root / "other.1001.exr")
        far = self.root / "TST" / "far"
        far.mkdir()
        (self.root / "other.1001.exr").rename(far / "other.1001.exr")
        self.bring_in(far, "far")
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        self.settled()
        self.page.get_by_label("Add a row").select_option("fog")
        expect(self.page.locator("[data-row=fog]")).to_be_visible()
        self.settled()
        fog = lambda: Document.from_json(Ledger.objects.get().document).row("fog")  # noqa: E731
        before = fog()
        handle = self.page.locator("range-field circle").nth(1)
        handle.scroll_into_view_if_needed()
        box = handle.bounding_box()
        self.page.mouse.move(box["x"] + 5, box["y"] + 5)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] - 60, box["y"] + 5, steps=4)
        self.page.mouse.up()
        self.settled()
        self.assertLess(fog().far, before.far)
        near = self.page.get_by_role("spinbutton", name="near", exact=True)
        begun = near.input_value()
        self.page.get_by_role("button", name="Pick near").click()
        place = self.page.locator("canvas[role=img]").first.bounding_box()
        self.page.mouse.click(place["x"] + place["width"] / 2, place["y"] + place["height"] / 2)
        expect(near).not_to_have_value(begun)
        self.settled()
        measured = sources_of([self.element], 1001).pixels(fog().source).planes[0]
        self.assertTrue(np.isclose(measured, fog().near, rtol=1e-4).any())

        # Other files are a change like any other, though the page is loaded anew.
        with self.page.expect_navigation():
            self.page.get_by_label("Files of the passes").select_option(label="far")
        self.settled()
        self.assertEqual(Ledger.objects.get().document["beauty"], "far/beauty")
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertEqual(Ledger.objects.get().document["beauty"], "render/beauty")
        self.assertEqual(self.complaints, [])

    def test_two_things_clicked_into_a_matte_then_shrunk_softened_and_undone(self):
        write_named(self.folder / "TST_010.1001.exr", 1001)
        self.look_again()
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001&row=emission")
        self.settled()
        first = Document.from_json(Ledger.objects.get().document)
        row = self.page.locator("[data-row=emission]")
        row.get_by_label("Matte of emission").select_option("new")
        self.page.get_by_label("Add a part").select_option(label="Cryptomatte, objects")
        expect(self.page.locator(".names li")).to_have_count(3)
        canvas = self.page.locator("canvas[role=img]").first.bounding_box()

        def press(share):
            self.page.mouse.click(canvas["x"] + canvas["width"] * share, canvas["y"] + canvas["height"] / 2)

        chip, sentence = self.page.locator(".matte-part .chip"), self.page.locator(".matte-sentence")
        press(0.3)
        expect(chip).to_have_text("left")
        press(0.7)
        expect(chip).to_have_text("left and right")
        press(0.7)
        expect(chip).to_have_text("left")
        self.page.mouse.move(canvas["x"] + canvas["width"] * 0.3, canvas["y"] + canvas["height"] / 2)
        expect(self.page.locator(".mattes")).to_contain_text("under the pointer: left 100 %")
        press(0.3)  # what was read there already is taken, and left, without another question
        expect(chip).to_have_text("no name yet")
        press(0.3)
        expect(chip).to_have_text("left")
        for name, value in (("grow", "-1.5"), ("blur", "2")):
            field = self.page.get_by_role("spinbutton", name=name, exact=True)
            field.fill(value)
            field.press("Enter")
        expect(sentence).to_have_text("left, 1.5 px smaller, 2 px softer")
        self.settled()
        document = Document.from_json(Ledger.objects.get().document)
        part = document.mattes[0].parts[0]
        self.assertEqual(([n.name for n in part.names], part.grow, part.blur), (["left"], -1.5, 2.0))
        self.assertEqual((document.row("emission").matte, document.row("emission").matte_on), ("matte", "trims"))

        # A tint of the artist's own, then the matte alone.
        before = self.picture()
        change = "field => { field.value = '#ff00ff'; field.dispatchEvent(new Event('change', { bubbles: true })); }"
        self.another_picture(lambda: self.page.get_by_label("Colour of the tint").evaluate(change))
        self.assertGreater(np.abs(self.picture() - before).max(), 30)
        self.another_picture(self.page.get_by_role("button", name="alone", exact=True).click)
        self.assertEqual(int(np.ptp(self.picture()[150:400, 200:600], axis=2).max()), 0)

        # A stroke joins it, drawn on the picture.
        self.page.get_by_label("Add a part").select_option(label="strokes")
        self.page.mouse.move(canvas["x"] + canvas["width"] * 0.6, canvas["y"] + canvas["height"] * 0.4)
        self.page.mouse.down()
        self.page.mouse.move(canvas["x"] + canvas["width"] * 0.8, canvas["y"] + canvas["height"] * 0.6, steps=5)
        self.page.mouse.up()
        expect(sentence).to_contain_text("; and a stroke")
        self.page.keyboard.press("Escape")
        while self.page.get_by_role("button", name="Undo").is_enabled():
            self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_role("button", name="Mattes", exact=True).click()
        self.settled()
        self.assertEqual(Document.from_json(Ledger.objects.get().document), first)
        self.assertEqual(self.complaints, [])

    def test_shapes_are_drawn_moved_and_keyed_and_a_range_is_dragged(self):
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        self.settled()
        self.page.get_by_role("button", name="Mattes", exact=True).click()
        self.page.get_by_role("button", name="New matte").click()
        canvas = self.page.locator("canvas[role=img]").first.bounding_box()

        def at(across, down):
            """On the screen, of a share of the picture."""
            zoom = min((canvas["width"] - 12) / WIDTH, (canvas["height"] - 12) / HEIGHT)
            return canvas["x"] + canvas["width"] / 2 + (across - 0.5) * WIDTH * zoom, canvas["y"] + canvas[
                "height"
            ] / 2 + (down - 0.5) * HEIGHT * zoom

        def drag(begin, end):
            self.page.mouse.move(*at(*begin))
            self.page.mouse.down()
            self.page.mouse.move(*at(*end), steps=4)
            self.page.mouse.up()

        def parts():
            self.settled()
            return Document.from_json(Ledger.objects.get().document).mattes[0].parts

        self.page.get_by_label("Add a part").select_option(label="ellipse")
        drag((0.25, 0.25), (0.75, 0.75))
        expect(self.page.locator(".matte-part .chip")).to_have_text("an ellipse")
        (shape,) = parts()
        self.assertEqual([round(value, 1) for value in (shape.x, shape.y, shape.width, shape.height)], [9, 6, 9, 6])

        # A key here, moved by its handle on the next frame.
        self.page.get_by_role("button", name="Key right at frame 1001").click()
        self.go_to(1002)
        drag((0.5, 0.5), (0.6, 0.5))
        (shape,) = parts()
        self.assertEqual([(key.frame, round(key.value, 1)) for key in shape.x.keys], [(1001, 9.0), (1002, 10.8)])
        self.assertEqual(round(shape.y, 1), 6.0)

        # All of it at once: every number has a key then.
        self.page.get_by_role("button", name="Key it at 1002").click()
        (shape,) = parts()
        self.assertEqual([key.value for key in shape.width.keys], [shape.width.keys[0].value])
        self.assertEqual(shape.x.keys[-1].frame, 1002)

        # A polygon, closed on its first corner; one of its sides softened.
        self.page.get_by_label("Add a part").select_option(label="polygon")
        for corner in ((0.1, 0.1), (0.9, 0.2), (0.5, 0.9), (0.1, 0.1)):
            self.page.mouse.click(*at(*corner))
        expect(self.page.locator(".matte-sentence")).to_contain_text("and a polygon")
        soft = self.page.get_by_role("spinbutton", name="softness of side 2")
        soft.fill("4")
        soft.press("Enter")
        corners = parts()[1].corners
        self.assertEqual(
            [(round(c.x, 1), round(c.y, 1), c.soft) for c in corners], [(1.8, 1.2, 0), (16.2, 2.4, 4), (9, 10.8, 0)]
        )
        self.page.keyboard.press("Escape")

        # A range of depth, its soft end dragged on the histogram, and everything above.
        self.page.get_by_label("Add a part").select_option(label="range of depth")
        drag((0.2, 0.2), (0.8, 0.8))
        field = self.page.locator("soft-range-field circle")
        expect(field).to_have_count(4)
        expect(self.page.locator(".matte-part .chip").nth(2)).not_to_have_text("depth from 0 to 1")
        picked = parts()[2]
        self.assertLess(picked.low, picked.high)
        self.assertEqual((picked.how, picked.soft_low), ("intersect", 0))
        field.nth(0).focus()
        for _ in range(3):
            self.page.keyboard.press("Shift+ArrowLeft")
        self.assertGreater(parts()[2].soft_low, 0)
        self.page.get_by_role("button", name="and all above").click()
        expect(self.page.locator(".matte-sentence")).to_contain_text("only in depth above")
        self.assertEqual(parts()[2].high, 1e9)
        self.assertEqual(self.complaints, [])

    def test_two_pages_and_the_second_chooses(self):
        """What the first saved is said in words; taken, ours is one undo away; kept, ours is what stands."""
        self.log_in()
        address = f"{self.live_server_url}{self.url('rebuild')}?frame=1001&row=emission"
        self.page.goto(address)
        self.settled()
        for choice, expected in (("Take theirs", (False, 1)), ("Keep mine", (False, 0.25))):
            context = self.browser.new_context(storage_state=self.page.context.storage_state())
            other = context.new_page()
            other.goto(address)
            expect(other.locator("header")).to_contain_text("· saved")
            other.get_by_label("background on").uncheck()
            expect(other.locator("header")).to_contain_text("· saved")
            other.wait_for_load_state("networkidle")
            context.close()
            field = self.amount("emission")
            field.fill("0.25")
            field.press("Enter")
            expect(self.page.get_by_role("alert").first).to_contain_text("ada changed this ledger")
            self.page.get_by_role("button", name=choice).click()
            self.settled()
            document = Document.from_json(Ledger.objects.get().document)
            self.assertEqual(document.row("emission").amount, expected[1], choice)
            if choice == "Take theirs":
                self.assertFalse(document.row("background").on)
                self.page.get_by_label("background on").check()
                self.settled()
        self.complaints = [said for said in self.complaints if "409" not in said]
        self.assertEqual(self.complaints, [])

    def test_a_lost_pass_is_named_and_put_back_in_one_click(self):
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001&row=emission")
        self.settled()
        self.page.get_by_role("button", name="Remove").click()
        expect(self.page.locator(".verdict")).to_contain_text("not balanced")
        expect(self.page.locator(".suggestion")).to_contain_text("emission is missing")
        self.sweep()
        expect(self.page.locator(".balance-foot")).to_contain_text("not balanced, the first 1001")
        self.page.get_by_role("button", name="Do it").click()
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")

    def test_bad_numbers_and_broken_files_leave_the_page_whole(self):
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        self.settled()
        self.amount("emission").click()
        self.amount("emission").fill("a lot")
        self.page.keyboard.press("Enter")
        expect(self.page.locator("[data-row=emission] num-field")).to_have_attribute("wrong", "")
        self.page.keyboard.press("Escape")
        broken = self.folder / "TST_010.1002.exr"
        broken.write_bytes(broken.read_bytes()[:-300])
        self.go_to(1002)
        fault = self.page.locator(".viewer-fault")
        expect(fault).to_contain_text("TST_010.1002.exr")
        expect(fault).to_contain_text("Render or copy this file again")
        expect(self.page.locator(".verdict")).to_have_text("not compared")
        expect(self.page.locator(".balance-sums")).not_to_contain_text(re.compile(r"\d"))
        self.go_to(1001)
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")
        self.sweep()
        expect(self.page.locator(".balance-foot")).to_contain_text("1 balanced; 1 not compared, the first 1002")
        expect(fault).to_be_hidden()
        expect(fault).to_be_hidden()

    def test_reviewers_look_but_do_not_touch(self):
        self.log_in("rex")
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        expect(self.page.locator("header")).to_contain_text("read-only")
        expect(self.amount("emission")).to_be_disabled()


class Planning(BrowserCase):
    def setUp(self):
        super().setUp()
        demo = SHOTS[1]
        self.other = self.make_shot(demo.code, demo.title, frames="1001-1048", width=960, height=540)
        self.give_scene(build_scene().replace(medium=None), self.other)
        self.log_in()
        self.open()
        self.checks = self.page.locator(".plan-checks")
        self.files = self.page.locator(".plan-files")

    def open(self):
        self.page.goto(f"{self.live_server_url}{self.url('plan', shot=self.other.code)}")

    def part(self, name):
        self.page.get_by_label("Parts of the plan").get_by_role("button", name=name).click()

    def saved(self):
        """Waits until the last change is stored, and returns it."""
        expect(self.page.locator("header")).to_contain_text("· saved")
        return Plan.objects.get(shot=self.other).document

    def test_the_second_demo_shot_from_a_preset_to_a_checked_plan(self):
        """A camera, a preset, two warnings fixed with a click each, names; undone, redone, and there after a reload."""
        expect(self.checks).to_contain_text("No camera is chosen")
        self.part("Shot")
        self.page.get_by_label("close").check()
        self.page.get_by_label("Apply a preset").select_option("surface study")
        expect(self.checks).to_contain_text("The components do not sum to the beauty without transmission")
        self.part("Sheet")
        self.page.get_by_label("volume in layer all").check()
        expect(self.checks).to_contain_text("volume would come out all black")
        for gone in ("would come out all black", "do not sum to the beauty"):
            self.page.locator(".finding", has_text=gone).get_by_role("button", name="Fix").click()
            expect(self.checks).not_to_contain_text(gone)
        expect(self.checks).to_contain_text("No problems found")
        expect(self.checks).to_contain_text("changed since the preset")
        expect(self.page.locator(".sums")).to_contain_text("components")
        self.page.get_by_role("button", name="Undo").click()
        expect(self.checks).to_contain_text("do not sum to the beauty")
        self.page.get_by_role("button", name="Redo").click()
        self.part("Packing")
        self.page.get_by_label("packing", exact=True).select_option("each-pass")
        self.part("Names")
        names = self.page.get_by_label("names", exact=True)
        names.fill("{shot}/{pass}_v{version:03}.{frame:04}.{suffix}")
        self.page.keyboard.press("Enter")
        expect(self.files).to_contain_text("specular_v001.1001.exr")
        self.page.get_by_label("a file", exact=True).fill("transmission_v007.1012.exr")
        self.page.keyboard.press("Enter")
        expect(self.page.locator(".read")).to_contain_text("1012")
        self.saved()
        names.fill("{shot}/{what}.exr")
        self.page.keyboard.press("Enter")
        expect(self.checks).to_contain_text("Unknown field {what}")
        self.page.reload()
        expect(names).to_have_value("{shot}/{pass}_v{version:03}.{frame:04}.{suffix}")
        expect(self.checks).to_contain_text("No problems found")
        self.assertEqual(
            self.complaints,
            ["Failed to load resource: the server responded with a status of 422 (Unprocessable Entity)"],
        )

    def test_layers_cameras_and_light_labels(self):
        """Passes for one camera of one layer, groups hidden in a layer, a light put under another label."""
        self.part("Shot")
        for camera in ("wide", "close"):
            self.page.get_by_label(camera).check()
        self.part("Sheet")
        self.page.get_by_label("Name of a new layer").fill("plants")
        self.page.get_by_label("Add the layer").click()
        self.page.get_by_label("cameras apart").check()
        self.page.get_by_label("depth in layer plants, camera close").check()
        self.page.get_by_label("room in layer plants").select_option("holdout")
        self.page.get_by_role("button", name="light groups", exact=True).click()
        self.part("Lights")
        self.page.get_by_label("moon", exact=True).fill("")
        self.page.keyboard.press("Tab")
        expect(self.page.locator("[aria-label=Lights]")).to_contain_text("rest")
        plan = self.saved()
        plants = plan["layers"][1]
        self.assertEqual(plants["visibility"], {"room": "holdout"})
        everywhere = ["beauty", "light_group"]
        self.assertEqual(plants["for_camera"], {"wide": everywhere, "close": [*everywhere, "depth"]})
        self.assertEqual((plan["layers"][0]["passes"], plan["light_labels"]), (everywhere, {"moon": ""}))
        self.assertEqual(self.complaints, [])

    def held_back(self, address):
        """Requests to an address from now on, kept until they are continued."""
        held = []
        self.page.route(address, lambda route: held.append(route))
        return held

    def test_what_is_being_typed_outlasts_a_late_answer(self):
        """The answer to an earlier change comes while a name, and then a number, is typed: it puts no old one back."""
        names = self.page.get_by_label("names", exact=True)
        samples = self.page.get_by_role("spinbutton", name="samples a pixel")
        cases = (
            ("each-pass", "file for each", "Names", names, "{shot}_{pass}.{frame:04}.{suffix}"),
            ("colour-and-data", "two files", "Quality", samples, "48"),
        )
        for rule, said, part, field, text in cases:
            held = self.held_back("**/plan/answer/")
            self.part("Packing")
            with self.page.expect_request("**/plan/answer/"):
                self.page.get_by_label("packing", exact=True).select_option(rule)
            self.part(part)
            field.fill(text)
            held[0].continue_()
            self.page.unroute("**/plan/answer/")
            expect(self.page.get_by_label("Parts of the plan")).to_contain_text(said)
            self.page.keyboard.press("Enter")
        plan = self.saved()
        self.assertEqual((plan["names"], plan["quality"]["samples"]), (cases[0][-1], 48))

    def test_mist_dragged_on_the_side_view(self):
        self.part("Mist")
        end = self.page.get_by_role("slider", name="far end of the mist")
        box = end.locator(".knob").bounding_box()
        self.page.mouse.move(box["x"] + 5, box["y"] + 8)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 105, box["y"] + 8, steps=6)
        self.page.mouse.up()
        dragged = self.saved()["mist"]
        self.assertEqual(dragged["near"], 3)
        self.assertGreater(dragged["far"], 10.5)
        start = self.page.get_by_role("slider", name="near end of the mist")
        start.focus()
        self.page.keyboard.press("Shift+ArrowRight")
        expect(start).to_have_attribute("aria-valuenow", "4")
        expect(start).to_be_focused()
        self.assertEqual(self.saved()["mist"], dragged | {"near": 4, "far": dragged["far"] + 1})
        expect(self.page.locator(".mist-foot img")).to_be_visible()
        self.assertEqual(self.complaints, [])

    def test_a_plan_changed_elsewhere_is_not_overwritten(self):
        """The page says so and keeps what was changed on it; nothing is saved over the other."""
        Plan.objects.filter(shot=self.other).update(revision=7)
        self.page.get_by_label("depth in layer all").check()
        expect(self.checks).to_contain_text("was changed elsewhere")
        expect(self.page.locator("header")).to_contain_text("not saved")
        expect(self.page.get_by_label("depth in layer all")).to_be_checked()
        self.assertEqual(Plan.objects.get(shot=self.other).revision, 7)
        self.assertIn("409", self.complaints.pop())

    def test_one_stop_of_tab_and_arrow_keys_on_the_sheet(self):
        self.page.get_by_label("beauty in layer all").focus()
        self.page.keyboard.press("ArrowDown")
        expect(self.page.get_by_label("diffuse, direct in layer all")).to_be_focused()
        self.page.keyboard.press("Space")
        self.assertIn("diffuse_direct", self.saved()["passes"])
        self.page.keyboard.press("Tab")
        self.assertEqual(self.page.evaluate("document.activeElement.closest('td.cell') === null"), True)
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog")).to_contain_text("from cell to cell")

    def test_a_locked_version_stays_and_a_change_makes_the_next(self):
        self.page.get_by_role("button", name="Lock as rendered").click()
        expect(self.page.locator(".plan-bar")).to_contain_text("v001 is rendered; a change makes v002")
        self.page.get_by_label("depth in layer all").check()
        self.assertEqual(self.saved()["number"], 2)
        self.page.get_by_label("Version to look at").select_option("1")
        expect(self.page.locator(".plan-bar")).to_contain_text("This is v001 as it was kept")
        expect(self.page.get_by_label("depth in layer all")).to_be_disabled()
        expect(self.page.get_by_label("depth in layer all")).not_to_be_checked()

    def test_thousands_of_sequences_never_make_as_many_rows(self):
        """1,000 frames of every pass of six layers through three cameras: the tree holds what is in sight."""
        scene = build_scene()
        scene = scene.replace(cameras=[*scene.cameras, scene.cameras[0].replace(name="third")])
        self.give_scene(scene, self.other)
        document = services.parse(services.open_plan(self.other).document)
        crowded = document.replace(
            shot=document.shot.replace(frames="1001-2000"),
            cameras=("wide", "close", "third"),
            layers=tuple(Layer(name=f"layer{number}") for number in range(6)),
            passes=tuple(kind.key for kind in CATALOGUE),
            packing=Packing(rule="each-pass"),
            names="render/v{version:03}/{shot}_{layer}_{camera}_{pass}_v{version:03}.{frame:04}.{suffix}",
        )
        Plan.objects.filter(shot=self.other).update(document=crowded.as_json())
        self.open()
        expect(self.files).to_contain_text("sequences of 1000 frames")
        self.files.locator(".folder", has_text="v001").click()
        rows = self.files.locator(".row-line")
        expect(rows.nth(20)).to_be_visible()
        self.assertLess(rows.count(), 80)
        self.files.locator(".rows").evaluate("rows => rows.scrollTop = rows.scrollHeight")
        expect(self.files).to_contain_text("layer5_third")
        self.assertLess(rows.count(), 80)


class Rendering(BrowserCase):
    def test_a_run_watched_to_its_end_another_cancelled_and_resumed(self):
        """Started from the planned shot, filling the wall without a reload; then the rendered ledger balances."""
        demo = SHOTS[1]
        shot = self.make_shot(demo.code, demo.title, width=48, height=28)
        self.give_scene(build_scene(), shot)
        plan = plan_of(demo)
        small = plan.shot.replace(production="TST", frames="1001-1004", width=48, height=28)
        Plan.objects.filter(shot=shot).update(document=plan.replace(shot=small).as_json())
        self.start_worker()
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('render', shot=shot.code)}")
        wall = self.page.locator(".render-wall")
        expect(wall).to_contain_text("Nothing was rendered here yet")
        expect(self.page.locator(".render-start")).to_contain_text("worker first@test")
        start = self.page.get_by_role("button", name="Render v001")
        self.page.get_by_role("textbox", name="frames").fill("1001-1002")
        start.click()
        expect(wall).to_contain_text("2 of 2 frames")
        expect(self.page.locator(".render-picture canvas[data-encoding]")).to_be_visible()
        expect(self.page.locator(".render-history")).to_contain_text("2 of 2, done")
        self.page.get_by_role("textbox", name="frames").fill("1001-1009")
        start.click()
        expect(self.page.get_by_role("alert")).to_contain_text("Not in the plan: 1005-1009")
        self.assertIn("422", self.complaints.pop())

        Plan.objects.filter(shot=shot).update(
            document=plan.replace(
                shot=small.replace(width=240, height=136), number=2, quality=plan.quality.replace(samples=144)
            ).as_json()
        )
        self.page.reload()
        self.page.get_by_role("button", name="Render v002").click()
        expect(wall).to_contain_text("0 of 4 frames")
        self.page.get_by_role("button", name="Cancel").click()
        history = self.page.locator(".render-history")
        expect(history).to_contain_text("of 4, cancelled")
        Run.objects.filter(number=2).update(
            document=plan.replace(shot=small, number=2, quality=plan.quality.replace(samples=4)).as_json()
        )  # what is left shall not take long
        self.page.get_by_role("button", name="Resume").click()
        expect(history).to_contain_text("4 of 4, done")
        for place in (0, 1):
            history.get_by_role("checkbox").nth(place).check()
        expect(self.page.locator(".compared")).to_contain_text("mean difference")
        self.page.locator(".wall-scroll canvas").click(position={"x": 136, "y": 26})
        expect(self.page.locator(".frame-detail")).to_contain_text("Rendered in")
        self.assertEqual(self.complaints, [])

        folder = self.root / "TST" / shot.code / "render" / "v001" / "all" / "close"
        for number in sorted({path.name.split(".")[-2] for path in folder.iterdir()}):
            sources = find_sources(sorted(folder.glob(f"*.{number}.exr")))
            for start in starts_of(sources):
                ledger = first_ledger(sources, by=start.by, denoised=start.denoised)
                self.assertTrue(balance(ledger, sources).balanced, (number, start))


class Accessibility(BrowserCase):
    def test_axe_finds_nothing_serious(self):
        axe = Axe()
        self.page.goto(f"{self.live_server_url}/login/")
        self.check(axe, "login")
        self.log_in()
        self.check(axe, "shots")
        self.give_scene(build_scene())
        for name in ("plan", "render", "intake", "look", "rebuild", "hand-off", "scene", "shot-settings"):
            for theme in ("dusk", "paper"):
                self.page.goto(f"{self.live_server_url}{self.url(name)}")
                self.page.evaluate("theme => localStorage.setItem('theme', theme)", theme)
                self.page.reload()
                if name == "rebuild":
                    self.page.get_by_label("Trims of emission").click()
                    self.page.wait_for_load_state("networkidle")
                self.check(axe, f"{name}, {theme}")
        for address in ("/work/", "/productions/TST/", "/password/"):
            self.page.goto(f"{self.live_server_url}{address}")
            self.check(axe, address)
        self.page.goto(f"{self.live_server_url}{self.url('plan')}")
        for part in ("Shot", "Lights", "Quality", "Mist", "Deep", "Packing", "Names", "Presets"):
            self.page.get_by_label("Parts of the plan").get_by_role("button", name=part).click()
            self.page.wait_for_load_state("networkidle")
            self.check(axe, f"plan, {part}")

    def check(self, axe, where):
        found = axe.run(self.page).response["violations"]
        serious = [
            f"{violation['id']}: {node['html'][:160]}"
            for violation in found
            if violation["impact"] in ("serious", "critical")
            for node in violation["nodes"]
        ]
        self.assertEqual(serious, [], where)
