"""Whether a record that comes from outside is one that this application could have written: its fields, its document,
its folders."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from types import MappingProxyType

from django.core.exceptions import ValidationError
from django.db.models import JSONField, Model

from desk.elements.models import Element, Place
from desk.handoff.models import Board, Delivery, DeliveryPreset, Draft
from desk.plan.models import Plan as PlanRecord
from desk.plan.models import PlanVersion, StoredPreset
from desk.rebuild.models import Ledger as LedgerRecord
from desk.rebuild.models import LedgerVersion
from desk.render.models import Run, Written
from desk.scenes.models import SceneVersion
from desk.scenes.services import parse as parse_scene
from desk.shots.models import Production, Shot
from desk.shots.storage import shot_folder, stays_inside
from prism.delivery.document import Delivery as DeliveryDocument
from prism.elements.element import Element as ElementDocument
from prism.errors import BadDocument, PrismError
from prism.ledger.document import Ledger
from prism.plan.plan import Plan
from prism.plan.presets import Preset
from prism.sheets.boards.document import Board as BoardDocument
from prism.text import from_storable


def require_fields(record: Model) -> None:
    """What it holds by itself. Raises BadDocument naming the record and the field."""
    documents = [field for field in record._meta.fields if isinstance(field, JSONField)]
    empty = [field.name for field in record._meta.fields if field.null and getattr(record, field.attname) is None]
    related = [field.name for field in record._meta.fields if field.is_relation]  # which the database checks
    try:
        record.clean_fields(exclude=[*(field.name for field in documents), *empty, *related])
    except ValidationError as fault:
        field, words = next(iter(fault.message_dict.items()))
        raise BadDocument(" ".join(words), where=f"{_name(record)}, {field}") from None
    for field in documents:
        if field.has_default() and type(getattr(record, field.name)) is not type(field.get_default()):
            raise BadDocument(
                "This is not the kind of value that belongs here.", where=f"{_name(record)}, {field.name}"
            )


def require_sound(record: Model) -> None:
    """Its document, and where its folders lie; once all that it refers to is there. Raises BadDocument naming the
    record."""
    try:
        _CHECKS.get(type(record), lambda record: None)(record)
    except PrismError as fault:
        raise BadDocument(fault.what, where=f"{_name(record)}, {fault.where}") from None


def _name(record: Model) -> str:
    return f"{record._meta.label_lower} {record.pk}"


def _require_inside(folders: Iterator[str], production: Production) -> None:
    for folder in folders:
        if not stays_inside(folder, production):
            raise BadDocument("This folder does not belong to the production.", where=folder[:200])


def _shot(shot: Shot) -> None:
    _require_inside(iter([shot.folder]), shot.production)


def _place(place: Place) -> None:
    _require_inside(iter([from_storable(place.folder)]), place.shot.production)


def _element(element: Element) -> None:
    if not element.document:
        return
    document = ElementDocument.from_json(element.document)
    chosen = element.choices if isinstance(element.choices, dict) else None
    if chosen is None or not all(isinstance(choices, dict) for choices in chosen.values()):
        raise BadDocument("Choices are given by pass.", where="choices")
    ElementDocument.from_json(
        element.document | {"passes": [p | chosen.get(p["key"], {}) for p in element.document["passes"]]}
    )
    _require_inside((from_storable(pass_.files.folder) for pass_ in document.passes), element.shot.production)


def _written(written: Written) -> None:
    shot = written.shot
    _require_inside(iter([str(shot_folder(shot) / written.path)]), shot.production)


def _delivery(delivery: Delivery) -> None:
    DeliveryDocument.from_json(delivery.document, where="document")
    _require_inside(iter([str(shot_folder(delivery.shot) / delivery.folder)]), delivery.shot.production)


_CHECKS: Mapping[type[Model], Callable[[Model], object]] = MappingProxyType(
    {
        Shot: _shot,
        Place: _place,
        Element: _element,
        SceneVersion: lambda record: parse_scene(record.document, "scene"),
        PlanRecord: lambda record: Plan.from_json(record.document),
        PlanVersion: lambda record: Plan.from_json(record.document),
        StoredPreset: lambda record: Preset.from_json(record.document),
        Run: lambda record: Plan.from_json(record.document),
        Written: _written,
        LedgerRecord: lambda record: Ledger.from_json(record.document),
        LedgerVersion: lambda record: Ledger.from_json(record.document),
        Delivery: _delivery,
        DeliveryPreset: lambda record: DeliveryDocument.from_json(record.document),
        Draft: lambda record: DeliveryDocument.from_json(record.document),
        Board: lambda record: BoardDocument.from_json(record.document),
    }
)
