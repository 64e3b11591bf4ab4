"""The whole job through a real page, a real queue and a real worker: log in, change a row, see it, write it, check
it."""

import json
import re
import shutil
from pathlib import Path

import numpy as np
import OpenEXR
from axe_playwright_python.sync_playwright import Axe
from django.urls import reverse
from playwright.sync_api import expect

from demo.conservatory import build_scene
from demo.load import SHOTS, plan_of
from desk.accounts.models import Tour
from desk.elements.models import Place
from desk.handoff.boards import make
from desk.handoff.models import Board, DeliveryPreset, Note
from desk.jobs.engine import begin
from desk.jobs.models import Task
from desk.plan.models import Plan
from desk.rebuild.models import Ledger
from desk.rebuild.services import keep_version
from desk.render.models import Run
from desk.shots.models import Production, Shot
from desk.tests.browser import BrowserCase
from desk.tests.world import HEIGHT, WIDTH
from desk.web.faults import REFUSED
from prism.balance.balance import balance
from prism.combine.evaluate import evaluate
from prism.delivery.presets import PRESETS
from prism.ledger.document import Ledger as Document
from prism.ledger.first import first_ledger, starts_of
from prism.sources.opening import find_sources


class MainJob(BrowserCase):
    def test_from_login_to_a_delivered_file(self):
        self.start_worker()
        self.log_in_by_page()
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
        self.page.get_by_role("button", name="beauty", exact=True).click()
        self.page.get_by_label("light as").select_option("float")
        self.page.get_by_role("button", name="Write").click()
        expect(self.page.locator("article[data-state=done]")).to_have_count(1)
        with self.page.expect_download() as download:
            self.page.locator(".dispatch-files summary").click()
            self.page.locator(".dispatch a", has_text=".exr").click()
        self.check_delivered(Path(download.value.path()))

    def check_delivered(self, path):
        """The file opened with OpenEXR itself holds the sum of the passes with emission at a half, to the last bit."""
        target = self.root / "delivered.exr"
        shutil.copy(path, target)
        document = Document.from_json(json.loads(json.dumps(Ledger.objects.get().document)))
        self.assertEqual((document.row("emission").amount, document.row("background").on), (0.5, False))
        expected = evaluate(document.moved("render", ""), find_sources([self.folder / "TST_010.1001.exr"])).rgba
        with OpenEXR.File(str(target), separate_channels=True) as file:
            for plane, name in zip(expected, "RGBA", strict=True):
                np.testing.assert_array_equal(file.channels()[name].pixels, plane)

    def test_the_login_is_laid_out(self):
        """Labels above fields as wide as the form, a picture of ours beside; on a phone above."""
        for width, beside in ((1280, True), (390, False)):
            self.page.set_viewport_size({"width": width, "height": 800})
            self.page.goto(f"{self.live_server_url}/login/")
            box = {name: self.page.locator(where).bounding_box() for name, where in (
                ("form", ".login form"), ("picture", ".login-picture"), ("label", "label[for=id_username]"),
                ("field", "#id_username"), ("password", "#id_password"), ("button", ".login form .btn"),
            )}  # fmt: skip
            self.assertGreater(self.page.evaluate("document.querySelector('.login-picture').naturalWidth"), 600)
            self.assertLessEqual(box["label"]["y"] + box["label"]["height"], box["field"]["y"] + 1)
            self.assertEqual({round(box[name]["width"]) for name in ("field", "password", "button")},
                             {round(box["field"]["width"])})  # fmt: skip
            self.assertGreater(box["field"]["width"], 0.85 * box["form"]["width"])
            right_of = box["picture"]["x"] + box["picture"]["width"] <= box["form"]["x"]
            self.assertEqual(right_of, beside)
            self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), width)

    def test_a_form_says_what_is_wrong_and_the_console_nothing(self):
        """In a browser, that is: what asks by itself gets the status."""
        self.log_in()
        self.page.goto(f"{self.live_server_url}{reverse('password')}")
        for name, text in (("old_password", "wrong"), ("new_password1", "seven-lamps"), ("new_password2", "eleven")):
            self.page.locator(f"[name={name}]").fill(text)
        with self.page.expect_navigation() as sent:
            self.page.get_by_role("button", name="Change the password").click()
        self.assertEqual((sent.value.status, sent.value.headers[REFUSED.lower()]), (200, "422"))
        expect(self.page.locator("main")).to_contain_text("current password is not right")
        self.assertEqual(self.client.post(reverse("password"), {"old_password": "wrong"}).status_code, 422)

    def test_nothing_lies_off_the_screen_and_no_name_is_cut(self):
        """At 1280 and 1024 wide: all of the strip, and names of rows whole."""
        self.log_in()
        for width in (1280, 1024):
            self.page.set_viewport_size({"width": width, "height": 800})
            self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
            self.settled()
            box = self.page.get_by_role("button", name="Log out ada").bounding_box()
            self.assertLessEqual(box["x"] + box["width"], width)
            cut = """() => [...document.querySelectorAll('.ledger-title, .ledger-row num-field input')]
                .filter((each) => each.scrollWidth > each.clientWidth + 1)
                .map((each) => each.textContent || each.value)"""
            self.assertEqual(self.page.evaluate(cut), [])

    def test_lists_reflow_on_a_phone_and_at_double_size(self):
        """1280 wide at 200 % is 640: every list fits, and none of its buttons lies off the screen."""
        self.log_in()
        for width in (640, 390):
            self.page.set_viewport_size({"width": width, "height": 800})
            of_all = [reverse("shots"), reverse("work"), reverse("production", args=[self.shot.production.code])]
            of_shot = map(self.url, ("intake", "hand-off", "plan", "render", "finish", "shot-settings"))
            for address in (*of_all, *of_shot):
                self.page.goto(f"{self.live_server_url}{address}")
                self.page.wait_for_load_state("networkidle")
                self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), width, address)

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

    def test_reviewers_look_but_do_not_touch(self):
        self.log_in("rex")
        self.page.goto(f"{self.live_server_url}{self.url('rebuild')}?frame=1001")
        expect(self.page.locator("header")).to_contain_text("read-only")
        expect(self.amount("emission")).to_be_disabled()


