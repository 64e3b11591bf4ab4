"""Who may see and change what; which headers protect the pages."""

from django.test import Client
from django.urls import reverse

from desk.shots.storage import allowed_folder
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
)
QUESTIONS = (
    "rebuild-picture",
    "rebuild-contributions",
    "rebuild-balance",
    "rebuild-probe",
    "rebuild-first",
    "plan-answer",
)
CHANGES = (
    "plan-save",
    "plan-bring-in",
    "scene",
    "scene-facts",
    "rebuild-save",
    "rebuild-version",
    "intake",
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
        self.assertEqual(self.client.post(self.url("intake"), {"folder": "."}).status_code, 403)
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

    def test_folders_outside_the_storage(self):
        """Absolute, climbing and linked ways out all give the same answer as a folder that is not there."""
        (self.root / "way_out").symlink_to("/etc")
        for text in ("/etc", "../../etc", "way_out", "absent", str(self.root.parent), "TST/../../x"):
            with self.subTest(text), self.assertRaisesRegex(UnreadableFile, "no such folder below the storage"):
                allowed_folder(text)
        self.assertEqual(allowed_folder("TST/TST_010/render"), self.folder)
