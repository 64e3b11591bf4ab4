from django.apps import AppConfig


class ShotsConfig(AppConfig):
    name = "desk.shots"

    def ready(self) -> None:
        from desk.shots import checks  # noqa: F401  registers itself
