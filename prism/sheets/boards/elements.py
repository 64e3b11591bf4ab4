"""What lies on a board: one class for each kind, listed in `ELEMENTS`. Sizes and places are in the unit of the board,
from its upper left corner, y down; the page draws its fields from here."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Union

from pydantic import Field, Tag

from prism.documents import Identity, Value, by_kind
from prism.fields import Shown, settings_of
from prism.keyed import Within

Hex = Annotated[str, Field(pattern=r"^#[0-9A-Fa-f]{6}$")]
Coordinate = Annotated[float, Within(-100_000, 100_000)]
Length = Annotated[float, Within(0, 100_000)]
Share = Annotated[float, Within(0, 1)]
Text = Annotated[str, Field(max_length=4000)]
PathText = Annotated[str, Field(min_length=1, max_length=1000)]


class Shadow(Value):
    """Below an element: moved by dx, dy, soft over `blur` (its standard deviation; 0 is hard)."""

    dx: Annotated[Coordinate, Shown(title="right")] = 2.0
    dy: Annotated[Coordinate, Shown(title="down")] = 2.0
    blur: Annotated[Length, Shown(title="softness")] = 2.0
    opacity: Annotated[Share, Shown(title="density")] = 0.5
    colour: Annotated[Hex, Shown(title="colour", takes="colour")] = "#000000"


class FilePicture(Value):
    """A file, by its path from the board's own folder; of a house, from that of the shot."""

    kind: Literal["file"] = "file"
    path: PathText


class RebuiltPicture(Value):
    """What a ledger makes of the passes in folders; paths are from the board's own folder. finish: laid on it in place
    of its own; empty for its own. alpha: over black, or kept, so that the sheet shows through."""

    kind: Literal["rebuilt"] = "rebuilt"
    ledger: PathText
    folders: Annotated[tuple[PathText, ...], Field(min_length=1, max_length=50)]
    frame: int
    finish: Annotated[str, Field(max_length=1000)] = ""
    view: Literal["srgb", "film"] = "film"
    alpha: Literal["over", "keep"] = "over"


class ShotPicture(Value):
    """The picture of a shot of the same production: of a version of its ledger, by number, or of the newest, 0. shared:
    code of another shot whose ledger and finish are laid on its passes, so that several views have one."""

    kind: Literal["shot"] = "shot"
    shared: Annotated[str, Field(max_length=80)] = ""
    shot: Annotated[str, Field(min_length=1, max_length=80)]
    frame: int
    version: Annotated[int, Within(0, 100_000)] = 0
    view: Literal["srgb", "film"] = "film"
    alpha: Literal["over", "keep"] = "over"


SOURCES = {"file": FilePicture, "rebuilt": RebuiltPicture, "shot": ShotPicture}
if TYPE_CHECKING:
    PictureSource = FilePicture | RebuiltPicture | ShotPicture
else:
    PictureSource = Annotated[
        Union[*(Annotated[each, Tag(f"({kind})")] for kind, each in SOURCES.items())],
        by_kind("A picture", tuple(SOURCES)),
    ]


class BoardElement(Value):
    """locked: cannot be dragged. hidden: not drawn. group: elements of one name move together."""

    title: ClassVar[str]
    meaning: ClassVar[str]

    id: Identity
    name: Annotated[str, Field(max_length=80)] = ""
    x: Annotated[Coordinate, Shown(title="x")] = 0.0
    y: Annotated[Coordinate, Shown(title="y")] = 0.0
    opacity: Annotated[Share, Shown(title="opacity")] = 1.0
    locked: bool = False
    hidden: bool = False
    group: Annotated[str, Field(max_length=80)] = ""
    shadow: Shadow | None = None


class Boxed(BoardElement):
    """With a width and a height."""

    width: Annotated[Length, Shown(title="width")] = 50.0
    height: Annotated[Length, Shown(title="height")] = 30.0
    outline: Annotated[Length, Shown(title="outline")] = 0.0
    outline_colour: Annotated[Hex, Shown(title="outline colour", takes="colour")] = "#ffffff"


class PictureElement(Boxed):
    """A picture or a logo; what its alpha leaves open shows what lies below."""

    title: ClassVar[str] = "Picture"
    meaning: ClassVar[str] = "A frame of a shot, or any file, such as a logo."

    kind: Literal["picture"] = "picture"
    source: PictureSource | None = None
    fill: Annotated[Literal["fit", "fill"], Shown(title="in its box", words={"fit": "whole", "fill": "fills it"})] = (
        "fit"
    )


