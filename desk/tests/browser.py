"""A page in a real browser on a world of its own, for tests of what people do."""

import io
import os
import re
import shutil
from unittest import mock

import numpy as np
from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from PIL import Image as Pillow
from playwright.sync_api import expect, sync_playwright

from desk.tests.world import World
from desk.web import limits

CHROMIUM = shutil.which("chromium-headless-shell")
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--no-first-run",
]
PATIENCE = 40_000  # milliseconds; a slow machine compiles during the first picture, and the first suggestion
expect.set_options(timeout=PATIENCE)


class BrowserCase(World, StaticLiveServerTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        # Playwright runs a loop of its own in this thread, which Django would take for asynchronous code.
        cls.enterClassContext(mock.patch.dict(os.environ, DJANGO_ALLOW_ASYNC_UNSAFE="true"))
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = cls.playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self):
        super().setUp()
        # A loaded machine compiles while somebody waits, which no answer has the time for.
        self.enterContext(mock.patch.multiple(limits, SECONDS=PATIENCE / 1000, PATIENCE=PATIENCE / 1000))
        self.build()
        self.with_ledger()
        self.page = self.browser.new_page(viewport={"width": 1280, "height": 800})
        self.page.set_default_timeout(PATIENCE)
        self.addCleanup(self.page.close)
        self.complaints: list[str] = []
        self.expected = ["GPU stall"]  # in the console: of the machine, and what a test brings about itself
        self.page.on(
            "console", lambda message: message.type in ("error", "warning") and self.complaints.append(message.text)
        )
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.addCleanup(self._no_errors_of_ours)

    def _no_errors_of_ours(self):
        """Whatever a test looks at: what the page throws is no fault of the artist, refusals that it tells its reader
        are no errors in the console, and no test passes over one."""
        ours = [text for text in self.complaints if not any(known in text for known in self.expected)]
        self.assertEqual(ours, [])

    def log_in(self, name="ada"):
        """As after the login page."""
        self.client.force_login(get_user_model().objects.get(username=name))
        session = self.client.cookies[settings.SESSION_COOKIE_NAME].value
        cookie = {"name": settings.SESSION_COOKIE_NAME, "value": session, "url": self.live_server_url}
        self.page.context.add_cookies([cookie])

    def log_in_by_page(self, name="ada"):
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
