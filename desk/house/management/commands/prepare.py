from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.base import BaseCommand

from desk.accounts.services import create
from desk.elements.models import Place
from desk.intake.looking import look
from prism.errors import PrismError


class Command(BaseCommand):
    help = "Everything before serving, in one process: migrations, static files, and the demo or a first account."

    def add_arguments(self, parser) -> None:
        parser.add_argument("--empty", action="store_true", help="no demo: begin with an account and nothing else")

    def handle(self, *args, empty: bool, **options) -> None:
        self.stdout.write("- Bringing the database up to date")
        call_command("migrate", interactive=False, verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        self._look_at_places()
        if not empty:
            call_command("load_demo", stdout=self.stdout)
        elif not get_user_model().objects.exists():
            user, password = create("owner", may_set_up=True)
            self.stdout.write(f"- First account: {user.get_username()}, one-time password {password}")
            self.stdout.write("  Log in with it; three steps lead to the first shot: password, production, shot.")

    def _look_at_places(self) -> None:
        """Elements from before there were documents get theirs."""
        for place in Place.objects.filter(elements__document={}).distinct().select_related("shot__production"):
            self.stdout.write(f"- Looking at {place.folder}")
            try:
                look(place)
            except PrismError as error:
                self.stdout.write(f"  {error}")
