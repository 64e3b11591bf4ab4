"""The one family of errors: what is wrong, where, and what to do about it."""

from prism.text import printable


class PrismError(Exception):
    """A fault an artist can act on.

    what: one sentence naming the fault.  where: the file, row or field it sits in.  advice: what to do next.
    Each subclass is one kind of fault; `code` names the kind for programs.
    """

    code = "prism.error"

    def __init__(self, what: str, *, where: str = "", advice: str = "") -> None:
        super().__init__(printable(what))
        self.what = printable(what)
        self.where = printable(where)
        self.advice = advice

    def __str__(self) -> str:
        place = f"{self.where}: " if self.where else ""
        advice = f" {self.advice}" if self.advice else ""
        return f"{place}{self.what}{advice}"

    @property
    def concerns_a_file(self) -> bool:
        """Whether `where` is the path of a file that cannot be read."""
        return self.code in (UnreadableFile.code, TooLarge.code) and self.where.startswith("/")

    def as_json(self) -> dict[str, str | bool]:
        """The four fields, for JSON, and whether a file is at fault."""
        fields = {"code": self.code, "what": self.what, "where": self.where, "advice": self.advice}
        return fields | ({"file": True} if self.concerns_a_file else {})


class UnreadableFile(PrismError):
    """Not an image, cut short, a folder, or not allowed to be read."""

    code = "file.unreadable"


class UnwritableFile(PrismError):
    """The disk is full, the folder refuses, or the format cannot carry what was asked of it."""

    code = "file.unwritable"


class TooLarge(PrismError):
    """The header declares more pixels than the limit allows; nothing was decoded."""

    code = "file.too-large"


class TooCostly(PrismError):
    """More work than somebody can wait for; a job has the time for it."""

    code = "work.costly"


class SizeMismatch(PrismError):
    """Images that must share a size do not."""

    code = "image.size-mismatch"


class MissingChannels(PrismError):
    """A channel or pass that is needed is not in the files."""

    code = "image.missing-channels"


class NoBeauty(MissingChannels):
    """No pass of the frame is a rendered beauty."""

    code = "frame.no-beauty"


class NoComponents(MissingChannels):
    """No pass of the frame adds up to a beauty."""

    code = "frame.no-components"


class BadDocument(PrismError):
    """A ledger or scene document that does not follow its schema; `where` holds the path to the field."""

    code = "document.bad"


class UnknownSource(PrismError):
    """A row or a question names a pass that the frame has not."""

    code = "ledger.unknown-source"


class UnknownOperator(PrismError):
    """A row names an operator that there is not."""

    code = "ledger.unknown-operator"


class BadArgument(PrismError):
    """A value given on the command line or in a request that cannot be used."""

    code = "argument.bad"


class Superseded(PrismError):
    """The work was dropped because a newer request for the same picture arrived."""

    code = "work.superseded"
