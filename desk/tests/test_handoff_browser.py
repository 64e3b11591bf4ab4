"""From the ledger to a movie that plays in the page, a note on it, and its answer; and a board arranged by hand."""

import re

import numpy as np
import pypdf
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from desk.handoff import boards
from desk.handoff.models import Board, Delivery, Note
from desk.rebuild.models import Ledger
from desk.rebuild.services import keep_version
from desk.tests.browser import BrowserCase
from prism.movies.reading import read_movie


class Review(BrowserCase):
    def test_from_the_ledger_to_a_note_answered(self):
        self.start_worker()
        self.log_in()
        self.page.goto(self.live_server_url + self.url("hand-off"))
        self.page.get_by_label("Add from preset").select_option(label="to review")
        self.page.get_by_label("frames", exact=True).fill("1001-1002")
        self.page.get_by_role("button", name="still", exact=True).click()
        self.page.get_by_role("button", name="Remove", exact=True).click()
        expect(self.page.locator("[data-item=still]")).to_have_count(0)
        self.page.get_by_role("button", name="Undo").click()  # back where it was
        expect(self.page.locator("[data-item]").nth(1)).to_have_attribute("data-item", "still")
        self.page.get_by_role("button", name="Remove", exact=True).click()
        expect(self.page.locator("[data-item=review]")).to_contain_text("review.mp4")
        # What it will be is there before it is written, and what was written beside it.
        large, drawn = self.page.locator(".large img"), "image => image.complete && image.naturalWidth > 0"
        self.page.get_by_role("button", name="Show review large").click()
        expect(self.page.locator(".large")).to_contain_text("H.264 changes the first frame by")
        self.page.wait_for_function(f"() => ({drawn})(document.querySelector('.large img'))")
        # Other settings, or another ledger, are another picture.
        shown = large.get_attribute("src")
        self.page.get_by_role("button", name="review", exact=True).click()
        scale = self.page.locator("[data-item=review]").get_by_label("scale", exact=True)
        scale.fill("0.5")
        scale.press("Enter")
        expect(large).not_to_have_attribute("src", shown)
        expect(self.page.locator(".large")).to_contain_text("H.264 changes the first frame by")
        half = large.get_attribute("src")
        bright = Ledger.objects.get()
        bright.document["rows"][0]["amount"] = 3
        bright.save()
        self.page.evaluate("() => document.dispatchEvent(new Event('visibilitychange'))")
        expect(large).not_to_have_attribute("src", half)
        expect(self.page.locator(".large")).to_contain_text("H.264 changes the first frame by")
        scale.fill("1")
        scale.press("Enter")
        expect(self.page.locator(".large")).to_contain_text("H.264 changes the first frame by")
        self.page.get_by_role("button", name="Write").click()
        expect(self.page.locator(".dispatch[data-state=done]")).to_have_count(1)
        self.page.get_by_role("button", name="Show review of ").click()
        expect(large).to_have_attribute("src", re.compile(r"/picture/review/large/$"))
        self.page.wait_for_function(f"() => ({drawn})(document.querySelector('.large img'))")
        self.check_axe()
        (path,) = self.root.rglob("delivery/**/*.mp4")
        frames = list(read_movie(path))
        self.assertEqual(len(frames), 2)

        # It plays in Chromium, and what Chromium shows is what was written.
        self.page.locator(".dispatch-reviews a").last.click()
        expect(self.page.locator(".review-foot [role=status]")).to_have_text("1001, 1 of 2")
        self.page.get_by_role("button", name="Play").click()
        self.page.wait_for_function("() => document.querySelector('video').ended")
        expect(self.page.get_by_role("button", name="Play")).to_be_visible()
        shown = np.array(self.page.evaluate(_PIXELS)).reshape(*frames[0].shape[:2], 4)[..., :3]
        self.assertLess(np.abs(shown - frames[1][..., :3] * 255).mean(), 6)

        # A note is drawn and said, stands beside the ledger, and is answered by a version.
        self.page.get_by_role("button", name="One frame back").click()
        box = self.page.locator(".review-picture svg").bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 4, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, steps=5)
        self.page.mouse.up()
        self.page.get_by_label("Note", exact=True).fill("warmer key")
        self.page.get_by_role("button", name="Note on 1001").click()
        expect(self.page.locator("[data-note]")).to_contain_text("warmer key")
        note = Note.objects.get()
        self.assertEqual((note.frame, round(note.x, 2), round(note.y, 2)), (1001, 0.25, 0.5))
        self.assertGreater(len(note.strokes[0]), 3)
        review = self.page.url
        self.page.goto(self.live_server_url + self.url("rebuild"))
        expect(self.page.locator(".notes-beside")).to_contain_text("warmer key")
        document = Ledger.objects.get().document
        document["rows"][0]["amount"] = 0.5
        Ledger.objects.update(document=document)
        keep_version(Ledger.objects.get(), self.artist, "warmer")
        self.page.goto(review)
        self.page.get_by_role("button", name="1001 warmer key").click()
        self.page.get_by_role("button", name="Remove", exact=True).click()
        expect(self.page.locator("[data-note]")).to_have_count(0)
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_role("button", name="1001 warmer key").click()
        self.page.get_by_label("Answer", exact=True).fill("half a stop")
        self.page.get_by_role("button", name="Answer").click()
        expect(self.page.locator("[data-note]")).to_contain_text("answered by v002")
        self.page.get_by_role("button", name="Before and after").click()
        self.page.wait_for_function(
            "() => [...document.querySelectorAll('.review-pair img')].every((i) => i.naturalWidth)"
        )
        self.check_axe()

    def check_axe(self):
        found = Axe().run(self.page).response["violations"]
        self.assertEqual(
            [(v["id"], v["nodes"][0]["html"]) for v in found if v["impact"] in ("serious", "critical")], []
        )


