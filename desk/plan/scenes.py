"""The scene of a shot: what is in it, seen from the side, and how far away it is."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from desk.shots.models import Shot
from prism.depth.mist import Mist, mist_at
from prism.errors import BadArgument, UnreadableFile
from prism.passes.facts import SceneFacts
from prism.standin.facts import facts_of
from prism.standin.scene import Scene
from prism.standin.sideview import side_view
from prism.viewing.picture import encode, grey

PREVIEW_SIZE = (320, 180)


def facts_for(shot: Shot, cameras: tuple[str, ...]) -> SceneFacts:
    """What is known of the shot's scene; nothing if it has no scene file. Raises UnreadableFile or BadDocument."""
    if not shot.scene:
        return SceneFacts.unknown(cameras)
    return _facts(*_file(shot))


def scene_of(shot: Shot) -> Scene:
    """Raises BadArgument if the shot has none, UnreadableFile or BadDocument if it cannot be read."""
    if not shot.scene:
        raise BadArgument("This shot has no scene file.", where=shot.code, advice="Name one in the shot's settings.")
    return _scene(*_file(shot))


def seen_from_the_side(shot: Shot, frame: int, camera: str) -> dict[str, Any]:
    """Outlines in depth and height, and the edge of the picture, for drawing. Raises as scene_of, and for the camera."""
    view = side_view(scene_of(shot), frame, camera, aspect=shot.width / shot.height)
    return {"outlines": [{"name": name, "points": points} for name, points in view.outlines], "angle": view.half_angle}


def mist_picture(shot: Shot, frame: int, camera: str, mist: Mist) -> bytes:
    """A small PNG of the mist pass. Raises as scene_of, and for the camera."""
    scene_of(shot).camera(camera)
    return encode(grey(mist_at(_depth(*_file(shot), frame, camera), mist)), "png")


def _file(shot: Shot) -> tuple[Path, int]:
    """The scene file and when it was changed, so that what is kept of it is never older than the file."""
    path = Path(settings.STORAGE_ROOTS[0]) / shot.scene
    try:
        return path, path.stat().st_mtime_ns
    except OSError as error:
        raise UnreadableFile(f"Cannot be read: {error.strerror}.", where=str(path)) from error


@lru_cache(maxsize=16)
def _scene(path: Path, changed: int) -> Scene:
    return Scene.load(path)


@lru_cache(maxsize=16)
def _facts(path: Path, changed: int) -> SceneFacts:
    return facts_of(_scene(path, changed))


@lru_cache(maxsize=8)
def _depth(path: Path, changed: int, frame: int, camera: str) -> NDArray[np.float32]:
    # Imported here: the renderer takes seconds to load.
    from prism.standin.render import Quality, render_frame

    image = render_frame(
        _scene(path, changed), frame, camera=camera, size=PREVIEW_SIZE, quality=Quality(samples=1, most_bounces=1)
    )
    return image.plane("Z")
