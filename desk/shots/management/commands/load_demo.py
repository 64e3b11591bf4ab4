from __future__ import annotations

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction
from kombu.exceptions import OperationalError

from demo import load
from demo.conservatory import build_scene
from desk.plan.measures import record
from desk.plan.models import Plan
from desk.plan.versions import lock
from desk.rebuild.services import open_ledger
from desk.shots.models import Element, Membership, Production, Shot
from desk.shots.storage import shot_folder
from desk.shots.tasks import render_demo_frames


class Command(BaseCommand):
    help = "Load the demo: account, production, two shots of the Orrery Conservatory, first frames rendered."

    def add_arguments(self, parser) -> None:
        parser.add_argument("--again", action="store_true", help="put the demo back as it was; its changes are lost")

    def handle(self, *args, again: bool, **options) -> None:
        if again:
            self._clear()
        production = self._enter_production()
        for shot in load.SHOTS:
            self._enter_shot(production, shot)

    def _clear(self) -> None:
        """Forget the demo's records. Rendered frames stay: they come out the same each time."""
        for shot in Shot.objects.filter(production__code="ORR"):
            shot.deliveries.all().delete()
            shot.ledgers.all().delete()
            shot.delete()

    @transaction.atomic
    def _enter_production(self) -> Production:
        user, made = get_user_model().objects.get_or_create(username="demo")
        if made:
            user.set_password("demo")
            user.save()
        production, _ = Production.objects.get_or_create(code="ORR", defaults={"title": "The Orrery Conservatory"})
        Membership.objects.get_or_create(production=production, user=user)
        return production

    def _enter_shot(self, production: Production, demo: load.DemoShot) -> None:
        """Enter a shot. Frames that are wanted at once are rendered here, the rest by the worker."""
        folder = shot_folder(production.code, demo.code)
        load.write_scene(folder)
        (folder / load.RENDER_FOLDER).mkdir(parents=True, exist_ok=True)
        measured = None
        missing = [frame for frame in demo.frames if not load.frame_path(demo, folder, frame).exists()]
        if demo.at_once and demo.frames[0] in missing:
            self.stdout.write(f"- Rendering {demo.code} frame {missing[0]}; further frames follow in the background")
            measured = load.render(demo, folder, missing.pop(0))
        width, height = build_scene().size
        shot, _ = Shot.objects.get_or_create(
            production=production,
            code=demo.code,
            defaults={
                "title": demo.title,
                "first": load.RANGE[0],
                "last": load.RANGE[1],
                "width": width,
                "height": height,
                "scene": f"{production.code}/{demo.code}/{load.SCENE_FILE}",
            },
        )
        Element.objects.get_or_create(
            shot=shot, name="render v001", defaults={"folder": str(folder / load.RENDER_FOLDER)}
        )
        open_ledger(shot)
        plan, begun = Plan.objects.get_or_create(shot=shot, defaults={"document": load.plan_of(demo).as_json()})
        if begun:
            lock(plan)  # its frames are rendered, or soon will be
            if demo.layered_next:
                plan.document = load.next_plan_of(demo).as_json()
                plan.save()
        if measured is not None:
            record(shot, demo.camera, demo.frames[0], measured)
        if missing:
            try:
                render_demo_frames.apply_async((demo.code, missing), retry=False)
            except OperationalError:
                self.stderr.write("The queue does not answer: the further demo frames are not rendered.")
