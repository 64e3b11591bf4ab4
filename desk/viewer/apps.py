from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class ViewerConfig(AppConfig):
    name = "desk.viewer"

    def ready(self) -> None:
        """Every app may have something to show: it is registered by its module `subjects`."""
        autodiscover_modules("subjects")
