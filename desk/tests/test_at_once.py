"""Two people at the same moment: what was answered as done is there afterwards, and the other is told."""

from django.apps import apps
from django.contrib.auth import get_user_model
from django.test import TransactionTestCase

from desk.elements.models import Element, Place
from desk.elements.services import document_of
from desk.handoff import boards
from desk.handoff.boards import make
from desk.handoff.models import Board, Draft
from desk.handoff.services import save_draft
from desk.house import setup
from desk.intake.looking import look, rule
from desk.intake.services import choose
from desk.plan import services, versions
from desk.plan.models import Plan
from desk.rebuild.models import Ledger
from desk.rebuild.services import parse
from desk.rebuild.services import save as save_ledger
from desk.shots.models import Membership, Production, Shot
from desk.tests.test_handoff import FLOAT, STILL, HandoffCase
from desk.tests.world import Together, World
from desk.web.saving import Outdated
from prism.errors import BadArgument

ROUNDS = 5


class AtOnce(Together, World, TransactionTestCase):
    def setUp(self):
        super().setUp()
        self.build()
        self.plan = services.open_plan(self.shot)

    def save(self, **changes):
        """Of a page that was opened just now, and saves in a moment."""
        opened = services.open_plan(self.shot)
        document = services.parse(opened.document).replace(**changes)
        return lambda: services.save(opened, document, opened.revision)

    def test_a_plan_saved_while_its_shot_is_renamed(self):
        for number in range(ROUNDS):
            save, code = self.save(cameras=(f"c{number}",)), f"TST_1{number}"
            shot = Shot.objects.get(pk=self.shot.pk)
            saved, _ = self.all_at_once(save, lambda shot=shot, code=code: setup.rename_shot(shot, code, ""))
            plan = services.parse(Plan.objects.get().document)
            self.assertEqual(plan.shot.code, code)
            if not isinstance(saved, BadArgument):
                self.assertEqual(plan.cameras, (f"c{number}",))

    def test_a_plan_saved_while_another_is_laid_on_it(self):
        other = services.parse(services.open_plan(self.make_shot("TST_020")).document)
        for number in range(ROUNDS):
            save = self.save(cameras=(f"c{number}",))
            target = Shot.objects.select_related("plan").get(pk=self.shot.pk)
            saved, _ = self.all_at_once(save, lambda target=target: versions.copy_to(other, target))
            cameras = [services.parse(v.document).cameras for v in self.plan.versions.all()]
            self.assertTrue(isinstance(saved, Outdated) or (f"c{number}",) in cameras)

    def test_a_locked_version_is_the_plan_that_is_saved(self):
        for number in range(2, ROUNDS + 2):
            self.save(number=number)()
            opened = services.open_plan(self.shot)
            saved, version = self.all_at_once(
                self.save(cameras=("late",), number=number), lambda opened=opened: versions.lock(opened)
            )
            now = Plan.objects.get()
            self.assertEqual(version.document, now.document)
            self.assertEqual(isinstance(saved, BadArgument), now.revision == opened.revision)

    def test_choices_of_several_passes(self):
        self.render(1001)
        element = self.bring_in()
        keys = [pass_.key for pass_ in document_of(element).passes]
        made = [Element.objects.get(pk=element.pk) for _ in keys]
        place = Place.objects.get()
        self.all_at_once(
            *(
                lambda key=key, own=own: choose(own, key, None, fit="scale")
                for key, own in zip(keys, made, strict=True)
            ),
            lambda: look(place),
        )
        self.assertEqual(set(Element.objects.get().choices), set(keys))

    def test_the_last_two_owners_step_down(self):
        owners = [get_user_model().objects.create_user(name) for name in ("one", "two")]
        for _ in range(ROUNDS):
            for owner in owners:
                setup.change_role(self.production, owner, Membership.Role.OWNER)
            answers = self.all_at_once(
                *(lambda owner=owner: setup.change_role(self.production, owner, None) for owner in owners)
            )
            self.assertEqual(sum(isinstance(answer, BadArgument) for answer in answers), 1)
            self.assertEqual(self.production.memberships.filter(role=Membership.Role.OWNER).count(), 1)

    def test_the_same_thing_made_twice(self):
        """One is made, and whoever comes second is told; never a fault of the database."""
        for number in range(ROUNDS):
            made = self.together(lambda number=number: setup.create_production(f"P{number}", "x", self.artist))
            self.assertEqual(sum(isinstance(answer, Production) for answer in made), 1)
            made = self.together(lambda number=number: self.make_shot(f"S{number}"))
            self.assertEqual(sum(isinstance(answer, Shot) for answer in made), 1)
        self.together(lambda: rule(self.shot, "wibble", "pass", "diffuse"))
        self.together(lambda: setup.change_role(self.production, self.stranger, "owner"))
        self.assertEqual((self.shot.name_rules.count(), self.stranger.memberships.count()), (1, 1))


