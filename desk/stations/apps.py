from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class StationsConfig(AppConfig):
    name = "desk.stations"

    def ready(self) -> None:
        """Every app may be a station of a shot: it is registered by its module `station`."""
        autodiscover_modules("station")
