"""Scenes kept and asked: what is in one, seen from the side, and how far away it is."""

from __future__ import annotations

from dataclasses import asdict
from functools import lru_cache
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from desk.scenes.models import SceneVersion
from desk.shots.models import Production, Shot
from desk.shots.storage import allowed_file
from desk.web.saving import at_once, locked
from prism.errors import BadArgument, BadDocument, PrismError, UnreadableFile
from prism.json_text import load_json, read_json
from prism.scenes.facts import SceneFacts
from prism.scenes.mist import Mist, mist_at
from prism.scenes.sheet import FactsSheet
from prism.viewing.picture import encode, grey
from standin.facts import facts_of
from standin.scene import Scene
from standin.sideview import side_view

PREVIEW_SIZE = (320, 180)
PICTURE_SAMPLES = 8
NO_SCENE = "This shot has no scene that can be rendered here."


def current(shot: Shot) -> SceneVersion | None:
    """The version that counts now; None without any."""
    return shot.scenes.first()


def parse(data: Any, where: str) -> Scene | FactsSheet:
    """A scene or a sheet of facts, told by its format. Raises BadDocument with the path to the bad field."""
    if not isinstance(data, dict):
        raise BadDocument("This is neither a scene nor a sheet of facts.", where=where)
    known = {kind.model_fields["format"].default: kind for kind in (Scene, FactsSheet)}
    kind = known.get(data.get("format"))
    if kind is None:
        raise BadDocument(
            "This is neither a scene nor a sheet of facts.",
            where=f"{where}, field format",
            advice=f"It says {' or '.join(known)}.",
        )
    return kind.from_json(data, where=where)


def read(text: str | bytes, where: str) -> Scene | FactsSheet:
    """Raises BadDocument, also for what is too long or no JSON."""
    return parse(read_json(text, where=where), where)


def read_stored(path: str, production: Production) -> Scene | FactsSheet:
    """From a file in the production's folder. Raises UnreadableFile or BadDocument."""
    return parse(load_json(allowed_file(path, production)), path)


@at_once
def keep(shot: Shot, document: Scene | FactsSheet, author=None, origin: str = "") -> SceneVersion:
    """Make it the shot's scene; the same one again changes nothing."""
    locked(shot)
    newest = current(shot)
    stored = document.as_json()
    facts = facts_of(document) if isinstance(document, Scene) else document.facts()
    if newest is not None and newest.document == stored:
        return newest
    kind = SceneVersion.Kind.FILE if isinstance(document, Scene) else SceneVersion.Kind.FACTS
    return SceneVersion.objects.create(
        shot=shot, number=newest.number + 1 if newest else 1, kind=kind, name=document.name[:120], document=stored,
        fingerprint=facts.fingerprint, author=author, origin=origin[:500],
    )  # fmt: skip


def take_back(shot: Shot, number: int, author) -> SceneVersion:
    """Make an earlier scene the newest again. Raises BadArgument if there is none of that number."""
    earlier = shot.scenes.filter(number=number).first()
    if earlier is None:
        raise BadArgument(f"There is no scene {number}.", where="scene")
    return keep(shot, parse(earlier.document, f"scene {number}"), author, f"scene {number}")


def facts_for(shot: Shot, cameras: tuple[str, ...], version: SceneVersion | None = None) -> SceneFacts:
    """What is known of the shot's scene; nothing if it has none. Raises BadDocument if it cannot be read any more."""
    version = version or current(shot)
    return _facts(version.pk) if version else SceneFacts.unknown(cameras)


def known_facts(shot: Shot, cameras: tuple[str, ...]) -> tuple[SceneFacts, PrismError | None]:
    """The same, but a scene that cannot be read hides nothing: it comes back as nothing known, with the fault."""
    try:
        return facts_for(shot, cameras), None
    except PrismError as fault:
        return SceneFacts.unknown(cameras), fault


def scene_of(shot: Shot, version: SceneVersion | None = None) -> Scene:
    """Raises BadArgument if it has none that can be rendered here, BadDocument if it cannot be read any more."""
    return _scene(_renderable(shot, version).pk)


def _renderable(shot: Shot, version: SceneVersion | None = None) -> SceneVersion:
    version = version or current(shot)
    if version is None or version.kind != SceneVersion.Kind.FILE:
        raise BadArgument(NO_SCENE, where=shot.code, advice="Import one on the page of its scene.")
    return version


