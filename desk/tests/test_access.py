"""Who may see and change what; which headers protect the pages."""

from django.contrib.auth import get_user_model
from django.db import transaction
from django.test import Client
from django.urls import URLResolver, get_resolver, reverse

from desk.handoff.boards import make
from desk.handoff.services import order
from desk.house.setup import create_shot
from desk.shots.models import Membership, Production
from desk.shots.storage import allowed_folder, shot_file
from desk.tests.world import WorldCase
from prism.delivery.presets import PRESETS
from prism.errors import UnreadableFile

# For every name of an address: who may GET it and who may POST to it. `members` and `artists` (owners too) are of the
# production,
# `users` are logged in, `keepers` keep accounts; nobody uses a method that is None.
RULES = {
    "health": ("anyone", "anyone"),
    "login": ("anyone", "anyone"),
    "logout": (None, "users"),
    "password": ("users", "users"),
    "tour": (None, "users"),
    "accounts": ("keepers", "keepers"),
    "account-change": (None, "keepers"),
    "work": ("users", None),
    "work-progress": ("users", None),
    "work-detail": ("users", None),
    "work-change": (None, "users"),
    "shots": ("users", "users"),
    "production-new": ("keepers", "keepers"),
    "production": ("members", "owners"),
    "production-members": (None, "owners"),
    "production-archive": (None, "owners"),
    "shot": ("members", "members"),
    "shot-settings": ("members", "owners"),
    "shot-picture": ("members", None),
    "finish": ("members", None),
    "finish-chain": (None, "members"),
    "finish-lay": (None, "members"),
    "finish-export": (None, "members"),
    "finish-preset": (None, "artists"),
    "scene": ("members", "artists"),
    "scene-facts": (None, "artists"),
    "scene-picture": ("members", None),
    "scene-export": ("members", None),
    "plan": ("members", None),
    "plan-answer": (None, "members"),
    "plan-save": (None, "artists"),
    "plan-export": ("members", None),
    "plan-lock": (None, "artists"),
    "plan-copy": (None, "artists of the other shot"),
    "plan-bring-in": (None, "artists"),
    "plan-name": (None, "members"),
    "plan-audit": ("members", "artists"),
    "plan-side": ("members", None),
    "plan-mist": ("members", None),
    "plan-measure": ("members", "artists"),
    "plan-limits": ("members", "artists"),
    "plan-presets": (None, "artists"),
    "plan-preset": ("members", None),
    "plan-sizes": (None, "artists"),
    "render": ("members", None),
    "render-start": (None, "artists"),
    "render-progress": ("members", None),
    "render-change": (None, "artists"),
    "render-frame": ("members", None),
    "render-picture": ("members", None),
    "render-compare": ("members", None),
    "render-difference": ("members", None),
    "intake": ("members", None),
    "intake-state": ("members", None),
    "intake-bring": (None, "artists"),
    "intake-upload-begin": (None, "artists"),
    "intake-upload-piece": (None, "artists"),
    "intake-act": (None, "artists"),
    "intake-folders": ("members", None),
    "intake-thumb": ("members", None),
    "intake-thumb-made": ("members", None),
    "intake-edge": ("members", None),
    "intake-set-aside": (None, "artists"),
    "look": ("members", None),
    "look-picture": (None, "members"),
    "look-probe": (None, "members"),
    "look-values": (None, "members"),
    "look-sheet": ("members", None),
    "rebuild": ("members", None),
    "rebuild-contributions": (None, "members"),
    "rebuild-balance": (None, "members"),
    "rebuild-save": (None, "artists"),
    "rebuild-version": (None, "artists"),
    "rebuild-version-document": ("members", None),
    "rebuild-element": (None, "artists"),
    "rebuild-lay": (None, "artists"),
    "rebuild-copy": (None, "members"),
    "rebuild-export": (None, "members"),
    "rebuild-paste": (None, "members"),
    "rebuild-template": (None, "members"),
    "rebuild-sweep": (None, "members"),
    "rebuild-histogram": (None, "members"),
    "rebuild-names": (None, "members"),
    "rebuild-pick": (None, "members"),
    "rebuild-place": (None, "members"),
    "rebuild-add": (None, "members"),
    "rebuild-first": (None, "members"),
    "rebuild-deep": ("members", None),
    "rebuild-deep-section": (None, "members"),
    "rebuild-deep-points": (None, "members"),
    "rebuild-deep-costs": (None, "members"),
    "rebuild-deep-facts": (None, "members"),
    "rebuild-deep-put": (None, "artists"),
    "rebuild-deep-add": (None, "members"),
    "rebuild-deep-write": (None, "artists"),
    "guide": ("users", None),
    "guide-picture": ("users", None),
    "hand-off": ("members", None),
    "hand-off-order": (None, "artists"),
    "hand-off-draft": (None, "artists"),
    "hand-off-preset": (None, "artists"),
    "hand-off-close": (None, "artists"),
    "hand-off-names": (None, "artists"),
    "hand-off-preview": (None, "artists"),
    "hand-off-picture": ("members", None),
    "hand-off-progress": ("members", None),
    "hand-off-again": (None, "artists"),
    "hand-off-cancel": (None, "artists"),
    "hand-off-file": ("members", None),
    "hand-off-board": ("members", None),
    "hand-off-board-new": (None, "artists"),
    "hand-off-board-save": (None, "artists"),
    "hand-off-board-remove": (None, "artists"),
    "hand-off-board-preview": (None, "members"),
    "hand-off-board-picture": ("members", None),
    "hand-off-review": ("members", None),
    "hand-off-frame": ("members", None),
    "hand-off-marks": ("members", None),
    "hand-off-note": (None, "members"),
    "hand-off-answer": (None, "artists"),
    "hand-off-note-remove": (None, "members"),
    "hand-off-notes": ("members", None),
    "hand-off-notes-csv": ("members", None),
    "hand-off-notes-order": (None, "members"),
    "hand-off-notes-pdf": ("members", None),
}
ROLES = (
    "anonymous",
    "stranger",
    "keeper",
    "reviewer",
    "artist",
    "owner",
)  # of production TST; the keeper is a stranger to it
ALLOWED = {
    "anyone": ROLES,
    "users": ROLES[1:],
    "keepers": ("keeper",),
    "members": ROLES[3:],
    "artists": ROLES[4:],
    "artists of the other shot": ROLES[4:],
    "owners": ROLES[5:],
    None: (),
}
PAGES = [
    name for name, (get, _) in RULES.items() if (get == "members" and name.count("-") == 0) or name == "shot-settings"
]


