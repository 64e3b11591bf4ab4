"""All records and documents of a house in one file, and back into an empty one. Pictures are not in it: they are
files."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, Literal

from django.apps import apps
from django.conf import settings
from django.contrib.auth import get_user_model
from django.core import serializers
from django.core.serializers.base import DeserializationError
from django.core.serializers.json import DjangoJSONEncoder
from django.db import DatabaseError, connection, models, transaction
from django.db.migrations.loader import MigrationLoader
from django.db.models.functions import Concat, Substr
from django.utils import timezone
from pydantic import Field

from desk.elements.models import Element, Place
from desk.house.soundness import require_fields, require_sound
from desk.shots.models import Production
from prism.documents import Document
from prism.errors import BadDocument, UnreadableFile
from prism.formats.safe import replacing
from prism.json_text import read_json

LEFT_OUT = frozenset(
    {"sessions", "contenttypes", "axes"}
)  # apps whose records are of the moment, or made by themselves
LEFT_OUT_MODELS = frozenset({"auth.permission", "jobs.worker"})
AT_ONCE = 2000  # records held in memory


class Manifest(Document):
    """What a backup says of itself. migrations: what the tables looked like. roots: of the storage. counts: of each
    kind of record."""

    format: Literal["eager-prism.backup"] = "eager-prism.backup"
    version: Literal[1] = 1
    made: str
    migrations: list[str]
    roots: Annotated[list[str], Field(min_length=1)]
    counts: dict[str, int]


class _Exact(DjangoJSONEncoder):
    """Django's own cuts times to milliseconds."""

    def default(self, value: Any) -> Any:
        return value.isoformat() if isinstance(value, datetime) else super().default(value)


def backup(path: Path) -> dict[str, int]:
    """Write everything as it is at this moment; work may go on meanwhile. Returns the number of records of each kind.

    Raises UnwritableFile.
    """
    counts: dict[str, int] = {}
    with replacing(path) as temporary:
        temporary.chmod(0o600)  # it holds the digests of passwords
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive:
            with archive.open("records.jsonl", "w") as file, _one_moment():
                text = io.TextIOWrapper(file, encoding="utf-8", newline="\n")
                for model in _models():
                    records = model._base_manager.order_by("pk").iterator(AT_ONCE)
                    counts[model._meta.label_lower] = model._base_manager.count()
                    serializers.serialize("jsonl", records, stream=text, cls=_Exact)
                text.flush()
                text.detach()
            manifest = Manifest(
                made=timezone.now().isoformat(timespec="seconds"),
                migrations=_migrations(),
                roots=[str(root) for root in settings.STORAGE_ROOTS],
                counts=counts,
            )
            archive.writestr("manifest.json", json.dumps(manifest.as_json(), indent=1))
    return counts


def restore(path: Path) -> dict[str, int]:
    """Put all records of a backup into this house. Elements that lay below the first storage root of the old house lie
    below the first of this one. Returns the number of records of each kind.

    Raises UnreadableFile or BadDocument, with nothing changed, if the file is no whole backup, was made by another
    version of the application, or this house is not empty.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            if archive.testzip() is not None:
                raise zipfile.BadZipFile("a record does not agree with its checksum")
            manifest = Manifest.from_json(read_json(archive.read("manifest.json"), where="manifest"), where="manifest")
            _require_fitting(manifest, path)
            with archive.open("records.jsonl") as file:
                return _restored(io.TextIOWrapper(file, encoding="utf-8"), manifest, path)
    except (OSError, zipfile.BadZipFile, zlib.error, KeyError, ValueError) as error:
        raise UnreadableFile(
            f"This is not a whole backup: {error}.", where=str(path), advice="Copy it here again."
        ) from error


def _restored(lines, manifest: Manifest, path: Path) -> dict[str, int]:
    try:
        with transaction.atomic(), connection.constraint_checks_disabled():
            get_user_model().objects.all().delete()  # of the first start; the backup has its own
            counts: dict[str, int] = {}
            kinds = list(_models())
            for entry in serializers.deserialize("jsonl", lines):
                if type(entry.object) not in kinds:
                    raise BadDocument("This kind of record is in no backup.", where=entry.object._meta.label_lower)
                require_fields(entry.object)
                entry.save()
                label = entry.object._meta.label_lower
                counts[label] = counts.get(label, 0) + 1
            connection.check_constraints()
            if counts != {label: count for label, count in manifest.counts.items() if count}:
                raise UnreadableFile("Records are missing from this backup.", where=str(path))
            _move_elements(manifest.roots[0])
            for model in kinds:  # once all are there that they refer to
                for record in model._base_manager.order_by("pk").iterator(AT_ONCE):
                    require_sound(record)
            return counts
    except (DeserializationError, DatabaseError, TypeError, AttributeError) as error:
        raise UnreadableFile(f"A record of this backup cannot be kept: {error}.", where=str(path)) from error


def _require_fitting(manifest: Manifest, path: Path) -> None:
    if manifest.migrations != _migrations():
        raise BadDocument(
            "This backup was made by another version of Eager Prism.", where=str(path),
            advice=f"Restore it with the version of {manifest.made[:10]}, then update that.",
        )  # fmt: skip
    if Production.objects.exists():
        raise BadDocument(
            "There are productions here already.", where=str(path),
            advice="Restore into an empty one: set EAGER_VAR to a new folder, or move this house's away.",
        )  # fmt: skip


def _move_elements(before: str) -> None:
    """Folders of places and elements are absolute; the storage of this house may lie elsewhere."""
    now = str(settings.STORAGE_ROOTS[0])
    below = Place.objects.filter(folder__startswith=f"{before}/")
    below.update(folder=Concat(models.Value(now), Substr("folder", len(before) + 1)))
    for element in Element.objects.all():
        for pass_ in element.document.get("passes", ()):
            files = pass_["files"]
            if files["folder"].startswith(f"{before}/"):
                files["folder"] = now + files["folder"][len(before) :]
        element.save(update_fields=["document"])


def _models() -> Iterator[type[models.Model]]:
    """Every kind of record that is kept."""
    for model in apps.get_models(include_auto_created=False):
        if model._meta.app_label not in LEFT_OUT and model._meta.label_lower not in LEFT_OUT_MODELS:
            yield model


def _migrations() -> list[str]:
    """What the tables of this version of the application look like."""
    loader = MigrationLoader(None)
    return sorted(f"{app}.{name}" for app, name in loader.graph.leaf_nodes())


@contextmanager
def _one_moment() -> Iterator[None]:
    """While inside, everything is read as it was at the first question."""
    with connection.cursor() as cursor:
        cursor.execute("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        try:
            with transaction.atomic():
                yield
        finally:
            cursor.execute("SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED")
