"""Presets and picture sizes that a production keeps, beside those that are shipped."""

from __future__ import annotations

from typing import Any

from desk.plan.models import OwnSize, StoredPreset
from desk.shots.models import Production
from desk.web.saving import at_once, locked
from prism.errors import BadArgument
from prism.plan.plan import Plan as Document
from prism.plan.presets import (
    SHIPPED,
    Library,
    Preset,
    added,
    applied_fields,
    captured,
    find,
    removed,
    renamed,
    require_free,
    resolve,
)
from prism.plan.sizes import SIZES

LARGEST_SIDE = 65536


def presets_of(production: Production) -> Library:
    """Shipped presets first, then the production's own."""
    kept = (Preset.from_json(stored.document, where=stored.name) for stored in production.presets.all())
    return {**SHIPPED, **{preset.name: preset for preset in kept}}


def listed(library: Library) -> list[dict[str, Any]]:
    """What the page offers: each preset with what it sets itself and all it sets with its bases."""
    return [
        {
            "name": preset.name,
            "purpose": preset.purpose,
            "base": preset.base,
            "own": preset.settings,
            "settings": (settings := resolve(preset.name, library)),
            "fields": applied_fields(preset.name, settings),
            "shipped": preset.name in SHIPPED,
        }
        for preset in library.values()
    ]


@at_once
def keep(production: Production, document: Document, name: str, purpose: str, base: str | None) -> None:
    """Store a plan's settings as a preset: a new one, or new settings for one of the production's own."""
    library = _locked(production)
    preset = captured(document, name, library, purpose=purpose, base=base)
    if name in library:
        require_own(name)
        preset = preset.replace(formerly=library[name].formerly, purpose=purpose or library[name].purpose)
    _store(production, library, added(preset, library))


@at_once
def bring_in(production: Production, data: Any) -> None:
    """Store a preset from a file. Raises BadDocument with the path to a bad field, BadArgument if the name is taken."""
    library = _locked(production)
    preset = Preset.from_json(data, where="preset")
    require_free(preset.name, library)
    _store(production, library, added(preset, library))


@at_once
def rename(production: Production, name: str, new: str) -> None:
    """Give a preset of a production another name. Raises BadArgument."""
    library = _locked(production)
    require_own(find(name, library).name)
    _store(production, library, renamed(name, new, library))


@at_once
def duplicate(production: Production, name: str, new: str) -> None:
    """Add a copy of a preset under a name of its own. Raises BadArgument."""
    library = _locked(production)
    require_free(new, library)
    twin = find(name, library).as_json() | {"name": new, "formerly": []}
    _store(production, library, added(Preset.from_json(twin, where="preset"), library))


@at_once
def delete(production: Production, name: str) -> None:
    """Take a preset away; plans that were made with it stay. Raises BadArgument."""
    library = _locked(production)
    require_own(find(name, library).name)
    _store(production, library, removed(name, library))


def require_own(name: str) -> None:
    """Raises BadArgument for a preset that is shipped."""
    if name in SHIPPED:
        raise BadArgument(
            f"{name} is shipped and stays as it is.", where="preset", advice="Duplicate it, then change that."
        )


def _locked(production: Production) -> Library:
    """The presets, which nobody else changes until this change is kept."""
    locked(production)
    return presets_of(production)


def _store(production: Production, before: Library, after: Library) -> None:
    production.presets.filter(name__in=[name for name in before if name not in after]).delete()
    for name, preset in after.items():
        if before.get(name) != preset:
            StoredPreset.objects.update_or_create(
                production=production, name=name, defaults={"document": preset.as_json()}
            )


def sizes_of(production: Production) -> list[dict[str, Any]]:
    """Sizes by aspect, the production's own last."""
    common = [
        {
            "aspect": aspect,
            "sizes": [{"title": size.title, "width": size.width, "height": size.height} for size in sizes],
        }
        for aspect, sizes in SIZES.items()
    ]
    kept = [{"title": size.title, "width": size.width, "height": size.height} for size in production.sizes.all()]
    return [*common, {"aspect": "own sizes", "sizes": kept}] if kept else common


@at_once
def keep_size(production: Production, title: str, width: int, height: int) -> None:
    """Raises BadArgument for a size that no plan may have."""
    if not title or len(title) > 40:
        raise BadArgument("A size needs a name of at most 40 characters.", where="size")
    if not (1 <= width <= LARGEST_SIDE and 1 <= height <= LARGEST_SIDE):
        raise BadArgument(
            f"{width} x {height} is no picture size.", where="size", advice=f"Sides go up to {LARGEST_SIDE}."
        )
    locked(production)
    OwnSize.objects.update_or_create(production=production, title=title, defaults={"width": width, "height": height})


def drop_size(production: Production, title: str) -> None:
    """Take a size of the production away. Raises BadArgument."""
    production.sizes.filter(title=title).delete()
