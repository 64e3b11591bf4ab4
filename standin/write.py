"""A rendered frame written as its plan says: names, packing, types and compression."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import space_of
from prism.colour.view import ViewTransform
from prism.deep.samples import BACK
from prism.elements.identify import known
from prism.formats.deep import write_deep
from prism.formats.exr import to_half, write_parts
from prism.formats.safe import below
from prism.formats.stills import write_still, write_values
from prism.mattes.cryptomatte import header
from prism.naming.patterns import FIELDS, Pattern, parse_pattern
from prism.pixels.channels import group_layers
from prism.pixels.digest import digest_of
from prism.pixels.file_formats import WRITTEN
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.plan.expansion import FileGroup, PlannedFiles, PlannedPass
from prism.plan.packing import Storage
from standin.planes import Planes
from standin.render import Rendered

IN_ONE_FILE = parse_pattern("{shot}.{frame:04}.exr")
_COMPRESSIONS = WRITTEN["exr"].compressions
_KINDS = ("object", "material", "group")


def write_planned(
    rendered: Rendered, files: Sequence[PlannedFiles], frame: int, folder: Path, cleaned: Mapping[str, Planes]
) -> list[Path]:
    """Write the files of one frame of one layer and camera, planes (H, W), below `folder`. Returns their paths.

    files: those of this layer and camera. cleaned: denoised planes by pass, for the files that hold those.
    """
    written = []
    for planned in files:
        path = below(folder, planned.path(frame))
        planes = {**rendered.planes, **cleaned} if planned.group.denoised else rendered.planes
        write_group(rendered, planes, planned.group, path)
        written.append(path)
    return written


def write_group(rendered: Rendered, planes: Mapping[str, Planes], group: FileGroup, path: Path) -> None:
    """Write one file of planes (H, W), whole or not at all. Raises UnwritableFile."""
    if group.storage.format != "exr":
        _write_flat(rendered, planes[group.passes[0].key], group, path)
    elif group.passes[0].kind.own_file:
        _write_deep(rendered, group, path)
    else:
        _write_exr(rendered, planes, group, path)


def write_frame(
    image: Image, folder: Path, name: str, frame: int, *, pattern: Pattern = IN_ONE_FILE, camera: str = ""
) -> list[Path]:
    """Write an image of passes without a plan: colour as half, data as float, lossless. Returns the files written.

    pattern: of the paths below `folder`. One with {pass} makes a file for each pass; any other makes one that holds
    all.
    """
    values: dict[str, str | int] = dict.fromkeys(FIELDS, "")
    values |= {"layer": "all", "shot": name, "camera": camera, "version": 1, "frame": frame}
    files: dict[str, dict[str, NDArray]] = {}
    for layer in group_layers(image.channels):
        found = known(layer.layer or "beauty")
        planes = files.setdefault(pattern.expand(values | {"pass": found.key, "suffix": "exr"}), {})
        stored_names = found.kind.channel_names(found.key, alone="pass" in pattern.fields)
        for stored_name, channel in zip(stored_names, layer.names, strict=True):
            plane = image.plane(channel)
            planes[stored_name] = to_half(plane, name=channel) if found.kind.pixel == "half" else plane
    written = {below(folder, path): planes for path, planes in files.items()}
    for path, planes in written.items():
        write_parts(path, [("", Image.of_planes(planes, **image.attributes))])
    return list(written)


def _write_exr(rendered: Rendered, planes: Mapping[str, Planes], group: FileGroup, path: Path) -> None:
    data, display = _windows(rendered, next(iter(planes.values()))[0].shape)

    def image_of(members: Sequence[tuple[PlannedPass, Storage]]) -> Image:
        channels: dict[str, NDArray] = {}
        attributes: dict[str, Any] = dict(rendered.attributes)
        for planned, storage in members:
            attributes |= _ranks(rendered, planned) if planned.kind.ranked else {}
            names = planned.kind.channel_names(planned.key, alone=group.alone, levels=group.levels)
            for name, plane in zip(names, planes[planned.key], strict=True):
                channels[name] = to_half(plane, name=name, where=str(path)) if storage.pixel == "half" else plane
        exact = all(storage.pixel in _COMPRESSIONS[storage.compression].exact for _, storage in members)
        said = _says([planned for planned, _ in members], channels if exact else None)
        return Image(channels=channels, data_window=data, display_window=display, attributes=attributes | said)

    members = list(zip(group.passes, group.storages, strict=True))
    parts = [(member[0].key, image_of([member])) for member in members] if group.in_parts else [("", image_of(members))]
    write_parts(path, parts, compression=group.compressions)


def _says(passes: Sequence[PlannedPass], channels: Mapping[str, NDArray] | None) -> dict[str, str]:
    """Which passes a part holds, and a fingerprint of its pixels: exchanged and changed files are told by it.
    channels: None where storing them changes them."""
    said = {"passes": ",".join(planned.key for planned in passes)}
    return said if channels is None else said | {"pixelFingerprint": digest_of(channels)}


def _ranks(rendered: Rendered, planned: PlannedPass) -> dict[str, str]:
    return header(planned.key, rendered.names[_KINDS.index(planned.key.removeprefix("crypto_"))])


def _write_deep(rendered: Rendered, group: FileGroup, path: Path) -> None:
    deep = rendered.deep
    assert deep is not None  # a group of deep passes was rendered with them
    runs = deep.runs | {BACK: deep.depth[:, 1]}  # also where nothing has a thickness, as planned
    write_deep(
        path, deep.counts, runs, data_window=deep.window, display_window=deep.display_window,
        compression=group.storage.compression, attributes=dict(rendered.attributes) | _says(group.passes, runs),
    )  # fmt: skip


def _windows(rendered: Rendered, shape: tuple[int, int]) -> tuple[Window, Window]:
    """Data and display window: overscan lies outside the picture."""
    across, down = rendered.margin
    height, width = shape
    data = Window(-across, -down, width - across - 1, height - down - 1)
    return data, Window.of_size(width - 2 * across, height - 2 * down)


def _write_flat(rendered: Rendered, planes: Planes, group: FileGroup, path: Path) -> None:
    """A still: float as it is; whole numbers as display values for colour, and as they are for data."""
    storage, kind = group.storage, group.passes[0].kind
    how = {"compression": storage.compression, "pixel_aspect": rendered.attributes["pixelAspectRatio"]}
    count = len(group.channels)
    if storage.pixel == "float" or kind.is_data or count < 3:
        write_values(path, planes[:count], pixel=storage.pixel, **how)
        return
    alpha = planes[3] if count == 4 else np.ones_like(planes[0])
    space = space_of(rendered.attributes["chromaticities"]) or "lin_rec709"
    transform = ViewTransform(space, "srgb")
    bits = 8 if storage.pixel == "uint8" else 16
    write_still(path, np.stack([*planes[:3], alpha]), transform, bits=bits, keep_alpha=count == 4, **how)
