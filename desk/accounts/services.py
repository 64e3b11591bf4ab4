"""Accounts: made by an owner with a one-time password, whose holder then chooses another."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError
from django.db import IntegrityError
from django.http import HttpRequest

from desk.accounts.models import OneTimePassword
from desk.web.limits import one_of_few, require_few_tries
from desk.web.saving import at_once
from prism.errors import BadArgument

WORDS = 4
MOST_TRIES = 60  # passwords a minute from one address, whoever's they are
_SYLLABLES = [a + b for a in "bdfgklmnprstvz" for b in "aeiou"]


def new_password() -> str:
    """Four short words that can be read out; some 49 bits."""
    return "-".join("".join(secrets.choice(_SYLLABLES) for _ in range(2)) for _ in range(WORDS))


def address_of(request: HttpRequest) -> str:
    """The address of the client: the web server has put it in place of a reverse proxy's, if it trusts that."""
    return request.META.get("REMOTE_ADDR", "")


@contextmanager
def checking_passwords(request: HttpRequest) -> Iterator[None]:
    """A place among the passwords that are checked at once. Raises Busy if there are too many, of all or of this
    address."""
    address = address_of(request)
    require_few_tries(f"passwords {address}", most=MOST_TRIES, seconds=60)
    with one_of_few(f"passwords {address}", at_once=2), one_of_few("passwords", at_once=3, waiting=6):
        yield


@at_once
def create(name: str, *, may_set_up: bool = False) -> tuple[Any, str]:
    """An account and its one-time password. may_set_up: whether it may make accounts and productions.

    Raises BadArgument if the name is taken or cannot be one.
    """
    name = name.strip()
    try:
        if not name or len(name) > 60:
            raise ValidationError("A name has 1 to 60 characters.")
        UnicodeUsernameValidator()(name)
        password = new_password()
        user = get_user_model().objects.create_user(name, password=password, is_staff=may_set_up)
    except ValidationError as fault:
        raise BadArgument(" ".join(fault.messages), where="name", advice="Use letters, digits and @ . + - _") from None
    except IntegrityError:
        raise BadArgument(f"There is an account {name} already.", where="name", advice="Choose another name.") from None
    OneTimePassword.objects.create(user=user)
    return user, password


@at_once
def reset(user) -> str:
    """A new one-time password in the place of what the account had."""
    password = new_password()
    user.set_password(password)
    user.save()
    OneTimePassword.objects.get_or_create(user=user)
    return password


def set_active(user, active: bool, *, by) -> None:
    """Raises BadArgument for one's own account, so that nobody locks everybody out."""
    if user == by:
        raise BadArgument("Your own account stays.", where=user.get_username())
    user.is_active = active
    user.save(update_fields=["is_active"])
