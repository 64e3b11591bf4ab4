from django.core.management import call_command
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Everything before serving, in one process: migrations, static files, the demo, and work cut off by a crash."

    def handle(self, *args, **options) -> None:
        self.stdout.write("- Bringing the database up to date")
        call_command("migrate", interactive=False, verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        call_command("load_demo", stdout=self.stdout)

        from desk.handoff.services import resume

        resumed = resume()
        if resumed:
            self.stdout.write(f"- Taking up {resumed} frames that were cut off")
