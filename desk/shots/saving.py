"""Documents that save themselves: two pages must not overwrite each other."""

from prism.errors import BadArgument


class Outdated(BadArgument):
    """Somebody else saved in the meantime; nothing was overwritten."""

    code = "document.outdated"

    def __init__(self, what: str) -> None:
        super().__init__(
            f"This {what} was changed elsewhere since you opened it.",
            advice="Reload to see the newer one; your change is still on this page.",
        )
