"""What was written, read again by a library that did not write it: a file counts as delivered only then.

OpenEXR files are written by its own binding and read by OpenImageIO; stills are written by OpenImageIO or Pillow and
read by Pillow, or FFmpeg's decoders where Pillow has no such depth; PDFs are written by ReportLab and read by PDFium.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import av
import numpy as np
import OpenImageIO as oiio
import pypdfium2 as pdfium
from numpy.typing import NDArray
from PIL import Image as Pillow

from prism.deep.samples import Samples
from prism.errors import UnwritableFile
from prism.pixels.file_formats import EXR_COMPRESSIONS, WRITTEN, format_of, is_exr
from prism.pixels.image import Image, pixel_type
from prism.pixels.letters import unknown_letters
from prism.sheets.page import POINTS, Page, light_of

FFMPEG_FORMATS = {(1, 3): "rgb24", (1, 4): "rgba", (2, 3): "rgb48le", (2, 4): "rgba64le"}
"""By bytes of a code and channels."""
LOSSY = frozenset({"jpeg", "avif"})
DEEP_PIXELS = 2000
LOSSY_MEAN = 8.0  # codes, for which the noise of grain leaves room: more is another picture


def require_image(path: Path, parts: Sequence[tuple[str, Image]], compressions: Sequence[str]) -> None:
    """Raises UnwritableFile unless every channel of every part of an OpenEXR file comes back: bit by bit, or of the
    right size where the compression changes it."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise _wrong(path, f"it cannot be opened: {oiio.geterror()}")
    try:
        for place, ((_, image), compression) in enumerate(zip(parts, compressions, strict=True)):
            if not source.seek_subimage(place, 0):
                raise _wrong(path, f"part {place + 1} is not there")
            _require_part(path, source, place, image, compression)
    finally:
        source.close()


def _require_part(path: Path, source: oiio.ImageInput, place: int, image: Image, compression: str) -> None:
    spec = source.spec()
    window = image.data_window
    if (spec.x, spec.y, spec.width, spec.height) != (window.x0, window.y0, window.width, window.height):
        raise _wrong(path, "its data window is another")
    pixels = source.read_image(place, 0, 0, spec.nchannels, oiio.UNKNOWN)
    if pixels is None:
        raise _wrong(path, source.geterror())
    names = list(spec.channelnames)
    if sorted(names) != sorted(image.channels):
        raise _wrong(path, f"it has the channels {', '.join(names)}")
    pixels = pixels.reshape(*window.shape, -1)
    for name, plane in image.channels.items():
        if EXR_COMPRESSIONS[compression].loses(pixel_type(plane.dtype), name):
            continue
        found = pixels[..., names.index(name)]
        if not _same_bits(found.astype(plane.dtype, copy=False), plane):
            raise _wrong(path, f"channel {name} comes back with other values")


def _same_bits(found: NDArray, plane: NDArray) -> bool:
    bits = np.dtype(f"u{plane.dtype.itemsize}")
    return np.array_equal(np.ascontiguousarray(found).view(bits), np.ascontiguousarray(plane).view(bits))


