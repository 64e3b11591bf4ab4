"""Records that several people change at once: each change is made to what is there, or refused."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

from django.db import OperationalError, connection, models, transaction

from prism.errors import BadArgument

Given = ParamSpec("Given")
Made = TypeVar("Made")
Record = TypeVar("Record", bound=models.Model)
TRIES = 4
_PICKED_TO_END = (1205, 1213)  # MariaDB ended this one for another: waited too long, or both waited for each other


class Outdated(BadArgument):
    """Somebody else saved in the meantime; nothing was overwritten."""

    code = "document.outdated"

    def __init__(self, what: str) -> None:
        super().__init__(
            f"This {what} was changed elsewhere since you opened it.",
            advice="Reload to see the newer one; your change is still on this page.",
        )


def locked(record: Record) -> Record:
    """The record as it is now, which nobody else changes before this transaction ends."""
    return type(record).objects.select_for_update().get(pk=record.pk)


def at_once(change: Callable[Given, Made]) -> Callable[Given, Made]:
    """All of a change or nothing of it; made again if the database ended it in favour of another one."""

    @wraps(change)
    def made(*given: Given.args, **named: Given.kwargs) -> Made:
        tries = 1 if connection.in_atomic_block else TRIES  # only the outermost one can be made again
        for _ in range(tries - 1):
            try:
                with transaction.atomic():
                    return change(*given, **named)
            except OperationalError as fault:
                if fault.args[0] not in _PICKED_TO_END:
                    raise
        with transaction.atomic():
            return change(*given, **named)

    return made
