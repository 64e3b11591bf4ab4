from django.core.management import call_command
from django.core.management.base import BaseCommand

from desk.handoff import services


class Command(BaseCommand):
    help = "Everything before serving, in one process: migrations, static files, the demo, and work cut off by a crash."

    def add_arguments(self, parser) -> None:
        parser.add_argument("--resume", action="store_true", help="no worker runs: take up what was cut off")

    def handle(self, *args, resume: bool, **options) -> None:
        self.stdout.write("- Bringing the database up to date")
        call_command("migrate", interactive=False, verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        call_command("load_demo", stdout=self.stdout)

        if resume:
            count = services.resume()
            if count:
                self.stdout.write(f"- Taking up {count} frames that were cut off")
