from __future__ import annotations

import os

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction

from demo import load
from demo.conservatory import build_scene
from desk.house.kinds import begin_demo
from desk.house.setup import create_shot
from desk.jobs import engine
from desk.plan.models import Plan
from desk.scenes.services import keep
from desk.shots.models import Membership, Production, Shot


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
        engine.top_up()

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

    @transaction.atomic
    def _enter_shot(self, user, production: Production, demo: load.DemoShot) -> None:
        plan = load.plan_of(demo)
        settings = plan.shot.model_dump(exclude={"production", "code"})
        shot = create_shot(production, demo.code, demo.title, **settings)
        keep(shot, build_scene(), user, "demo")
        Plan.objects.filter(shot=shot).update(document=plan.as_json())
        begin_demo(Shot.objects.get(pk=shot.pk), user)
        self.stdout.write(f"- {demo.code} is entered; its first picture takes a worker about a minute")
