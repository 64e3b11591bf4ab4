"""`python -m prism inspect`: what is in pictures."""

from __future__ import annotations

import argparse
from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from prism.commands import Answer
from prism.formats.decoding import SAMPLES
from prism.formats.exr import read_channels
from prism.formats.guarded import decode_deep, decode_still
from prism.formats.headers import Part, read_parts
from prism.formats.reading import as_float, read_header, values_of
from prism.pixels.file_formats import is_picture
from prism.pixels.stats import plane_stats


def inspect(args: argparse.Namespace) -> Answer:
    """What is in the files: parts, windows, compression, and the numbers of every channel, whose pixels or samples are
    all read. Raises UnreadableFile."""
    files = [{"file": str(path), "parts": [_inspect_part(path, part) for part in _parts(path)]} for path in args.files]
    return files, "\n".join(_inspect_text(file) for file in files)


def _parts(path: Path) -> list[Part]:
    """Whatever has no suffix of a picture may be an OpenEXR file under another name."""
    return read_header(path) if is_picture(path.name) else read_parts(path)


def _inspect_part(path: Path, part: Part) -> dict[str, Any]:
    planes = _stored(path, part)
    as_values = as_float if part.stored else None
    channels = [
        {"name": name, "type": part.stored or kind, **asdict(plane_stats(planes[name], as_values=as_values))}
        for name, kind in part.channels.items()
    ]
    return {
        "name": part.name,
        "deep": part.deep,
        **({"samples": int(planes[SAMPLES].sum()), "most": int(planes[SAMPLES].max(initial=0))} if part.deep else {}),
        "tiled": part.tiled,
        "compression": part.compression,
        "data_window": asdict(part.data_window),
        "display_window": asdict(part.display_window),
        "channels": channels,
    }


def _stored(path: Path, part: Part) -> Mapping[str, NDArray]:
    """Planes of a flat part and of a still, runs of a deep one."""
    if part.stored:
        return decode_still(path, values_of(part)).planes
    return decode_deep(path, part).planes if part.deep else read_channels(path, part).channels


def _inspect_text(file: dict[str, Any]) -> str:
    lines = [file["file"]]
    for number, part in enumerate(file["parts"]):
        window = "{x0},{y0} to {x1},{y1}"
        deep = f"  deep, {part['samples']} samples, at most {part['most']} a pixel" if part["deep"] else ""
        lines.append(
            f"  part {number} {part['name']}  {part['compression']}{deep}  data {window.format(**part['data_window'])}"
            f"  display {window.format(**part['display_window'])}"
        )
        wide = max([26, *(len(channel["name"]) for channel in part["channels"])]) + 2
        lines.append(f"    {'channel':<{wide}}{'type':<7}{'min':>13}{'mean':>13}{'max':>13}{'NaN':>7}{'Inf':>7}")
        for channel in part["channels"]:
            shown = "".join(
                f"{'-':>13}" if channel[key] is None else f"{channel[key]:>13.6g}"
                for key in ("minimum", "mean", "maximum")
            )
            counts = f"{channel['nan_count']:>7}{channel['inf_count']:>7}"
            lines.append(f"    {channel['name']:<{wide}}{channel['type']:<7}{shown}{counts}")
    return "\n".join(lines)