_PIXELS = """() => {
  const video = document.querySelector("video");
  const canvas = document.createElement("canvas");
  Object.assign(canvas, { width: video.videoWidth, height: video.videoHeight });
  canvas.getContext("2d").drawImage(video, 0, 0);
  return [...canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height).data];
}"""


class BoardEditor(BrowserCase):
    check_axe = Review.check_axe

    def document(self):
        expect(self.page.get_by_text("saved", exact=True)).to_be_visible()
        return boards.parsed(Board.objects.get())

    def placed(self, key):
        return next(each for each in self.document().elements if each.id == key)

    def listed(self, name):
        return self.page.locator(".board-list").get_by_role("button", name=name, exact=True)

    def middle_of(self, key):
        box = self.page.locator(f".board-sheet [data-element={key}]").first.bounding_box()
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def test_text_is_kept_while_it_is_typed(self):
        """And when the page is left within the field; all of it is one step of undo."""
        board = boards.make(self.shot, "pair", self.artist)
        self.log_in()
        self.page.on("dialog", lambda dialog: dialog.accept())
        address = self.live_server_url + self.url("hand-off-board", board=board.pk)
        self.page.goto(address)
        begun = self.document().name
        opened = lambda: self.page.locator("details.board-part summary").first.click()  # noqa: E731
        opened()
        field = self.page.get_by_label("name").first
        field.click()
        field.fill("")
        field.press_sequentially("dusk, warmer", delay=60)
        self.page.wait_for_timeout(900)  # saved meanwhile, and still being typed
        field.press_sequentially(" key", delay=30)
        expect(field).to_have_value("dusk, warmer key")
        self.page.goto(self.live_server_url + self.url("hand-off"))
        self.page.goto(address)
        opened()
        expect(self.page.get_by_label("name").first).to_have_value("dusk, warmer key")
        self.assertEqual(self.document().name, "dusk, warmer key")
        field = self.page.get_by_label("name").first
        field.press_sequentially("!", delay=30)
        field.blur()
        self.page.locator("body").press("Control+z")
        self.assertEqual(self.document().name, "dusk, warmer key")
        self.assertNotEqual(begun, "dusk, warmer key")

    def test_arranged_by_hand_and_written(self):
        board = boards.make(self.shot, "pair", self.artist)
        self.log_in()
        self.page.goto(self.live_server_url + self.url("hand-off-board", board=board.pk))
        before = self.placed("before")

        # Dragged: it follows, is caught by edges, and comes back with undo.
        x, y = self.middle_of("before")
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 90, y + 60, steps=6)
        self.page.mouse.up()
        moved = self.placed("before")
        self.assertGreater(moved.x - before.x, 10)
        self.page.locator("body").press("Control+z")
        self.assertEqual(self.placed("before"), before)
        self.page.locator("body").press("Control+Shift+z")
        self.assertEqual(self.placed("before"), moved)

        # Aligned with the other, nudged, lowered, and its shadow taken over by the other.
        self.listed("Picture").nth(1).click(modifiers=["Shift"])
        self.page.get_by_role("button", name="Align top").click()
        self.assertEqual(self.placed("before").y, self.placed("after").y)
        self.listed("Picture").first.click()
        self.page.locator("body").press("ArrowRight")
        self.assertAlmostEqual(self.placed("before").x, moved.x + 0.5, places=2)
        self.page.get_by_role("button", name="Bring forward").click()
        self.assertEqual([each.id for each in self.document().elements][:2], ["after", "before"])

        # Text is written over, an element added and removed by keys.
        self.listed("Title").click()
        self.page.get_by_label("text", exact=True).fill("Two looks\nof one shot")
        self.page.get_by_label("text", exact=True).blur()
        self.assertEqual(self.placed("title").text, "Two looks\nof one shot")
        count = len(self.document().elements)
        self.page.get_by_role("button", name="Band", exact=True).first.click()
        self.assertEqual(len(self.document().elements), count + 1)
        self.page.locator("body").press("Delete")
        self.assertEqual(len(self.document().elements), count)
        self.page.get_by_role("button", name="As written").click()
        self.page.wait_for_function("() => document.querySelector('.board-written img')?.naturalWidth > 0")
        self.check_axe()

        # And what is written has the words as text.
        self.start_worker()
        self.page.goto(self.live_server_url + self.url("hand-off"))
        self.page.get_by_role("button", name="Board", exact=True).click()
        self.page.get_by_label("board", exact=True).select_option("before and after")
        self.page.get_by_role("button", name="Write").click()
        expect(self.page.locator(".dispatch[data-state=done]")).to_have_count(1)
        self.assertEqual(Delivery.objects.get().state, "done")
        (path,) = self.root.rglob("delivery/**/*.pdf")
        self.assertIn("of one shot", pypdf.PdfReader(path).pages[0].extract_text())