def addresses(patterns, kept=()):
    """Name and names of arguments of every address there is."""
    for entry in patterns:
        arguments = (*kept, *entry.pattern.converters)
        if isinstance(entry, URLResolver):
            yield from addresses(entry.url_patterns, arguments)
        else:
            yield entry.name, arguments


class EveryAddress(WorldCase):
    """Each address by each method as each kind of user: a new address without a rule fails."""

    def setUp(self):
        super().setUp()
        self.with_ledger()
        users = get_user_model().objects
        owner, keeper = users.create_user("owner"), users.create_user("keeper", is_staff=True)
        Membership.objects.create(production=self.production, user=owner, role=Membership.Role.OWNER)
        people = (None, self.stranger, keeper, self.reviewer, self.artist, owner)
        self.clients = {role: Client() for role in ROLES}
        for client, user in zip(self.clients.values(), people, strict=True):
            if user is not None:
                client.force_login(user)
        self.delivery = order(self.shot, self.ledger, None, "1001", PRESETS["picture"])
        self.values = {
            "production": "TST",
            "shot": "TST_010",
            "pk": self.delivery.job.tasks.first().pk,
            "camera": "wide",
            "number": 1,
            "ledger": self.ledger.pk,
            "element": self.element.pk,
            "delivery": self.delivery.pk,
            "file": "a.exr",
            "item": "beauty",
            "size": "small",
            "name": "plan.png",
            "board": make(self.shot, "empty", self.artist).pk,
        }

    def status(self, role, method, name, arguments, values):
        address = reverse(name, kwargs={argument: values[argument] for argument in arguments})
        sent = {"data": "{}", "content_type": "application/json"} if method == "post" else {}
        client = self.clients[role]
        kept = client.cookies.output(header="", sep=";")
        answer = getattr(client, method)(address, **sent)
        client.cookies.load(kept)  # one of the addresses logs out
        return (
            "login"
            if answer.status_code == 302 and "/login/?next=" in answer.headers["Location"]
            else answer.status_code
        )

    def test_each_has_a_rule(self):
        self.assertEqual({name for name, _ in addresses(get_resolver().url_patterns)}, set(RULES))

    def test_each_answers_by_its_rule(self):
        for name, arguments in addresses(get_resolver().url_patterns):
            for method, rule in zip(("get", "post"), RULES[name], strict=True):
                for role in set(ROLES) - set(ALLOWED[rule][1:]):  # of those who may, the one who may the least
                    with self.subTest(name, method=method, role=role), transaction.atomic():
                        got = self.status(role, method, name, arguments, self.values)
                        if role in ALLOWED[rule]:
                            self.assertNotIn(got, ("login", 403, 405, 500))
                        elif role == "anonymous":
                            self.assertEqual(got, "login")
                        elif rule is None:
                            self.assertEqual(got, 405)
                        else:
                            outside = "production" in arguments and role in ("stranger", "keeper")
                            self.assertIn(got, (404,) if outside else (403, 404) if "other" in rule else (403,))
                        transaction.set_rollback(True)

    def test_none_reaches_into_another_production(self):
        """Its shot under this production's name, and its records under this shot's."""
        other = Production.objects.create(code="OTH", title="Other")
        shot = create_shot(other, "OTH_010", frames="1001", width=8, height=8)
        for name, arguments in addresses(get_resolver().url_patterns):
            if "shot" in arguments:
                for values in ({"shot": shot.code}, {"production": "OTH", "shot": shot.code}):
                    for method, rule in zip(("get", "post"), RULES[name], strict=True):
                        got = self.status("artist", method, name, arguments, self.values | values)
                        self.assertEqual(got, 405 if rule is None else 404, (name, values))
        Membership.objects.create(production=other, user=self.artist, role=Membership.Role.ARTIST)
        theirs = {"production": "OTH", "shot": shot.code}
        for name, arguments in addresses(get_resolver().url_patterns):
            if "shot" in arguments and set(arguments) & {"pk", "ledger", "element", "delivery", "board"}:
                method = "get" if RULES[name][0] else "post"
                self.assertEqual(self.status("artist", method, name, arguments, self.values | theirs), 404, name)


