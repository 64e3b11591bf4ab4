from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from desk.house.backup import backup
from prism.errors import PrismError


class Command(BaseCommand):
    help = "All records and documents in one file; pictures are not in it."

    def add_arguments(self, parser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args, file: Path, **options) -> None:
        try:
            counts = backup(file)
        except PrismError as fault:
            raise CommandError(str(fault)) from None
        shown = {"shots.production": "productions", "shots.shot": "shots", "plan.planversion": "plan versions"}
        parts = [f"{counts.get(label, 0)} {title}" for label, title in shown.items()]
        self.stdout.write(f"{sum(counts.values())} records, among them {', '.join(parts)}.")
