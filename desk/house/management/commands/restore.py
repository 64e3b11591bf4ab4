from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from desk.house.backup import restore
from prism.errors import PrismError


class Command(BaseCommand):
    help = "The records of a backup into an empty house."

    def add_arguments(self, parser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args, file: Path, **options) -> None:
        try:
            counts = restore(file)
        except PrismError as fault:
            raise CommandError(str(fault)) from None
        shown = {"shots.production": "productions", "shots.shot": "shots", "plan.planversion": "plan versions"}
        parts = [f"{counts.get(label, 0)} {title}" for label, title in shown.items()]
        self.stdout.write(f"{sum(counts.values())} records, among them {', '.join(parts)}.")