def described(shot: Shot) -> dict[str, Any]:
    """What the scene page lists."""
    version = current(shot)
    if version is None:
        return {"version": None}
    facts = facts_for(shot, ())
    document = _document(version.pk)
    materials = (
        [{"name": name, "kind": material.kind} for name, material in document.materials.items()]
        if isinstance(document, Scene)
        else [
            {"name": material.name, "kind": ", ".join(material.carries) or "carries no light"}
            for material in document.materials
        ]
    )
    return {
        "version": version,
        "groups": [
            {"name": name, "surfaces": group.surfaces, "moves": "moving" in group.gives}
            for name, group in facts.groups.items()
        ],
        "materials": materials,
        "lights": facts.lights,
        "cameras": [{"name": name, "working": name in facts.working_views} for name in facts.cameras],
        "fog": "medium" in facts.everywhere,
    }


def seen_from_the_side(shot: Shot, frame: int, camera: str) -> dict[str, Any]:
    """Outlines in depth and height, and the edge of the picture, for drawing. Raises as scene_of, and for the
    camera."""
    setting = shot.settings
    aspect = setting.width * setting.pixel_aspect / setting.height
    view = side_view(scene_of(shot), frame, camera, aspect=aspect)
    return {"outlines": [asdict(outline) for outline in view.outlines], "angle": view.half_angle}


def mist_picture(shot: Shot, frame: int, camera: str, mist: Mist) -> bytes:
    """A small PNG of the mist pass. Raises as scene_of, and for the camera."""
    version = _renderable(shot)  # asked once: the shot may be deleted while another picture is drawn
    scene_of(shot, version).camera(camera)
    with _drawing:
        return encode(grey(mist_at(_depth(version.pk, frame, camera), mist)), "png")


def picture_path(version: SceneVersion, camera: str) -> Path:
    """Where the small picture of a scene from one of its cameras is kept."""
    return Path(settings.VAR) / "pictures" / f"{version.fingerprint}_{camera}.jpg"


_drawing = Lock()  # one at a time, so that this cannot take all threads of the page's server


def _version(pk: int) -> SceneVersion:
    version = SceneVersion.objects.filter(pk=pk).select_related("shot").first()
    if version is None:
        raise BadArgument("This scene was deleted meanwhile.", where="scene", advice="Reload the page.")
    return version


@lru_cache(maxsize=16)
def _document(pk: int) -> Scene | FactsSheet:
    version = _version(pk)
    return parse(version.document, f"scene {version.number} of {version.shot.code}")


def _scene(pk: int) -> Scene:
    document = _document(pk)
    assert isinstance(document, Scene)  # a sheet of facts is not renderable
    return document


@lru_cache(maxsize=16)
def _facts(pk: int) -> SceneFacts:
    document = _document(pk)
    return facts_of(document) if isinstance(document, Scene) else document.facts()


@lru_cache(maxsize=8)
def _depth(pk: int, frame: int, camera: str) -> NDArray[np.float32]:
    # Imported here: the renderer takes seconds to load.
    from standin.render import Quality, render_frame

    quality = Quality(samples=1, most_bounces=1)
    return (
        render_frame(_scene(pk), frame, camera=camera, size=PREVIEW_SIZE, quality=quality)
        .plane("Z")
        .astype(np.float32, copy=False)
    )


def draw_picture(version: SceneVersion, camera: str) -> Path:
    """Render the small picture of one camera, unless it is there. Raises as scene_of, and for the camera."""
    from prism.colour.view import ViewTransform
    from prism.formats.safe import replacing, writing_below
    from prism.viewing.picture import Look, to_screen
    from standin.clean import clean_picture
    from standin.render import Quality

    path = picture_path(version, camera)
    if not path.exists():
        scene = scene_of(version.shot, version)
        width, height = PREVIEW_SIZE
        height = max(8, round(width * scene.size[1] / scene.size[0]))
        quality = Quality(samples=PICTURE_SAMPLES, indirect_limit=1.5)
        rgba = clean_picture(scene, scene.first, camera=camera, size=(width, height), quality=quality)
        # The one thing a task writes that is no file of its production.
        with writing_below(path.parent), replacing(path) as temporary:
            temporary.write_bytes(encode(to_screen(rgba, Look(transform=ViewTransform("lin_rec709", "film"))), "jpeg"))
    return path


def require_picture(version: SceneVersion, camera: str) -> Path | None:
    """The picture if it was drawn; None while it is still to come. Raises UnreadableFile for a camera there is not."""
    if camera not in facts_for(version.shot, (), version).cameras:
        raise UnreadableFile(f"There is no camera {camera}.", where=str(version))
    path = picture_path(version, camera)
    return path if path.exists() else None