class Band(Boxed):
    """An area of one colour, or from one to another downwards, with dots or lines on it."""

    title: ClassVar[str] = "Band"
    meaning: ClassVar[str] = "An area of colour, plain or with a texture of dots or lines."

    kind: Literal["band"] = "band"
    colour: Annotated[Hex, Shown(title="colour", takes="colour")] = "#2a2a2a"
    blend: Annotated[bool, Shown(title="to a second colour")] = False
    colour_below: Annotated[Hex, Shown(title="second colour", takes="colour", when=("blend", ("true",)))] = "#101010"
    texture: Annotated[Literal["plain", "dots", "lines"], Shown(title="texture")] = "plain"
    texture_colour: Annotated[
        Hex, Shown(title="texture colour", takes="colour", when=("texture", ("dots", "lines")))
    ] = "#3a3a3a"
    spacing: Annotated[
        float, Within(0.05, 10_000), Shown(title="spacing", step=0.05, when=("texture", ("dots", "lines")))
    ] = 3.0
    weight: Annotated[float, Within(0.01, 1), Shown(title="weight", when=("texture", ("dots", "lines")))] = 0.3
    turn: Annotated[
        float, Within(-360, 360), Shown(title="turn", unit="°", step=1, digits=0, when=("texture", ("dots", "lines")))
    ] = 45.0


class Marks(BoardElement):
    """A row of marks, `spacing` from middle to middle, the first at x, y; repeated in rows, and once more on the other
    side of the line y = `about` if it is mirrored."""

    title: ClassVar[str] = "Marks"
    meaning: ClassVar[str] = "A row of dots, dashes or arrows, mirrored about a line if you like."

    kind: Literal["marks"] = "marks"
    form: Annotated[Literal["dot", "dash", "triangle", "arrow", "ring"], Shown(title="form")] = "triangle"
    size: Annotated[float, Within(0.01, 10_000), Shown(title="size", step=0.05)] = 4.0
    count: Annotated[int, Within(1, 2000), Shown(title="how many", step=0.2, digits=0)] = 8
    spacing: Annotated[float, Within(0, 10_000), Shown(title="spacing", step=0.05)] = 8.0
    rows: Annotated[int, Within(1, 200), Shown(title="rows", step=0.2, digits=0)] = 1
    row_spacing: Annotated[float, Within(0, 10_000), Shown(title="row spacing", step=0.05)] = 8.0
    colour: Annotated[Hex, Shown(title="colour", takes="colour")] = "#d8d8d8"
    mirrored: Annotated[bool, Shown(title="mirrored")] = False
    about: Annotated[Coordinate, Shown(title="about y", when=("mirrored", ("true",)))] = 0.0


class Caption(BoardElement):
    """Lines of text; x, y is the beginning, middle or end of the first baseline."""

    title: ClassVar[str] = "Text"
    meaning: ClassVar[str] = "Lines of text, with a glow if you like; text in PDF."

    kind: Literal["text"] = "text"
    text: Annotated[Text, Shown(title="text", takes="text")] = "Text"
    face: Annotated[Literal["text", "text bold", "mono", "mono bold"], Shown(title="face")] = "text"
    size: Annotated[float, Within(0.1, 10_000), Shown(title="size", step=0.05)] = 6.0
    leading: Annotated[float, Within(0.5, 5), Shown(title="line height")] = 1.3
    colour: Annotated[Hex, Shown(title="colour", takes="colour")] = "#f0f0f0"
    align: Annotated[Literal["left", "middle", "right"], Shown(title="align")] = "left"
    turn: Annotated[float, Within(-360, 360), Shown(title="turn", unit="°", step=1, digits=0)] = 0.0
    glow: Annotated[Length, Shown(title="glow")] = 0.0
    glow_colour: Annotated[Hex, Shown(title="glow colour", takes="colour")] = "#ffd9a0"


ELEMENTS: Mapping[str, type[BoardElement]] = MappingProxyType(
    {"picture": PictureElement, "band": Band, "marks": Marks, "text": Caption}
)
if TYPE_CHECKING:
    AnyElement = BoardElement
else:
    AnyElement = Annotated[
        Union[*(Annotated[each, Tag(f"({kind})")] for kind, each in ELEMENTS.items())],
        by_kind("An element of a board", tuple(ELEMENTS)),
    ]


def kinds_for_page() -> dict[str, dict[str, Any]]:
    """What an editor offers of each kind: words, settings, and the usual one."""
    return {
        kind: {
            "kind": kind, "title": each.title, "meaning": each.meaning, "settings": settings_of(each),
            "usual": each(id=kind).model_dump(mode="json"),
        }
        for kind, each in ELEMENTS.items()
    }  # fmt: skip