class Rendering(BrowserCase):
    renders = True

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

        folder = self.root / "TST" / shot.code / "render" / "v001" / "all" / "close"
        for number in sorted({path.name.split(".")[-2] for path in folder.iterdir()}):
            sources = find_sources(sorted(folder.glob(f"*.{number}.exr")))
            for start in starts_of(sources):
                ledger = first_ledger(sources, by=start.by, denoised=start.denoised)
                self.assertTrue(balance(ledger, sources).balanced, (number, start))


SAYS = """text => [...document.querySelectorAll('body *')].filter(each => !each.matches('script, style, template'))
    .some(each => [...each.childNodes].filter(node => node.nodeType === 3).map(node => node.data)
        .concat([...each.attributes].map(({ value }) => value), String(each.value ?? '')).join(' ').includes(text))"""


class Hostile(BrowserCase):
    def test_no_text_is_run(self):
        """Whatever people, files and workers say is shown as it is, on every page that says it."""
        text = "</script><script>hit=1</script><img src=x onerror=hit=1>\"' x-init=hit=1"
        for objects, field in (
            (Production.objects, "title"), (Shot.objects, "title"), (Ledger.objects, "name"), (Place.objects, "name"),
        ):  # fmt: skip
            objects.update(**{field: text[: objects.model._meta.get_field(field).max_length]})
        version = keep_version(Ledger.objects.get(), self.artist)
        type(version).objects.update(comment=text)
        document = self.ledger.document
        document["rows"][0] = {"kind": "group", "id": "g", "name": text[:80], "rows": [document["rows"][0]]}
        Ledger.objects.update(document=document)
        self.folder = self.folder.with_name("more")
        self.folder.mkdir()
        self.render(1001, name="<img src=x onerror=hit=1>")
        self.bring_in(self.folder, name="")
        Note.objects.create(shot=self.shot, seen=version, frame=1001, x=0, y=0, text=text, author=self.artist)
        DeliveryPreset.objects.create(production=self.production, name=text[:80], document=PRESETS["picture"].as_json())
        board = make(self.shot, "empty", self.artist)
        Board.objects.update(name=text[:80])
        tasks = [Task(number=1, title=text[:80], state="failed", fault=text, log=text)]
        begin("look", self.shot, text[:80], tasks, author=self.artist)
        self.log_in()
        of_shot = ("intake", "plan", "render", "look", "rebuild", "finish", "hand-off", "scene", "shot-settings")
        addresses = [reverse("shots"), "/work/", "/productions/TST/", *map(self.url, of_shot)]
        shown = {}
        for address in (*addresses, self.url("hand-off-board", board=board.pk)):
            self.page.goto(f"{self.live_server_url}{address}")
            self.page.wait_for_load_state("networkidle")
            self.assertEqual(self.page.evaluate("typeof hit"), "undefined", address)
            shown[address] = self.page.evaluate(SAYS, "onerror=hit")
        for address in (*addresses[:3], *map(self.url, ("rebuild", "hand-off", "scene"))):
            self.assertTrue(shown[address], address)  # the others show nothing of it