def require_deep(path: Path, samples: Samples) -> None:
    """Raises UnwritableFile unless a deep file comes back with as many samples in every pixel, and with the same values
    in DEEP_PIXELS of them that are spread over it."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise _wrong(path, f"it cannot be opened: {oiio.geterror()}")
    try:
        found = source.read_native_deep_image()
        counts = samples.counts.reshape(-1)
        if found is None or found.pixels != len(counts):
            raise _wrong(path, "its data window is another")
        if [found.samples(pixel) for pixel in range(found.pixels)] != counts.tolist():
            raise _wrong(path, "its pixels have other numbers of samples")
        _require_samples(path, found, samples)
    finally:
        source.close()


def _require_samples(path: Path, found: oiio.DeepData, samples: Samples) -> None:
    holding = np.flatnonzero(samples.counts.reshape(-1))
    names = [found.channelname(channel) for channel in range(found.channels)]
    for pixel in holding[:: max(1, len(holding) // DEEP_PIXELS)].tolist():
        first, count = int(samples.offsets[pixel]), found.samples(pixel)
        for name, run in samples.runs.items():
            if run.dtype == np.uint32:
                continue
            back = [found.deep_value(pixel, names.index(name), number) for number in range(count)]
            if not np.array_equal(np.array(back, np.float32), run[first : first + count].astype(np.float32)):
                raise _wrong(path, f"channel {name} comes back with other values")


def require_still(path: Path, codes: NDArray) -> None:
    """Raises UnwritableFile unless a still comes back with the codes (H, W, 3 or 4) it was given, uint8 or uint16, or
    near them where its format is lossy."""
    form = format_of(path.name)
    assert form is not None  # it was written as one
    try:
        found = _pixels_of(path, codes)
    except (OSError, ValueError, av.FFmpegError) as error:
        raise _wrong(path, f"it cannot be opened: {error}") from error
    if found.shape != codes.shape:
        raise _wrong(path, f"it is {found.shape[1]} x {found.shape[0]} with {found.shape[2]} channels")
    if form.key in LOSSY:
        apart = float(np.abs(found[..., :3].astype(np.int32) - codes[..., :3]).mean())
        if apart > LOSSY_MEAN:
            raise _wrong(path, f"its codes are {apart:.1f} apart in the mean")
    elif not np.array_equal(found, codes):
        raise _wrong(path, "its codes are others")


def _pixels_of(path: Path, codes: NDArray) -> NDArray:
    if codes.dtype == np.uint8 and format_of(path.name) is not WRITTEN["tiff"]:  # whose premultiplied colour it divides
        with Pillow.open(path) as picture:
            return np.asarray(picture)
    with av.open(str(path)) as container:
        return next(container.decode(video=0)).to_ndarray(format=FFMPEG_FORMATS[codes.dtype.itemsize, codes.shape[2]])


def require_page(path: Path, page: Page) -> None:
    """Raises UnwritableFile unless a page comes back: a PDF with its size, its picture and its words as text, any
    other as its format does."""
    if path.suffix.lower() == ".pdf":
        _require_pdf(path, page)
    elif is_exr(path.name):
        require_image(path, [("", light_of(page))], ["zip"])
    else:
        require_still(path, page.with_words)


def _require_pdf(path: Path, page: Page) -> None:
    height, width = page.codes.shape[:2]
    try:
        with pdfium.PdfDocument(path) as document:
            if len(document) != 1:
                raise _wrong(path, f"it has {len(document)} pages")
            sheet = document[0]
            size, letters = sheet.get_size(), sheet.get_textpage()
            found = list(sheet.get_objects(textpage=letters))
            pictures = [each.get_bitmap().to_numpy() for each in found if isinstance(each, pdfium.PdfImage)]
            text = _bare("".join(each.extract() for each in found if isinstance(each, pdfium.PdfTextObj)))
    except pdfium.PdfiumError as error:
        raise _wrong(path, f"it cannot be opened: {error}") from error
    if not np.allclose(size, (width / page.dpi * POINTS, height / page.dpi * POINTS), atol=0.01, rtol=1e-5):
        raise _wrong(path, f"its page is {size[0]:.1f} x {size[1]:.1f} points")
    if len(pictures) != 1 or not np.array_equal(pictures[0][..., ::-1], page.codes):  # PDFium has blue first
        raise _wrong(path, "its picture is another")
    lost = next((line.text for line in page.words if _bare(line.text, line.face) not in text), None)
    if lost is not None:
        raise _wrong(path, f"these words are not in it: {lost}")


def _bare(text: str, face: str = "") -> str:
    """Letters and digits only, those that a typeface has: PDFs keep spaces as distances, hyphens may end a line, and
    nobody gets letters back that could not be drawn."""
    unknown = unknown_letters(text, face) if face else ""
    return "".join(letter for letter in text if letter.isalnum() and letter not in unknown)


def _wrong(path: Path, why: str) -> UnwritableFile:
    return UnwritableFile(
        f"Written, but it does not read back as it should: {why}.", where=str(path), advice="Is the disk sound? Write "
        "it again.",
    )  # fmt: skip