KEPT_OTHERWISE = {
    "accounts.OneTimePassword": "made once, and gone with its use",
    "accounts.Tour": "made once",
    "shots.Production": "a switch: archived or not",
    "shots.Membership": "one role, which the last word decides",
    "shots.Shot": "its name; the plan behind it has a revision",
    "elements.Place": "written by looking at a folder, never by a page",
    "elements.Element": "single choices of passes, each merged into the others under a lock",
    "elements.NameRule": "made and removed whole",
    "scenes.SceneVersion": "never changed once made",
    "jobs.Job": "a number of tasks",
    "jobs.Task": "claimed by a token",
    "jobs.Worker": "said by the worker alone",
    "plan.PlanVersion": "never changed once made",
    "plan.StoredPreset": "kept whole under a name of the artist's choice",
    "plan.OwnSize": "kept whole under a name",
    "plan.MeasuredFrame": "written by workers",
    "intake.FrameCheck": "written by workers, of files as they were",
    "intake.Judgement": "worked out anew under a lock",
    "intake.Acceptance": "one reason, which the last word decides",
    "rebuild.LedgerVersion": "never changed once made, but for comments, which are added",
    "finish.FinishPreset": "kept whole under a name",
    "handoff.Delivery": "never changed once ordered",
    "handoff.DeliveryPreset": "kept whole under a name",
    "handoff.Note": "an answer names the one that it was made to",
    "render.Run": "never changed once begun",
    "render.Written": "written by workers",
}


class Revisions(HandoffCase):
    """Whatever a page saves again and again has a revision, and a save names the one that it goes on from."""

    def setUp(self):
        super().setUp()
        self.saves = {
            Plan: self.save_plan, Ledger: self.save_ledger, Draft: self.save_draft, Board: self.save_board,
        }  # fmt: skip
        services.open_plan(self.shot)
        save_draft(self.shot, self.items(STILL), "1001", 0)
        make(self.shot, "empty", self.artist)

    def save_plan(self, record, revision):
        services.save(record, services.parse(record.document).replace(cameras=("another",)), revision)

    def save_ledger(self, record, revision):
        document = parse(self.shot, record.document)
        save_ledger(record, document.replace(name=f"{document.name} more"), revision, self.artist)

    def save_draft(self, record, revision):
        save_draft(self.shot, self.items(FLOAT), record.frames, revision)

    def save_board(self, record, revision):
        boards.save(record, boards.parsed(record).replace(width=77), revision, self.artist)

    def test_every_model_has_one_or_a_reason(self):
        models = {model for model in apps.get_models() if model.__module__.startswith("desk.")}
        revised = {model for model in models if any(field.name == "revision" for field in model._meta.fields)}
        self.assertEqual(revised, set(self.saves))
        self.assertEqual({model._meta.label for model in models - revised}, set(KEPT_OTHERWISE))

    def test_a_save_from_an_older_one_changes_nothing(self):
        for model, save in self.saves.items():
            with self.subTest(model.__name__):
                record, before = model.objects.get(), model.objects.values().get()
                for wrong in (record.revision - 1, record.revision + 1):
                    self.assertRaises(Outdated, save, model.objects.get(), wrong)
                self.assertEqual(model.objects.values().get(), before)
                save(model.objects.get(), record.revision)
                self.assertNotEqual(model.objects.get().document, record.document)
                self.assertEqual(model.objects.get().revision, record.revision + 1)