class FirstTime(BrowserCase):
    """Shown around once, from page to page, by mouse or by keys; again only by asking."""

    def step(self, number):
        return self.page.get_by_label(f"Tour, step {number} of 4")

    def test_four_steps_over_two_pages_then_none(self):
        self.artist.tour.delete()
        self.log_in()
        self.page.clock.install()
        self.page.goto(
            f"{self.live_server_url}/password/"
        )  # where the first login leads; the last step is not the first
        self.page.clock.run_for(60_000)
        expect(self.page.locator(".tour")).to_have_count(0)
        self.page.goto(self.live_server_url)
        expect(self.step(1)).to_be_focused()
        self.page.locator(".shot-row").click()
        expect(self.step(1)).to_have_count(0)
        expect(self.page.locator(".toured")).to_have_count(1)
        for number in (2, 3):
            expect(self.step(number)).to_be_focused()
            self.assertEqual(Tour.objects.filter(user=self.artist).count(), 0)
            self.page.keyboard.press("ArrowRight")
        with self.page.expect_response("**/tour/"):
            self.step(4).get_by_role("button", name="Done").click()
        expect(self.page.locator(".tour, .toured")).to_have_count(0)
        self.assertEqual(Tour.objects.filter(user=self.artist).count(), 1)
        self.page.reload()
        self.page.wait_for_selector("canvas[data-encoding=png]")
        expect(self.page.locator(".tour")).to_have_count(0)
        self.page.keyboard.press("?")
        self.page.get_by_role("button", name="Show me around").click()
        expect(self.step(2)).to_be_focused()
        self.page.keyboard.press("Escape")
        expect(self.page.locator(".tour")).to_have_count(0)
        self.page.goto(f"{self.live_server_url}/work/")
        self.page.keyboard.press("?")
        self.page.get_by_role("button", name="Show me around").click()
        expect(self.step(1)).to_be_focused()

    def test_without_shots_only_the_keys_are_left_to_show(self):
        self.log_in("sam")
        self.page.goto(self.live_server_url)
        self.page.keyboard.press("?")
        self.page.get_by_role("button", name="Show me around").click()
        self.step(4).get_by_role("button", name="Done").click()
        expect(self.page.locator(".tour")).to_have_count(0)


EVERYTHING = {"resultTypes": ["violations"]}
COLOURS = EVERYTHING | {"runOnly": {"type": "rule", "values": ["color-contrast"]}}  # all that another theme changes


class Accessibility(BrowserCase):
    def test_axe_finds_nothing_serious(self):
        axe = Axe()
        self.page.goto(f"{self.live_server_url}/login/")
        self.check(axe, "login")
        self.log_in_by_page()
        self.check(axe, "shots")
        self.give_scene(build_scene())
        for theme in ("dark", "light"):
            self.page.evaluate("theme => localStorage.setItem('theme', theme)", theme)
            for name in ("plan", "render", "intake", "look", "rebuild", "hand-off", "scene", "shot-settings"):
                self.page.goto(f"{self.live_server_url}{self.url(name)}")
                if name == "rebuild":
                    self.page.get_by_label("Trims of emission").click()
                    self.page.wait_for_load_state("networkidle")
                self.check(axe, f"{name}, {theme}", COLOURS if theme == "light" else EVERYTHING)
        for address in ("/work/", "/productions/TST/", "/password/"):
            self.page.goto(f"{self.live_server_url}{address}")
            self.check(axe, address)
        self.page.goto(f"{self.live_server_url}{self.url('plan')}")
        for part in ("Shot", "Lights", "Quality", "Mist", "Deep", "Packing", "Names", "Presets"):
            self.page.get_by_label("Parts of the plan").get_by_role("button", name=part).click()
            self.page.wait_for_load_state("networkidle")
            self.check(axe, f"plan, {part}")

    def check(self, axe, where, options=EVERYTHING):
        found = axe.run(self.page, options=options).response["violations"]
        serious = [
            f"{violation['id']}: {node['html'][:160]}"
            for violation in found
            if violation["impact"] in ("serious", "critical")
            for node in violation["nodes"]
        ]
        self.assertEqual(serious, [], where)
