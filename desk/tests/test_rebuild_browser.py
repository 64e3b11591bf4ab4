"""The Rebuild station through a real page: rows, keys, balance, mattes, two pages at once."""

import json
import re

import numpy as np
from playwright.sync_api import expect

from desk.elements.services import sources_of
from desk.rebuild.models import Ledger, LedgerVersion
from desk.tests.browser import BrowserCase
from desk.tests.world import HEIGHT, WIDTH, write_named
from desk.web.faults import REFUSED
from prism.colour.temperature import kelvin_of
from prism.combine.shaping import haze
from prism.curves import bent
from prism.keyed import Keyed
from prism.ledger.document import Ledger as Document


class Formulas(BrowserCase):
    def asked(self, name, *arguments):
        """What a function of the page's own formulas gives; of a function, what that gives for each x of the last
        argument."""
        script = """async ([url, name, given]) => {
          const { [name]: formula } = await import(url);
          if (name !== "spline") return given.map((each) => formula(...each));
          return given.map(([points, xs]) => xs.map(formula(points)));
        }"""
        return self.page.evaluate(script, [f"{self.live_server_url}/static/js/formulas.js", name, list(arguments)])

    def test_what_is_drawn_while_dragging_is_what_the_server_computes(self):
        self.log_in()
        self.page.goto(f"{self.live_server_url}/")
        rng = np.random.default_rng(5)
        for _ in range(20):
            points = np.stack(
                [np.sort(rng.choice(40, 6, replace=False)) / 20 - 0.5, rng.normal(size=6)], axis=1
            ).tolist()
            x = np.linspace(-1.5, 2.5, 41, dtype=np.float32)
            (drawn,) = self.asked("spline", [points, x.tolist()])
            np.testing.assert_allclose(drawn, bent(x, [tuple(point) for point in points]), rtol=1e-4, atol=1e-4)
            keys = [
                {
                    "frame": int(frame),
                    "value": float(rng.normal()),
                    "ease": str(rng.choice(["linear", "smooth", "hold"])),
                }
                for frame in np.sort(rng.choice(50, 5, replace=False))
            ]
            frames = range(-3, 55)
            expected = [Keyed.model_validate({"keys": keys}).at(frame) for frame in frames]
            np.testing.assert_allclose(self.asked("at", *[[{"keys": keys}, frame] for frame in frames]), expected)
            near, far, falloff = float(rng.normal()), float(rng.normal()), float(rng.uniform(0.2, 3))
            for air in (False, True):
                shape = {"near": near, "far": far, "falloff": falloff, "air": air}
                plane = x.copy()
                haze(plane, np.float32(near), np.float32(far), np.float32(falloff), air)
                drawn = self.asked("haze", *[[float(v), shape] for v in x])
                np.testing.assert_allclose(drawn, plane, rtol=1e-3, atol=1e-4)
        steps = [-80, -10, 0, 35.5, 600]
        np.testing.assert_allclose(self.asked("kelvinOf", *[[step] for step in steps]), [*map(kelvin_of, steps)])


