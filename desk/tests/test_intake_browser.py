"""Files from elsewhere through a real page and a real worker: sent, distrusted, corrected, looked at, rebuilt."""

import numpy as np
from playwright.sync_api import expect

from desk.elements.models import Element, NameRule
from desk.elements.services import sources_of
from desk.tests.browser import BrowserCase
from prism.formats.exr import write_exr
from prism.pixels.image import Image

SIZE = (24, 32)


class FromElsewhere(BrowserCase):
    def files(self):
        """Three passes over four frames, the third frame of the beauty missing, one pass clamped, one called oddly."""
        folder = self.root / "sent"
        folder.mkdir()
        paths = []
        for frame in (1001, 1002, 1003, 1004):
            rng = np.random.default_rng(frame)
            light = {name: (rng.random((3, *SIZE)) * 2).astype(np.float16) for name in ("diffuse", "wibble")}
            light["wibble"] = np.minimum(light["wibble"], 1)
            total = light["diffuse"].astype(np.float32) + light["wibble"]
            files = {name: dict(zip("RGB", planes, strict=True)) for name, planes in light.items()}
            files["beauty"] = {**dict(zip("RGB", total, strict=True)), "A": np.ones(SIZE, np.float32)}
            for name, planes in files.items():
                if (name, frame) != ("beauty", 1003):
                    paths.append(folder / f"els_{name}.{frame}.exr")
                    write_exr(paths[-1], Image.of_planes(planes))
        (folder / "bad.0001.exr").write_bytes(b"no picture")
        return [*paths, folder / "bad.0001.exr"]

    def test_from_a_dropped_sequence_to_a_balanced_ledger(self):
        self.start_worker()
        self.log_in()
        self.page.goto(self.live_server_url + self.url("intake"))
        self.page.locator("input[type=file]").set_input_files(self.files())
        expect(self.page.get_by_role("alert")).to_contain_text("1 of 12 files were not kept")
        expect(self.page.get_by_role("alert")).to_contain_text("This is not an OpenEXR file")
        element = self.page.locator(".intake-element").nth(1)
        expect(element).to_contain_text("all frames read")
        element.click()
        findings = self.page.get_by_label("Findings")
        expect(findings).to_contain_text("lacks 1 frame within its range: 1003")
        expect(findings).to_contain_text("is not a known pass")

        # Corrected: the unknown pass is emission, which shows that it was cut off.
        row = self.page.locator(".intake-pass", has_text="wibble")
        row.get_by_role("button", name="Set pass type…").click()
        row.get_by_label("Pass type").select_option("emission")
        expect(findings).to_contain_text("emission looks cut off at 1")
        expect(findings).not_to_contain_text("not a known pass")
        self.assertEqual(NameRule.objects.get().target, "emission")

        # Accepted with a reason, and looked at from the finding.
        clamped = findings.locator("article", has_text="cut off at 1")
        clamped.get_by_role("button", name="Accept…").click()
        clamped.get_by_label("Why it may stay").fill("so the client wants it")
        clamped.get_by_role("button", name="Accept", exact=True).click()
        expect(findings).to_contain_text("accepted by ada: so the client wants it")
        findings.locator("article", has_text="cut off at 1").get_by_role("link", name="Look").click()
        self.page.wait_for_selector("canvas[data-serial]")
        expect(self.page.locator(".shown")).to_contain_text("emission · frame 1001")
        canvas = self.page.locator(".surround canvas")
        box = canvas.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        expect(self.page.locator(".probe")).to_contain_text("16 bit")
        self.page.keyboard.press("p")
        expect(self.page.locator(".readings")).to_contain_text("diffuse")
        self.page.keyboard.press("w")
        self.page.get_by_label("Picture to compare with").select_option("diffuse")
        self.page.keyboard.press(".")
        expect(self.page.locator(".shown")).to_contain_text("frame 1002")

        # Rebuilt.
        made = Element.objects.exclude(name="render").get()
        self.client.force_login(self.artist)
        self.client.post(self.url("rebuild-lay", ledger=self.ledger.pk, element=made.pk))
        self.page.goto(self.live_server_url + self.url("rebuild"))
        self.page.get_by_label("Start again from").select_option(label="components")
        self.page.get_by_role("button", name="Yes").click()
        self.settled()
        expect(self.page.locator(".verdict")).to_contain_text("balanced within half rounding")


