"""A rebuilt frame written as files: EXR as it is, stills through the view transform, mattes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.balance.balance import balance
from prism.colour.view import ViewTransform
from prism.combine.evaluate import evaluate
from prism.combine.program import compile_ledger
from prism.elements.pixels import Frame
from prism.errors import BadArgument, PrismError
from prism.finish.display import as_display, developed, of_domain
from prism.finish.steps import active
from prism.formats.exr import passing, to_half, write_exr
from prism.formats.stills import write_still
from prism.ledger.document import Ledger
from prism.ledger.finishing import Finishing
from prism.limits import Stale, never
from prism.mattes.plan import plans
from prism.mattes.writing import write_matte
from prism.pixels.file_formats import is_exr
from prism.pixels.image import Image
from prism.pixels.picture import Picture

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
    as_display: bool = False  # EXR of display values, with all of the finish; else of light

    def __post_init__(self) -> None:
        if self.pixel not in PIXELS:
            raise BadArgument(f"Unknown pixel type {self.pixel}.", advice=f"Use {' or '.join(PIXELS)}.")


def deliver(ledger: Ledger, sources: Frame, path: Path, output: Output, *, is_stale: Stale = never) -> list[str]:
    """As `deliver_all`, of one file: its remarks."""
    return deliver_all(ledger, sources, {path: output}, is_stale=is_stale)[path]


def deliver_all(
    ledger: Ledger, sources: Frame, wanted: Mapping[Path, Output], *, is_stale: Stale = never
) -> dict[Path, list[str]]:
    """Write a frame of a ledger to every path in `wanted`, whose suffix names the format. Returns, by path, remarks on
    what the format cost, and on a picture that is not balanced.

    The ledger runs once, whatever is written of it. EXR keeps data and display window, and the attributes of the beauty
    as they lie in its file. Raises what `evaluate` and the writers raise.
    """
    said: dict[Path, list[str]] = {}
    pictures = {path: output for path, output in wanted.items() if not output.matte}
    if pictures:
        sources.read(wanted_of(ledger, sources.number))
        picture = evaluate(ledger, sources, is_stale=is_stale)
        balanced = _of_balance(ledger, sources, picture)
        finish = Finishing.of(ledger, sources)
        picture = finish.light(picture, is_stale)
        for path, output in pictures.items():
            write = _write_exr if is_exr(path.name) else _write_still
            said[path] = [*balanced, *write(ledger, sources, path, picture, output, finish)]
    for path in wanted.keys() - pictures.keys():
        said[path] = _write_matte(ledger, sources, path, wanted[path])
    return said


def _write_still(
    ledger: Ledger, sources: Frame, path: Path, picture: Picture, output: Output, finish: Finishing
) -> list[str]:
    def after_view(shown: NDArray[np.float32], alpha: NDArray[np.float32]) -> NDArray[np.float32]:
        values = as_display(picture, np.concatenate([np.moveaxis(shown, -1, 0), alpha[np.newaxis]]))
        return np.moveaxis(finish.display(values).rgba[:3], 0, -1)

    shown = picture.on_display
    report = write_still(
        path, shown, output.transform, bits=output.bits, keep_alpha=output.keep_alpha,
        pixel_aspect=picture.pixel_aspect, after_view=after_view if finish.steps else None,
    )  # fmt: skip
    remarks = []
    if report.clipped:
        remarks.append(f"{report.clipped} of {shown[0].size} pixels have light outside 0..1, clipped here.")
    if report.flattened:
        remarks.append("Written without alpha: the picture is over black.")
    if report.glowing:
        remarks.append(
            f"{report.glowing} pixels glow without coverage (a sky, say); straight alpha cannot hold that. "
            "Put the picture over black to keep their light."
        )
    return remarks


def _write_matte(ledger: Ledger, sources: Frame, path: Path, output: Output) -> list[str]:
    ready = plans(ledger.mattes, sources.number, ledger.space)
    if output.matte not in ready:
        raise BadArgument(f"There is no matte {output.matte}.", advice=f"The ledger has {', '.join(ready) or 'none'}.")
    write_matte(ready[output.matte], sources, path, pixel=output.pixel, compression=output.compression)
    return []


def wanted_of(ledger: Ledger, number: int) -> list[str]:
    """All that a delivery of a frame asks for: what the picture needs, and what it is compared with. To be read in one
    go."""
    programs = (compile_ledger(each, number) for each in (ledger, ledger.untrimmed(), ledger.rendered))
    finish = (source for step in active(ledger.finish, number) for source in step.sources)
    return list(dict.fromkeys((*(source for program in programs for source in program.sources), *finish)))


def _of_balance(ledger: Ledger, sources: Frame, picture: Picture) -> list[str]:
    """That the untrimmed sum is not what was rendered, where there is something it should land on."""
    if not all(key in sources for key in ledger.rendered.sources) or not any(row.in_balance for row in ledger.rows):
        return []
    try:
        found = balance(ledger, sources, causes=0, made=picture)
    except PrismError as error:  # of a pass that only a row asks for which is off
        return [f"Frame {sources.number} could not be compared with what was rendered: {error.what}"]
    if found.balanced:
        return []
    return [
        f"Frame {sources.number} is not balanced: the untrimmed rows differ from what was rendered in "
        f"{found.wrong} pixels."
    ]


def _write_exr(
    ledger: Ledger, sources: Frame, path: Path, picture: Picture, output: Output, finish: Finishing
) -> list[str]:
    remarks = []
    if output.as_display:
        picture = finish.display(developed(picture, output.transform, keep_alpha=output.keep_alpha))
        picture = picture.with_rgba(np.concatenate([picture.rgba[:3] * picture.rgba[3], picture.rgba[3:]]))
        remarks.append(f"These are display values of the view {output.transform.view}, no light.")
    elif finish.on_display:
        names = ", ".join(step.label for step in finish.on_display)
        remarks.append(f"Light, so without the steps that work on display values: {names}.")
    planes = dict(zip("RGBA", picture.rgba, strict=True))
    if output.pixel == "half":
        planes = {name: to_half(plane, name=name, where=str(path)) for name, plane in planes.items()}
    attributes, dropped = {}, []
    if ledger.beauty in sources:
        attributes, dropped = passing(sources.source(ledger.beauty).attributes)
        attributes["pixelAspectRatio"] = picture.pixel_aspect
    if output.as_display:
        attributes.pop("chromaticities", None)  # of light
    image = Image(
        channels=planes,
        data_window=picture.window,
        display_window=picture.display_window,
        attributes={**attributes, "ledger": ledger.name, **_named(finish, output)},
    )
    write_exr(path, image, compression=output.compression)
    if dropped:
        remarks.append(f"Header entries that no new file can carry were dropped: {', '.join(dropped)}.")
    return remarks


def _named(finish: Finishing, output: Output) -> dict[str, str]:
    """Header entries of a finished picture: what was done to it, and that it holds display values."""
    steps = finish.steps if output.as_display else of_domain(finish.steps, "light")
    entries = {"finish": ", ".join(step.label for step in steps)} if steps else {}
    return entries | ({"view": output.transform.view} if output.as_display else {})
