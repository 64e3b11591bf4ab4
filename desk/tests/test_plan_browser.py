"""The Plan station through a real page."""

from playwright.sync_api import expect

from demo.conservatory import build_scene
from demo.load import SHOTS
from desk.plan import services
from desk.plan.models import Plan
from desk.tests.browser import BrowserCase
from prism.passes.catalogue import CATALOGUE
from prism.plan.packing import Packing
from prism.plan.plan import Layer


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

    def test_ticks_in_quick_succession_are_all_kept(self):
        """Ten within one turn of the page, while answers to the first ones are still on their way."""
        self.part("Shot")
        self.page.get_by_label("close").check()
        self.part("Sheet")
        boxes = self.page.locator("tr[data-pass] input[type=checkbox]")
        before = set(self.saved()["passes"])
        ticked = self.page.evaluate(
            """() => [...document.querySelectorAll("tr[data-pass]")]
                 .filter((row) => !row.querySelector("input").checked).slice(0, 10)
                 .map((row) => (row.querySelector("input").click(), row.dataset.pass))"""
        )
        self.assertEqual(len(ticked), 10)
        expect(boxes.first).to_be_attached()
        self.assertEqual(set(self.saved()["passes"]), before | set(ticked))

    def test_back_goes_to_the_part_before(self):
        self.part("Names")
        self.part("Packing")
        self.page.go_back()
        expect(self.page.get_by_label("names", exact=True)).to_be_visible()
        self.page.go_back()
        expect(self.page.get_by_label("Sheet of passes")).to_be_visible()

    def test_all_findings_of_a_kind_are_fixed_together(self):
        """Two layers with a pass that comes out black in each."""
        self.part("Shot")
        self.page.get_by_label("close").check()
        self.part("Sheet")
        self.page.get_by_label("volume in layer all").check()
        self.page.get_by_label("Name of a new layer").fill("second")
        self.page.get_by_role("button", name="Add the layer").click()
        black = self.page.locator(".finding", has_text="would come out all black")
        expect(black).to_have_count(2)
        black.first.get_by_role("button", name="Fix all 2").click()
        expect(black).to_have_count(0)
        self.assertFalse(any("volume" in layer["passes"] for layer in self.saved()["layers"]))

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

    def test_nothing_is_called_saved_before_the_last_change(self):
        """A save ends while a later change still waits for its answer."""
        saves = self.held_back("**/plan/save/")
        self.part("Packing")
        packing = self.page.get_by_label("packing", exact=True)
        with self.page.expect_request("**/plan/save/"):
            packing.select_option("each-pass")
        answers = self.held_back("**/plan/answer/")
        with self.page.expect_request("**/plan/answer/"):
            packing.select_option("colour-and-data")
        with self.page.expect_response("**/plan/save/"):
            saves[0].continue_()
        self.page.unroute("**/plan/save/")
        self.page.wait_for_timeout(100)  # for the page to have read the answer
        self.assertIn("· saving", self.page.locator("header").inner_text())
        answers[0].continue_()
        self.page.unroute("**/plan/answer/")
        self.assertEqual(self.saved()["packing"]["rule"], "colour-and-data")

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

    def test_a_plan_changed_elsewhere_is_not_overwritten(self):
        """The page says so and keeps what was changed on it; nothing is saved over the other."""
        Plan.objects.filter(shot=self.other).update(revision=7)
        self.page.get_by_label("depth in layer all").check()
        expect(self.checks).to_contain_text("was changed elsewhere")
        expect(self.page.locator("header")).to_contain_text("not saved")
        expect(self.page.get_by_label("depth in layer all")).to_be_checked()
        self.assertEqual(Plan.objects.get(shot=self.other).revision, 7)

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
        expect(self.page.locator(".plan-bar")).to_contain_text("v001 is locked; a change makes v002")
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
