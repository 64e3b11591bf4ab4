"""Who may see and change what; which headers protect the pages."""

from django.test import Client
from django.urls import reverse

from desk.shots.storage import allowed_folder, shot_file
from desk.tests.world import WorldCase
from prism.errors import UnreadableFile

PAGES = (
    "shot",
    "plan",
    "plan-export",
    "plan-audit",
    "scene",
    "shot-settings",
    "render",
    "intake",
    "rebuild",
    "finish",
    "hand-off",
    "shot-picture",
    "hand-off-progress",
    "intake-state",
    "intake-folders",
    "look",
    "look-sheet",
)
QUESTIONS = (
    "rebuild-contributions",
    "rebuild-balance",
    "rebuild-first",
    "rebuild-histogram",
    "rebuild-names",
    "rebuild-pick",
    "rebuild-sweep",
    "plan-answer",
    "look-picture",
    "look-probe",
    "look-values",
)
CHANGES = (
    "plan-save",
    "plan-bring-in",
    "scene",
    "scene-facts",
    "rebuild-save",
    "rebuild-version",
    "intake-bring",
    "intake-act",
    "intake-upload-begin",
    "intake-upload-piece",
    "hand-off",
)


class Access(WorldCase):
    def setUp(self):
        super().setUp()
        self.with_ledger()

    def test_nothing_without_login(self):
        outside = Client()
        for name in (*PAGES, *QUESTIONS):
            with self.subTest(name):
                answer = outside.get(self.url(name))
                self.assertRedirects(answer, f"{reverse('login')}?next={self.url(name)}", fetch_redirect_response=False)
        self.assertEqual(outside.get("/").status_code, 302)
        self.assertEqual(outside.get("/health/").status_code, 200)

    def test_strangers_find_nothing(self):
        self.client.force_login(self.stranger)
        for name in PAGES:
            with self.subTest(name):
                self.assertEqual(self.client.get(self.url(name)).status_code, 404)
        for name in (*QUESTIONS, *CHANGES):
            with self.subTest(name):
                self.assertEqual(self.ask(name).status_code, 404)
        self.assertNotContains(self.client.get("/"), "TST_010")

    def test_members_see_every_station(self):
        for user in (self.artist, self.reviewer):
            self.client.force_login(user)
            for name in PAGES[1:]:
                with self.subTest(name, user=user):
                    self.assertEqual(self.client.get(self.url(name)).status_code, 200)

    def test_reviewers_change_nothing(self):
        self.client.force_login(self.reviewer)
        document = self.ledger.document
        self.assertEqual(
            self.ask("rebuild-save", ledgerId=self.ledger.pk, ledger=document, revision=1).status_code, 403
        )
        self.assertEqual(self.ask("rebuild-version", ledgerId=self.ledger.pk).status_code, 403)
        self.assertEqual(self.ask("rebuild-element", ledgerId=self.ledger.pk, element=self.element.pk).status_code, 403)
        self.assertEqual(self.ask("plan-save", plan={}, revision=1).status_code, 403)
        self.assertEqual(self.ask("intake-bring", folder=".").status_code, 403)
        self.assertEqual(self.client.post(self.url("hand-off"), {"frames": "1001"}).status_code, 403)
        self.assertNotContains(self.client.get(self.url("hand-off")), "New delivery")
        self.ledger.refresh_from_db()
        self.assertEqual(self.ledger.revision, 1)

    def test_forged_requests_are_refused(self):
        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.artist)
        answer = strict.post(self.url("rebuild-save"), "{}", content_type="application/json")
        self.assertEqual(answer.status_code, 403)

    def test_headers(self):
        policy = self.client.get(self.url("rebuild")).headers["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertNotIn("unsafe", policy)
        self.assertEqual(self.client.get("/").headers["X-Frame-Options"], "DENY")

    def test_folders_outside_the_production(self):
        """Absolute, climbing and linked ways out, and the next production's, all answer as what is not there."""
        other = self.root / "OTHER" / "X"
        other.mkdir(parents=True)
        (self.root / "TST" / "way_out").symlink_to("/etc")
        (self.root / "TST" / "across").symlink_to(other)
        ways = (
            "/etc",
            "../../etc",
            "TST/way_out",
            "TST/across",
            "absent",
            str(self.root),
            "OTHER/X",
            "TST/../OTHER/X",
            "TSTX",
        )
        for text in (*ways, "TST/" + "ü" * 3000, "a\0b"):
            with self.subTest(text[:20]), self.assertRaisesRegex(UnreadableFile, "no such folder of this production"):
                allowed_folder(text, self.production)
        self.assertEqual(allowed_folder("TST/TST_010/render", self.production), self.folder)

    def test_links_laid_later_are_not_followed(self):
        """A frame that becomes a link out of the production is neither shown, compared nor written over."""
        stranger = self.root / "OTHER"
        stranger.mkdir()
        kept = self.render(1002).rename(stranger / "kept.exr")
        before = kept.read_bytes()
        (self.folder / "TST_010.1002.exr").symlink_to(kept)
        answer = self.ask("rebuild-balance", ledgerId=self.ledger.pk, ledger=self.ledger.document, frame=1002)
        self.assertIn("leads out of the production", answer.json()["error"]["what"])
        (self.root / "TST" / "TST_010" / "delivery").symlink_to(stranger)
        with self.assertRaisesRegex(UnreadableFile, "leads out"):
            shot_file(self.shot, "delivery/first_v001/a.exr")
        self.assertEqual(kept.read_bytes(), before)
