from __future__ import annotations

import os

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction

from demo import load
from demo.bird import NAME as BIRD
from demo.bird import draw_all
from demo.conservatory import build_scene
from demo.finishes import finished
from demo.ledgers import graded, with_bird
from desk.elements.models import Place
from desk.house.setup import create_shot
from desk.intake.looking import look, look_at_run
from desk.plan.models import Plan
from desk.rebuild.models import Ledger
from desk.rebuild.services import keep_version, open_ledger, parse, save
from desk.render.services import RunRequest, begin, files_of
from desk.scenes.services import facts_for, keep
from desk.shots.models import Membership, Production, Shot
from desk.shots.storage import shot_folder
from prism.text import storable

BEHIND_OTHERS = -2  # a shot of few frames goes before one of many, so that every page soon has something to show


class Command(BaseCommand):
    help = (
        "Load the demo: account, production, two shots of the Orrery Conservatory, their frames rendered by the worker."
    )

    def add_arguments(self, parser) -> None:
        parser.add_argument("--again", action="store_true", help="put the demo back as it was; its changes are lost")

    def handle(self, *args, again: bool, **options) -> None:
        if again:
            self._clear()
        user, production = self._enter_production()
        for shot in load.SHOTS:
            if not production.shots.filter(code=shot.code).exists():
                self._enter_shot(user, production, shot)

    def _clear(self) -> None:
        """Forget the demo's records. Rendered frames stay: they come out the same each time."""
        for shot in Shot.objects.filter(production__code="ORR", code__in=[demo.code for demo in load.SHOTS]):
            shot.deliveries.all().delete()
            shot.ledgers.all().delete()
            shot.delete()

    @transaction.atomic
    def _enter_production(self):
        """The account is made with the production and only then: one that was deleted stays deleted."""
        users = get_user_model().objects
        production, made = Production.objects.get_or_create(code="ORR", defaults={"title": "The Orrery Conservatory"})
        if made and not users.filter(username="demo").exists():
            user = users.create_user("demo", password=os.environ.get("EAGER_DEMO_PASSWORD", "demo"), is_staff=True)
            Membership.objects.create(production=production, user=user, role=Membership.Role.OWNER)
        return users.filter(username="demo").first(), production

    @staticmethod
    def _grade(ledger: Ledger, user) -> None:
        """Three versions: as it was rendered, the grade of dusk, and that finished."""
        keep_version(ledger, user, "as rendered")
        first = parse(ledger.shot, ledger.document)
        element, _, beauty = first.beauty.rpartition("/")
        document = graded(element, beauty).replace(space=first.space)
        revision = save(ledger, document, ledger.revision, user)
        keep_version(ledger, user, "dusk, graded by lights")
        save(ledger, finished(document, element), revision, user)
        keep_version(ledger, user, "dusk, finished")

    @staticmethod
    def _let_fly(ledger: Ledger, user) -> None:
        """Two versions: as it was rendered, and with the bird."""
        keep_version(ledger, user, "as rendered")
        folder = draw_all(shot_folder(ledger.shot))
        place = Place.objects.create(shot=ledger.shot, folder=storable(str(folder)), name=BIRD)
        look(place)
        first = parse(ledger.shot, ledger.document)
        save(ledger, with_bird(first, first.beauty.rpartition("/")[0], BIRD), ledger.revision, user)
        keep_version(ledger, user, "a paper bird flies through it")

    def _enter_shot(self, user, production: Production, demo: load.DemoShot) -> None:
        """Enter a shot. The first frame is rendered here if it is wanted at once, the rest by the worker."""
        plan = load.plan_of(demo)
        settings = plan.shot.model_dump(exclude={"production", "code"})
        with transaction.atomic():
            shot = create_shot(production, demo.code, demo.title, **settings)
            keep(shot, build_scene(), user, "demo")
            Plan.objects.filter(shot=shot).update(document=plan.as_json())
        self.stdout.write(f"- Rendering the first frame of {demo.code}; the others follow in the background")
        load.render_first(demo, shot_folder(shot))
        image = next(plan.images())
        files = files_of(plan, facts_for(shot, plan.cameras), image.layer.name, image.camera)
        look_at_run(shot, f"render v{plan.number:03}", files)
        ledger = open_ledger(shot)
        assert ledger is not None  # its first frame was rendered
        if demo.deep:
            self._let_fly(ledger, user)
        else:
            self._grade(ledger, user)
        begin(
            Shot.objects.get(pk=shot.pk),
            user,
            RunRequest(frames=demo.frames, priority=BEHIND_OTHERS + (not demo.first)),
        )
        if demo.layered_next:
            Plan.objects.filter(shot=shot).update(document=load.next_plan_of(demo).as_json())
