"""A rebuilt frame written as a file: EXR as it is, or a still through the view transform."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from prism.balance.balance import balance
from prism.colour.view import ViewTransform
from prism.combine.evaluate import Stale, evaluate, never
from prism.combine.program import compile_ledger
from prism.elements.pixels import Frame, on_display
from prism.errors import BadArgument, PrismError
from prism.formats.exr import passing, to_half, write_exr
from prism.formats.stills import write_still
from prism.ledger.document import Ledger
from prism.mattes.plan import plans
from prism.mattes.writing import write_matte
from prism.pixels.image import Image

PIXELS = ("half", "float")


@dataclass(frozen=True, slots=True)
class Output:
    """How to write: pixel type and compression for EXR; view and bits for stills."""

    pixel: str = "half"
    compression: str = "zip"
    transform: ViewTransform = ViewTransform()
    bits: int = 8
    keep_alpha: bool = True  # of stills that can carry one; else the picture lies over black
    matte: str = ""  # id of the matte that is written instead of the picture

    def __post_init__(self) -> None:
        if self.pixel not in PIXELS:
            raise BadArgument(f"Unknown pixel type {self.pixel}.", advice=f"Use {' or '.join(PIXELS)}.")


def deliver(ledger: Ledger, sources: Frame, path: Path, output: Output, *, is_stale: Stale = never) -> list[str]:
    """Evaluate at full size and write `path`, whose suffix names the format. Returns remarks on what the format cost.

    EXR keeps data and display window, and the attributes of the beauty as they lie in its file. Raises what `evaluate` and
    the writers raise.
    """
    path = Path(path)
    if output.matte:
        return _write_matte(ledger, sources, path, output)
    sources.read(wanted_of(ledger, sources.number))
    rgba = evaluate(ledger, sources, is_stale=is_stale)
    said = _of_balance(ledger, sources, rgba)
    if path.suffix.lower() == ".exr":
        return [*said, *_write_exr(ledger, sources, path, rgba, output)]
    display = sources.display_window
    picture = on_display(sources, rgba)
    report = write_still(
        path, picture, output.transform, bits=output.bits, keep_alpha=output.keep_alpha,
        pixel_aspect=sources.pixel_aspect,
    )  # fmt: skip
    remarks = said
    if report.clipped:
        remarks.append(
            f"{report.clipped} of {display.width * display.height} pixels hold light outside 0..1, clipped here."
        )
    if report.flattened:
        remarks.append("Written without alpha: the picture lies over black.")
    if report.glowing:
        remarks.append(
            f"{report.glowing} pixels glow without coverage (a sky, say); straight alpha cannot hold that. "
            "Lay the picture over black to keep their light."
        )
    return remarks


def _write_matte(ledger: Ledger, sources: Frame, path: Path, output: Output) -> list[str]:
    ready = plans(ledger.mattes, sources.number, ledger.space)
    if output.matte not in ready:
        raise BadArgument(f"There is no matte {output.matte}.", advice=f"The ledger has {', '.join(ready) or 'none'}.")
    write_matte(ready[output.matte], sources, path, pixel=output.pixel, compression=output.compression)
    return []


def wanted_of(ledger: Ledger, number: int) -> list[str]:
    """All that a delivery of a frame asks for: what the picture needs, and what it is held against. To be read in one go."""
    programs = (compile_ledger(each, number) for each in (ledger, ledger.untrimmed(), ledger.rendered))
    return list(dict.fromkeys(source for program in programs for source in program.sources))


def _of_balance(ledger: Ledger, sources: Frame, rgba: np.ndarray) -> list[str]:
    """That the untrimmed sum is not what was rendered, where there is something it should land on."""
    if not all(key in sources for key in ledger.rendered.sources) or not any(row.in_balance for row in ledger.rows):
        return []
    try:
        found = balance(ledger, sources, causes=0, made=rgba)
    except PrismError as error:  # of a pass that only a row asks for which is off
        return [f"Frame {sources.number} could not be held against what was rendered: {error.what}"]
    if found.balanced:
        return []
    return [
        f"Frame {sources.number} is not balanced: the untrimmed rows differ from what was rendered in {found.wrong} pixels."
    ]


def _write_exr(ledger: Ledger, sources: Frame, path: Path, rgba: np.ndarray, output: Output) -> list[str]:
    planes = dict(zip("RGBA", rgba, strict=True))
    if output.pixel == "half":
        planes = {name: to_half(plane, name=name, where=str(path)) for name, plane in planes.items()}
    attributes, dropped = {}, []
    if ledger.beauty in sources:
        attributes, dropped = passing(sources.source(ledger.beauty).attributes)
        attributes["pixelAspectRatio"] = sources.pixel_aspect
    image = Image(
        channels=planes,
        data_window=sources.window,
        display_window=sources.display_window,
        attributes={**attributes, "ledger": ledger.name},
    )
    write_exr(path, image, compression=output.compression)
    return [f"Header entries that no new file can carry were dropped: {', '.join(dropped)}."] if dropped else []