class Ledgers(BrowserCase):
    def test_rows_are_found_by_words_the_ledger_is_widened_and_a_busy_server_asked_again(self):
        refused = []

        def busy_at_first(route):
            if len(refused) < 2:
                refused.append(route.request.url)
                error = {"code": "work.busy", "what": "Busy.", "where": "", "advice": ""}
                route.fulfill(
                    headers={REFUSED: "429"}, content_type="application/json", body=json.dumps({"error": error})
                )
            else:
                route.continue_()

        def too_long_at_first(route):
            """A comparison that fails is said to have failed, also under a picture that came, and is tried again."""
            self.page.unroute("**/rebuild/balance/")
            error = {"code": "work.costly", "what": "This took too long.", "where": "", "advice": ""}
            route.fulfill(headers={REFUSED: "422"}, json={"error": error})

        self.page.route("**/look/picture/", busy_at_first)
        self.page.route("**/rebuild/balance/", too_long_at_first)
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        expect(self.page.locator(".verdict")).to_have_text("not compared: This took too long.")
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")
        self.settled()
        self.assertEqual(len(refused), 2)
        expect(self.page.locator(".viewer-fault")).to_be_hidden()

        edge = self.page.get_by_role("separator", name="Width of the ledger")
        edge.focus()
        self.page.keyboard.press("ArrowRight")
        expect(edge).to_have_attribute("aria-valuenow", "504")
        self.page.reload()
        self.settled()
        self.assertEqual(self.page.locator(".ledger").bounding_box()["width"], 504)
        edge.dblclick()
        expect(edge).to_have_attribute("aria-valuenow", "488")

        rows = self.page.locator(".ledger-row")
        before = rows.count()
        self.page.keyboard.press("a")
        self.page.get_by_label("Search what to add").fill("indirect diff")
        choices = self.page.locator(".choice")
        expect(choices).to_have_text(["diffuse, indirect"] * choices.count())
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Enter")
        expect(rows).to_have_count(before + 1)
        self.settled()
        document = Document.from_json(Ledger.objects.get().document)
        self.assertEqual(len([row for row in document.passes if row.source.endswith("diffuse_indirect")]), 2)
        self.page.get_by_role("button", name="Add a row…").click()
        self.page.get_by_label("Search what to add").fill("wibble")
        expect(self.page.get_by_text("Nothing here has these words in its name.")).to_be_visible()

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

    def test_the_exact_picture_waits_for_no_quick_one(self):
        """Where a drag stands still it is there before the number is let go, and then even if a quick one never
        arrives."""
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        self.settled()
        canvas = self.page.locator("canvas[data-serial]")
        box = self.amount("emission").bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

        def drag():
            """Until a quick picture is asked for."""
            self.page.mouse.move(x, y)
            self.page.mouse.down()
            with self.page.expect_request(lambda request: '"jpeg"' in (request.post_data or "")):
                self.page.mouse.move(x + 40, y, steps=4)

        drag()
        expect(canvas).to_have_attribute("data-encoding", "jpeg")
        expect(canvas).to_have_attribute("data-encoding", "png")
        self.assertEqual(Document.from_json(Ledger.objects.get().document).row("emission").amount, 1)
        self.page.mouse.up()
        self.settled()
        held = []
        self.page.route(
            "**/look/picture/",
            lambda route: held.append(route) if '"jpeg"' in route.request.post_data else route.continue_(),
        )
        before = canvas.get_attribute("data-serial")
        drag()
        self.page.mouse.up()
        expect(canvas).not_to_have_attribute("data-serial", before)
        expect(canvas).to_have_attribute("data-encoding", "png")
        self.assertTrue(held)
        self.settled()

    def test_fog_is_dragged_and_picked_and_other_files_are_undone(self):
        self.render(1001, name="other", seed=5).rename(self.root / "other.1001.exr")
        far = self.root / "TST" / "far"
        far.mkdir()
        (self.root / "other.1001.exr").rename(far / "other.1001.exr")
        self.bring_in(far, "far")
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        self.settled()
        self.page.get_by_role("button", name="Add a row…").click()
        self.page.get_by_label("Search what to add").fill("fog")
        self.page.keyboard.press("Enter")
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

        # The title of a row shows its source, a depth with its own range.
        self.another_picture(lambda: self.page.locator("[data-row=fog] .ledger-title").click())
        expect(self.page.locator(".viewer-fault")).to_be_hidden()

        # Other files are a change like any other, though the page is loaded anew.
        self.page.get_by_label("Files of the passes").select_option(label="far")
        expect(self.page.get_by_text("The ledger as it is now is kept as a version.")).to_be_visible()
        with self.page.expect_navigation():
            self.page.get_by_role("button", name="Yes").click()
        self.settled()
        self.assertTrue(LedgerVersion.objects.filter(comment__startswith="before: Apply the ledger to").exists())
        self.assertEqual(Ledger.objects.get().document["beauty"], "far/beauty")
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertEqual(Ledger.objects.get().document["beauty"], "render/beauty")

    def elsewhere(self, address, change):
        """A change by another page, saved."""
        context = self.browser.new_context(storage_state=self.page.context.storage_state())
        other = context.new_page()
        other.goto(address)
        expect(other.locator("header")).to_contain_text("· saved")
        change(other)
        expect(other.locator("header")).to_contain_text("· saved")
        other.wait_for_load_state("networkidle")
        context.close()

    def test_changes_of_two_pages_that_do_not_meet_are_joined(self):
        self.log_in()
        address = f"{self.live_server_url}{self.url('rebuild')}?frame=1001&row=emission"
        self.page.goto(address)
        self.settled()
        self.elsewhere(address, lambda other: other.get_by_label("background on").uncheck())
        field = self.amount("emission")
        field.fill("0.25")
        field.press("Enter")
        expect(self.page.locator(".notice", has_text="ada changed this ledger")).to_contain_text("background off")
        self.settled()
        document = Document.from_json(Ledger.objects.get().document)
        self.assertEqual((document.row("emission").amount, document.row("background").on), (0.25, False))

    def test_two_pages_and_the_second_chooses(self):
        """What the first saved is said in words; taken, ours is one undo away and a version; kept, ours is what
        stands."""
        self.log_in()
        address = f"{self.live_server_url}{self.url('rebuild')}?frame=1001&row=emission"
        self.page.goto(address)
        self.settled()
        for choice, theirs, mine, expected in (("Take theirs", "0.6", "0.25", 0.6), ("Keep mine", "0.7", "0.35", 0.35)):

            def typed(page, value):
                field = page.locator("[data-row=emission] .ledger-row num-field input")
                field.fill(value)
                field.press("Enter")

            self.elsewhere(address, lambda other, value=theirs: typed(other, value))
            typed(self.page, mine)
            expect(self.page.get_by_role("alert").first).to_contain_text("Both of you changed: emission amount")
            self.page.get_by_role("button", name=choice).click()
            self.settled()
            self.assertEqual(Document.from_json(Ledger.objects.get().document).row("emission").amount, expected, choice)
        kept = LedgerVersion.objects.get()
        self.assertEqual(Document.from_json(kept.document).row("emission").amount, 0.25)

    def test_a_lost_pass_is_named_and_put_back_in_one_click(self):
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001&row=emission")
        self.settled()
        self.page.get_by_role("button", name="Remove").click()
        expect(self.page.locator(".verdict")).to_contain_text("not balanced")
        expect(self.page.locator(".suggestion")).to_contain_text("emission is missing")
        self.sweep()
        expect(self.page.locator(".balance-foot")).to_contain_text("not balanced, the first 1001")
        self.page.get_by_role("button", name="Apply").click()
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")

    def test_bad_numbers_and_broken_files_leave_the_page_whole(self):
        self.log_in()
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        self.settled()
        self.amount("emission").click()
        self.amount("emission").fill("a lot")
        self.page.keyboard.press("Enter")
        field = self.page.locator("[data-row=emission] num-field")
        expect(field).to_have_attribute("data-why", "Not a number, not a lot")
        expect(self.amount("emission")).to_have_value("1.00")
        expect(self.amount("emission")).to_be_focused()
        self.amount("emission").fill("0.5")
        self.page.keyboard.press("Enter")
        expect(field).not_to_have_attribute("wrong", "")
        self.page.keyboard.press("Control+z")  # in the number, that was taken
        expect(self.amount("emission")).to_have_value("1.00")
        self.page.keyboard.press("Escape")
        broken = self.folder / "TST_010.1002.exr"
        broken.write_bytes(broken.read_bytes()[:-300])
        self.go_to(1002)
        fault = self.page.locator(".viewer-fault")
        expect(fault).to_contain_text("TST_010.1002.exr")
        expect(fault).to_contain_text("Render or copy this file again")
        expect(self.page.locator(".verdict")).to_contain_text("not compared: ")
        expect(self.page.locator(".balance-sums")).not_to_contain_text(re.compile(r"\d"))
        self.go_to(1001)
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")
        self.sweep()
        expect(self.page.locator(".balance-foot")).to_contain_text("1 balanced; 1 not compared, the first 1002")
        expect(fault).to_be_hidden()
        expect(fault).to_be_hidden()


class Mattes(BrowserCase):
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
        expect(sentence).to_contain_text("; plus a stroke")

        # It is chosen again and made finer; then taken away, and comes back.
        def drawn():
            self.settled()
            return Document.from_json(Ledger.objects.get().document).mattes[0].parts[1].strokes

        (stroke,) = drawn()
        self.page.get_by_role("button", name="Stroke 1", exact=True).click()
        size = self.page.get_by_role("spinbutton", name="size of the brush")
        size.fill("2.5")
        size.press("Enter")
        self.page.get_by_label("this frame only").check()
        self.assertEqual(drawn(), (stroke.replace(size=2.5, first=1001, last=1001),))
        self.page.get_by_role("button", name="Remove stroke").click()
        self.assertEqual(drawn(), ())
        self.page.get_by_role("button", name="Undo").click()
        self.assertEqual(len(drawn()), 1)
        self.page.keyboard.press("Escape")
        while self.page.get_by_role("button", name="Undo").is_enabled():
            self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_role("button", name="Mattes", exact=True).click()
        self.settled()
        self.assertEqual(Document.from_json(Ledger.objects.get().document), first)

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
        expect(self.page.locator(".matte-sentence")).to_contain_text("plus a polygon")
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