class Claims(BrowserCase):
    def test_of_two_that_claim_one_pass_the_other_is_taken_at_a_click(self):
        folder = self.root / "TST" / "TST_010" / "twice"
        folder.mkdir()
        planes = {c: np.ones(SIZE, np.float16) for c in "RGBA"}
        depths = {"Z": np.full(SIZE, 2, np.float32), "depth.V": np.full(SIZE, 5, np.float32)}
        write_exr(folder / "s.1001.exr", Image.of_planes(planes | depths))
        self.bring_in(folder, "twice")
        self.start_worker()
        self.log_in()
        self.page.goto(self.live_server_url + self.url("intake"))
        self.page.locator(".intake-element", has_text="twice").click()
        row = self.page.locator(".intake-pass", has_text="depth.V")
        expect(row).to_contain_text("depth is read from Z")
        row.get_by_role("button", name="Use this instead").click()
        expect(row).not_to_contain_text("is read from Z")
        expect(self.page.locator(".intake-pass", has_text="depth")).to_have_count(1)
        element = Element.objects.get(name="twice")
        self.assertEqual(float(sources_of([element], 1001).pixels("twice/depth").planes[0][0, 0]), 5)
        self.assertEqual(str(NameRule.objects.get()), "Z is ignored")


class Sending(BrowserCase):
    def test_a_broken_connection_is_waited_for_and_taken_up_where_it_broke(self):
        self.log_in()
        self.page.goto(self.live_server_url + self.url("intake"))
        path = self.root / "big.1001.exr"
        rng = np.random.default_rng(1)
        write_exr(
            path, Image.of_planes({c: rng.random((900, 900)).astype(np.float32) for c in "RGB"}), compression="none"
        )
        pieces = []

        def pass_on(route):
            pieces.append(route.request.url)
            if len(pieces) in (2, 3):
                route.abort("connectionreset")
            else:
                route.continue_()

        self.expected.append("ERR_CONNECTION_RESET")
        self.page.route("**/upload/piece/**", pass_on)
        self.page.locator("input[type=file]").set_input_files(path)
        expect(self.page.locator(".intake-place")).to_have_count(2)
        sent = next((self.root / "TST" / "TST_010" / "uploads").rglob("*.exr"))
        self.assertEqual(sent.read_bytes(), path.read_bytes())
        begun = [int(url.rpartition("at=")[2]) for url in pieces]
        self.assertEqual(begun[1:4], [begun[1]] * 3)  # the same piece until it got through, and none before it again
        self.assertEqual(sorted(set(begun)), list(dict.fromkeys(begun)))


