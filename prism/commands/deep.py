"""`python -m prism deep ACTION`: deep files inspected, merged, held out, cut, moved, placed, thinned and flattened."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.commands import Answer
from prism.deep import operations as ops
from prism.deep.files import read_samples, write_samples
from prism.deep.samples import Samples
from prism.deep.survey import survey
from prism.errors import BadArgument
from prism.formats.exr import passing, write_exr
from prism.formats.safe import replacing
from prism.ledger.first import require_beauty
from prism.mattes.cryptomatte import name_bits
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.sources.opening import find_sources

MOST_SIDE = 1 << 16  # of a picture that is resized
_POINT = np.dtype(
    [("x", "<f4"), ("y", "<f4"), ("z", "<f4"), ("red", "<f4"), ("green", "<f4"), ("blue", "<f4"), ("alpha", "<f4")]
)


def deep(args: argparse.Namespace) -> Answer:
    """Carry one action out. Raises PrismError."""
    return ACTIONS[args.action](args)


def info(args: argparse.Namespace) -> Answer:
    """Numbers of a deep file."""
    samples = read_samples(args.file)
    facts = survey(samples)
    height, width = samples.window.shape
    own = {name: getattr(facts, name) for name in ("samples", "most", "mean", "empty", "near", "far", "tidy")}
    answer = {"width": width, "height": height, **own, "channels": list(samples.runs)}
    faults = [f"It {what}. {advice}" for _, _, what, advice in facts.faults()]
    return answer | {"faults": faults}, "\n".join([*(f"{name:<9}{value}" for name, value in answer.items()), *faults])


def flatten(args: argparse.Namespace) -> Answer:
    """Write a flat picture."""
    samples = read_samples(args.file)
    alpha, colour, (front, back) = ops.flattened(samples)
    planes = dict(zip(samples.names, colour, strict=True)) | {"A": alpha, "Z": front, "ZBack": back}
    attributes, dropped = passing(samples.attributes)
    image = Image(
        channels={name: np.ascontiguousarray(plane, np.float32) for name, plane in planes.items()},
        data_window=samples.window, display_window=samples.display_window, attributes=attributes,
    )  # fmt: skip
    write_exr(args.out, image)
    return _written(args.out, [f"Header entries were dropped: {', '.join(dropped)}."] if dropped else [])


def merge(args: argparse.Namespace) -> Answer:
    """Write the samples of several files in one."""
    return _kept(args, ops.merged([read_samples(path) for path in args.files]))


def holdout(args: argparse.Namespace) -> Answer:
    """Write what of a file is seen among others."""
    return _kept(args, ops.held_out(read_samples(args.file), *(read_samples(path) for path in args.by)))


def cut(args: argparse.Namespace) -> Answer:
    """Write the samples of a range of depth."""
    return _kept(args, ops.cut(read_samples(args.file), args.near, args.far))


def move(args: argparse.Namespace) -> Answer:
    """Write the samples at other depths."""
    return _kept(args, ops.moved(read_samples(args.file), add=args.add, times=args.times))


def place(args: argparse.Namespace) -> Answer:
    """Write a flat picture as a deep one."""
    frame = find_sources([args.file])
    pixels = frame.pixels(require_beauty(frame).key)
    alpha = np.ones(frame.shape(), np.float32) if pixels.alpha is None else pixels.alpha
    rgba = np.stack([*pixels.planes, alpha]).astype(np.float32)
    depth: NDArray | float = args.at
    if args.depth is not None:
        depth = frame.pixels(_depth_key(frame, args.depth)).planes[0].astype(np.float32)
    placed = ops.placed(rgba, depth, thick=args.thick, window=frame.window, display=frame.display_window)
    return _kept(args, placed)


def _depth_key(frame: Any, name: str) -> str:
    """A pass by its name, or `Z` for the depth there is."""
    if name in frame:
        return name
    found = next((source.key for source in frame if source.kind is not None and source.kind.key == "depth"), None)
    if name != "Z" or found is None:
        passes = ", ".join(source.key for source in frame)
        raise BadArgument(f"There is no pass {name}; found {passes}.", where="--depth", advice="Name one of them.")
    return found


def thin(args: argparse.Namespace) -> Answer:
    """Write fewer samples, and what that costs."""
    samples = ops.tidied(read_samples(args.file))
    made = ops.thinned(samples, tolerance=args.tolerance, most=args.most)
    _, text = _kept(args, made)
    before, after = ops.flattened(samples), ops.flattened(made)
    answer = {
        "file": str(args.out),
        "samples_before": len(samples),
        "samples_after": len(made),
        "bytes_before": args.file.stat().st_size,
        "bytes_after": args.out.stat().st_size,
        "flat_error": max(float(np.abs(a - b).max(initial=0)) for a, b in zip(before[:2], after[:2], strict=True)),
        "holdout_error": ops.holdout_error(samples, made)[0],
    }
    numbers = [f"{name:<15}{value}" for name, value in answer.items() if name != "file"]
    return answer, "\n".join([text, *numbers])


def tidy(args: argparse.Namespace) -> Answer:
    """Write the samples of each pixel in order, without overlaps."""
    return _kept(args, ops.tidied(read_samples(args.file)))


def recolour(args: argparse.Namespace) -> Answer:
    """Write samples times a gain."""
    samples = read_samples(args.file)
    if args.channel:
        chosen = ops.by_ids(samples, args.channel, _ids(args))
    else:
        samples = ops.split_at(samples, [end for end in (args.near, args.far) if np.isfinite(end)])
        chosen = ops.by_depth(samples, args.near, args.far)
    gains = [dict(zip("RGB", args.gain, strict=True)).get(name, 1.0) for name in samples.names]
    return _kept(args, ops.recoloured(samples, np.diag(gains), chosen=chosen))


def keep(args: argparse.Namespace) -> Answer:
    """Write the samples of some IDs, or all others."""
    samples = read_samples(args.file)
    return _kept(args, samples.kept(ops.by_ids(samples, args.channel, _ids(args)) ^ args.others))


def _ids(args: argparse.Namespace) -> list[int]:
    wrong = next((each for each in args.ids if not 0 <= each < 1 << 32), None)
    if wrong is not None:
        raise BadArgument(f"{wrong} is no ID.", where="--ids", advice="Use whole numbers of 32 bits.")
    return args.ids or [int(name_bits(name)) for name in args.names]


def crop(args: argparse.Namespace) -> Answer:
    """Write the samples of another data window."""
    return _kept(args, read_samples(args.file).over(Window(*args.window)))


def resize(args: argparse.Namespace) -> Answer:
    """Write the samples of another size."""
    wide, high = args.size
    if not (0 < wide <= MOST_SIDE and 0 < high <= MOST_SIDE):
        raise BadArgument(f"A picture of {wide} x {high} pixels cannot be.", where="--size", advice="Use whole pixels.")
    return _kept(args, ops.resized(read_samples(args.file), (high, wide)))


def points(args: argparse.Namespace) -> Answer:
    """Write samples as points: x to the right and y down in pixels, z the depth of their fronts."""
    samples = read_samples(args.file)
    pixels = np.repeat(np.arange(len(samples.offsets) - 1), np.diff(samples.offsets))
    rows, columns = np.divmod(pixels, samples.window.width)
    cloud = np.zeros(len(samples), _POINT)
    cloud["x"], cloud["y"], cloud["z"] = columns + samples.window.x0, rows + samples.window.y0, samples.depth[:, 0]
    colour = samples.with_names(("R", "G", "B"), ()).colour
    cloud["red"], cloud["green"], cloud["blue"], cloud["alpha"] = *colour.T, samples.alpha
    lines = ["ply", "format binary_little_endian 1.0", f"element vertex {len(cloud)}"]
    lines += [*(f"property float {name}" for name in _POINT.names or ()), "end_header", ""]
    with replacing(args.out) as temporary:
        temporary.write_bytes("\n".join(lines).encode() + cloud.tobytes())
    return _written(args.out, [])


def _kept(args: argparse.Namespace, samples: Samples) -> Answer:
    tile = None if args.tile is None else (args.tile[0], args.tile[1])
    return _written(args.out, write_samples(args.out, samples, tile=tile))


def _written(path: Path, remarks: list[str]) -> Answer:
    return {"file": str(path), "remarks": remarks}, "\n".join([str(path), *remarks])


ACTIONS: Mapping[str, Callable[[argparse.Namespace], Answer]] = MappingProxyType(
    {
        "info": info, "flatten": flatten, "merge": merge, "holdout": holdout, "cut": cut, "move": move, "place": place,
        "thin": thin, "points": points, "tidy": tidy, "recolour": recolour, "keep": keep, "crop": crop,
        "resize": resize,
    }
)  # fmt: skip