class Access(WorldCase):
    def setUp(self):
        super().setUp()
        self.with_ledger()

    def test_nothing_without_login(self):
        outside = Client()
        self.assertRedirects(outside.get(self.url("plan")), f"{reverse('login')}?next={self.url('plan')}")
        self.assertIn("workers", outside.get("/health/").json()["parts"])
        self.client.force_login(self.stranger)
        self.assertNotContains(self.client.get("/"), "TST_010")

    def test_members_see_every_station(self):
        for user in (self.artist, self.reviewer):
            self.client.force_login(user)
            for name in PAGES:
                if name not in ("production", "shot"):
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
        self.assertEqual(self.ask("hand-off-order", frames="1001").status_code, 403)
        self.assertNotContains(self.client.get(self.url("hand-off")), "Keep as")
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

    def test_what_is_of_one_reader_is_kept_by_no_proxy(self):
        """Pages and answers in no cache at all; pictures, which cost, in the reader's own."""
        for name in ("plan", "render", "intake", "rebuild", "hand-off"):
            self.assertEqual(self.client.get(self.url(name)).headers["Cache-Control"], "private, no-store", name)
        answer = self.client.get(reverse("work-progress"))
        self.assertEqual(answer.headers["Cache-Control"], "private, no-store")
        thumb = self.client.get(
            self.url("intake-thumb", element=self.element.pk), {"pass": "beauty", "frame": "1001"}, follow=True
        )
        self.assertIn("private", thumb.headers["Cache-Control"])

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