class Looking(BrowserCase):
    """The viewer by itself, on the frames that every browser test has."""

    def open(self, **query):
        self.log_in()
        address = "&".join(f"{name}={value}" for name, value in query.items())
        self.page.goto(f"{self.live_server_url}{self.url('look')}?{address}")
        self.page.wait_for_selector("canvas[data-serial]")

    def drawn(self, change, *, differs=True):
        """The picture after a change, waited for until it is another one, or a while if it must not be."""
        before = self.picture()
        change()
        for _ in range(100):
            now = self.picture()
            if not differs and _ == 10:
                return now
            if differs and (now.shape != before.shape or np.abs(now - before).max() > 3):
                return self.exact()
            self.page.wait_for_timeout(100)
        self.fail("The picture did not change.")

    def exact(self):
        """The picture at rest: a quick one comes before it."""
        self.page.wait_for_selector("canvas[data-encoding=png]")
        self.page.wait_for_load_state("networkidle")
        return self.picture()

    def test_comparing_marking_and_reading(self):
        self.open(frame=1001)
        title = self.page.locator(".shown")
        expect(title).to_contain_text("beauty · frame 1001")
        self.page.get_by_role("button", name="Compare").click()
        plain = self.exact()

        self.page.get_by_label("Picture to compare with").select_option("normals")
        wiped = self.drawn(lambda: self.page.get_by_role("button", name="Wipe").click())
        middle = plain.shape[1] // 2
        below = plain.shape[0] // 3  # of the names of both halves
        self.assertGreater(np.abs(wiped - plain)[below:, : middle - 60].max(), 20)
        self.assertEqual(np.abs(wiped - plain)[below:, middle + 60 :].max(), 0)
        field = self.page.get_by_label("angle of the wipe in degrees")
        turned = self.drawn(lambda: (field.fill("90"), field.press("Enter")))
        half = plain.shape[0] // 2
        self.assertEqual(np.abs(turned - plain)[half + 60 :].max(), 0)
        self.drawn(lambda: self.page.get_by_role("button", name="Wipe").click())

        self.page.get_by_label("Picture to compare with").select_option("beauty")
        same = self.drawn(lambda: self.page.get_by_role("button", name="Difference").click())
        self.assertLess(same[half - 20 : half + 20, middle - 20 : middle + 20].max(), 3)
        self.drawn(lambda: self.page.get_by_role("button", name="Difference").click())

        self.page.keyboard.press("v")
        expect(self.page.get_by_label("Under transparency")).to_be_visible()
        marked = self.drawn(lambda: self.page.get_by_role("button", name="over", exact=True).click())
        expect(self.page.locator(".viewed")).to_have_text("marks over · film-like (ACES 2.0)")
        self.assertTrue((np.abs(marked - [255, 120, 0]).max(axis=-1) < 3).any())
        self.page.get_by_role("button", name="over", exact=True).click()

        canvas = self.page.locator(".surround canvas").bounding_box()
        self.page.mouse.move(canvas["x"] + canvas["width"] / 2, canvas["y"] + canvas["height"] / 2)
        expect(self.page.locator(".probe")).to_contain_text("10 bit")
        self.page.keyboard.down("Shift")
        self.page.mouse.down()
        self.page.mouse.move(canvas["x"] + canvas["width"] / 2 + 80, canvas["y"] + canvas["height"] / 2 + 60, steps=4)
        self.page.mouse.up()
        self.page.keyboard.up("Shift")
        expect(self.page.locator(".probe")).to_contain_text("mean ")

    def test_numbers_in_single_pixels_and_keys(self):
        self.open(frame=1001, **{"pass": "depth"})
        self.page.locator(".surround canvas").hover()
        self.page.keyboard.press("ArrowUp")
        expect(self.page.locator(".shown")).not_to_contain_text("depth ·")
        self.page.keyboard.press("ArrowDown")
        expect(self.page.locator(".shown")).to_contain_text("depth · frame 1001")
        with self.page.expect_response(lambda answer: "/values/" in answer.url) as values:
            for _ in range(12):
                self.page.mouse.wheel(0, -200)
        self.assertEqual(len(values.value.json()["values"][0]), 1)
        self.page.keyboard.press(".")
        expect(self.page.locator(".shown")).to_contain_text("frame 1002")
        self.page.keyboard.press("v")
        near = self.page.get_by_label("near end of the range")
        near.fill("3")
        with self.page.expect_request(lambda request: "/look/picture/" in request.url) as asked:
            near.press("Enter")
        self.assertEqual(asked.value.post_data_json["remap"]["near"], 3)
        self.page.get_by_role("button", name="Scopes").click()
        expect(self.page.get_by_label("Vectors of display values")).to_be_visible()

    def test_play_keeps_pictures_and_a_frame_that_cannot_be_shown_shows_that(self):
        (self.folder / "TST_010.1002.exr").write_bytes(b"RGBA")
        self.open(frame=1001)
        self.page.locator(".surround canvas").hover()
        before = self.picture()
        self.page.keyboard.press(".")
        expect(self.page.locator(".viewer-fault")).to_contain_text("This is not an OpenEXR file")
        middle = (before.shape[0] // 2 - 20, before.shape[1] // 2 - 20)
        empty = self.picture()[middle[0] : middle[0] + 5, middle[1] : middle[1] + 5]
        self.assertEqual(empty.std(), 0)  # the grey around pictures, and nothing of the frame before
        self.render(1002)
        self.page.keyboard.press(",")
        expect(self.page.locator(".viewer-fault")).to_be_hidden()
        self.page.get_by_role("button", name="Play").click()
        self.page.wait_for_timeout(1500)
        self.page.get_by_role("button", name="Play").click()
        expect(self.page.locator(".shown")).to_contain_text("frame 100")
