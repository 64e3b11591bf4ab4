from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class JobsConfig(AppConfig):
    name = "desk.jobs"

    def ready(self) -> None:
        """Every app may carry out kinds of work: they are registered by its module `kinds`."""
        autodiscover_modules("kinds")
