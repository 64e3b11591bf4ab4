"""One frame of a scene as flat arrays for the compiled loops: shapes moved to their place, and a tree over them."""

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import lru_cache
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from prism.colour.spaces import conversion
from standin.scene import Light, Material, Medium, Scene, Shape, Turn
from standin.tree import Tree, grow

SPHERE, CYLINDER, BAND, RING, BOX, DISC, DOME = range(7)
MATTE, GLOSS, METAL, GLASS, PANE, WAX = range(6)
SEEN, SHADOW_ONLY, HOLDOUT = range(3)
PLAIN, TILES, RIBS, BANDS = range(4)
LIGHT_SPHERE, LIGHT_DISTANT, LIGHT_SKY = range(3)

SHAPE_KINDS = {
    "sphere": SPHERE,
    "cylinder": CYLINDER,
    "band": BAND,
    "ring": RING,
    "box": BOX,
    "disc": DISC,
    "dome": DOME,
}
MATERIAL_KINDS = {"matte": MATTE, "gloss": GLOSS, "metal": METAL, "glass": GLASS, "pane": PANE, "wax": WAX}
LOOKS = {"visible": SEEN, "shadow-only": SHADOW_ONLY, "holdout": HOLDOUT}
OVERRIDES = {
    "matte-black": Material(kind="matte", colour=(0, 0, 0)),
    "clay": Material(kind="matte", colour=(0.5, 0.5, 0.5)),
    "occlusion": Material(kind="matte", colour=(1, 1, 1)),
}
MATERIAL_COLOURS = ("colour", "second")
LIGHT_COLOURS = ("radiance", "horizon", "glow")
SCENE_SPACE = "lin_rec709"  # of the colours in a scene document
REST = "rest"  # the light group of lights without a label
LAMP = -1  # stands for a material where the shape is a light
LIGHTS_GROUP = "lights"  # of lights that turn with no object group
PATTERNS = {"plain": PLAIN, "tiles": TILES, "ribs": RIBS, "bands": BANDS}
LIGHT_KINDS = {"sphere": LIGHT_SPHERE, "distant": LIGHT_DISTANT, "sky": LIGHT_SKY}

Table = NDArray[np.float64]

# One record per thing: the compiled loops are handed four arrays, not two dozen (which cost more than the tracing).
SHAPE = np.dtype(
    [
        ("kind", "i4"),
        ("material", "i4"),  # LAMP for the shape of a light
        ("light", "i4"),  # the light it is, -1 for none or a dark one
        ("look", "i4"),  # to the camera
        ("name", "i4"),  # place in names_of objects
        ("group", "i4"),  # place in names_of groups
        ("centre", "f8", 3),
        ("frame", "f8", (3, 3)),  # rows are the shape's own axes in the world
        ("size", "f8", 3),
        ("pivot", "f8", 2),  # of the vertical line it turns about
        ("turn", "f8"),  # radians a frame
    ],
    align=True,
)
MATERIAL = np.dtype(
    [
        ("kind", "i4"),
        ("pattern", "i4"),
        ("rib", "i4"),  # material of the ribs, or -1
        ("colour", "f8", 3),
        ("second", "f8", 3),
        ("roughness", "f8"),
        ("ior", "f8"),
        ("scale", "f8"),
        ("depth", "f8"),
    ],
    align=True,
)
LIGHT = np.dtype(
    [
        ("kind", "i4"),
        ("group", "i4"),
        ("paper", "i4"),
        ("radiance", "f8", 3),
        ("centre", "f8", 3),
        ("radius", "f8"),
        ("direction", "f8", 3),  # unit
        ("cosine", "f8"),  # of the half opening angle of a distant light
        ("horizon", "f8", 3),
        ("glow", "f8", 3),
    ],
    align=True,
)


class Fog(NamedTuple):
    """Fog below a height; density 0 is none. seen: 0 if it dims and lights the scene without being seen itself."""

    density: float
    top: float
    forward: float
    colour: tuple[float, float, float]
    seen: int


class Stage(NamedTuple):
    """What the compiled loops read."""

    shapes: NDArray  # (N,) SHAPE, in the order of the tree's leaves
    tree: Tree  # over their boxes
    materials: NDArray  # (M,) MATERIAL
    lights: NDArray  # (L,) LIGHT
    medium: Fog


NO_FOG = Fog(0.0, 0.0, 0.0, (0.0, 0.0, 0.0), 1)


def build_stage(
    scene: Scene,
    frame: int,
    *,
    visibility: Mapping[str, str] = MappingProxyType({}),
    kept_out: Collection[str] = (),
    override: str | None = None,
    space: str = SCENE_SPACE,
    groups: tuple[str, ...] | None = None,
) -> Stage:
    """Place everything for one frame. Frames outside the scene's range are placed by the same steady motion.

    visibility: of object groups that are not simply visible. kept_out: lamps or fog that hold out what lies behind them
    without being seen. override: a material for everything, a key of OVERRIDES. space: working colour that all colours
    are converted to. groups: light groups that give light, in the order of their numbers; None for all. Lamps of others
    stay in the way, dark.
    """
    turns = _turns(scene)
    names = list(scene.materials)
    hidden = {shape.name for shape in scene.shapes if visibility.get(shape.group) == "hidden"}
    groups = scene.light_groups if groups is None else groups
    lit = [light for light in scene.lights if (light.label or REST) in groups]
    numbers = {light.name: number for number, light in enumerate(lit)}
    lights = [_turned_light(light, turns, frame - scene.first) for light in lit]
    placed = [record for name, record in _placed(scene, frame, visibility, kept_out, numbers) if name not in hidden]
    shapes = np.array(placed, SHAPE)
    tree, order = grow(np.array([_bounds(shape) for shape in shapes]).reshape(-1, 6))
    materials = [OVERRIDES[override] if override else material for material in scene.materials.values()]
    fog = scene.medium
    return Stage(
        shapes=shapes[order],
        tree=tree,
        materials=_in_space(
            np.array([_material_record(material, names) for material in materials], MATERIAL), MATERIAL_COLOURS, space
        ),
        lights=_in_space(np.array([_light_record(light, groups) for light in lights], LIGHT), LIGHT_COLOURS, space),
        medium=_fog(fog, space, seen="fog" not in kept_out) if fog else NO_FOG,
    )


def _fog(medium: Medium, space: str, *, seen: bool) -> Fog:
    colour = conversion(SCENE_SPACE, space) @ np.array(medium.colour, np.float64)
    red, green, blue = map(float, colour)
    return Fog(medium.density, medium.top, medium.forward, (red, green, blue), int(seen))


def _in_space(records: NDArray, fields: tuple[str, ...], space: str) -> NDArray:
    """Records with their colours in a working space; grey stays as it is."""
    if space != SCENE_SPACE:
        for name in fields:
            records[name] = records[name] @ conversion(SCENE_SPACE, space).T
    return records


def names_of(scene: Scene) -> tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...]]:
    """What the numbers in SHAPE records stand for: objects, materials and groups; lights come after the rest."""
    objects = (*(shape.name for shape in scene.shapes), *(light.name for light in scene.lights))
    return objects, (*scene.materials, "light"), (*(group.name for group in scene.groups), LIGHTS_GROUP)


def placed_shapes(scene: Scene, frame: int) -> list[tuple[str, np.void]]:
    """Every object and every light with a shape at a frame: its name and its SHAPE record."""
    placed = list(_placed(scene, frame))
    return [
        (name, record)
        for (name, _), record in zip(placed, np.array([shape for _, shape in placed], SHAPE), strict=True)
    ]


def boxes_of(scene: Scene, frames: Sequence[int]) -> Table:
    """(F, N, 6) low and high corners of the boxes around every object and every light with a shape, at each frame."""
    first = np.array([_bounds(record) for _, record in placed_shapes(scene, frames[0])]).reshape(-1, 6)
    boxes = np.repeat(first[np.newaxis], len(frames), axis=0)
    turning = {group.name for group in scene.groups if group.turn}
    moving = scene.replace(
        shapes=[shape for shape in scene.shapes if shape.group in turning],
        lights=[light for light in scene.lights if light.group in turning],
    )
    if not moving.shapes and not moving.lights:
        return boxes
    names = [name for name, _ in placed_shapes(scene, frames[0])]
    places = [names.index(name) for name, _ in placed_shapes(moving, frames[0])]
    for number, frame in enumerate(frames[1:], start=1):
        boxes[number, places] = [_bounds(record) for _, record in placed_shapes(moving, frame)]
    return boxes


def _turns(scene: Scene) -> dict[str, Turn | None]:
    return {group.name: group.turn for group in scene.groups}


def _placed(
    scene: Scene,
    frame: int,
    visibility: Mapping[str, str] = MappingProxyType({}),
    kept_out: Collection[str] = (),
    numbers: Mapping[str, int] = MappingProxyType({}),
) -> Iterator[tuple[str, tuple]]:
    """numbers: of the lights that give light, by name."""
    turns, elapsed = _turns(scene), frame - scene.first
    materials, groups = list(scene.materials), [group.name for group in scene.groups]
    for number, shape in enumerate(scene.shapes):
        placed = _turned(shape, turns[shape.group], elapsed)
        look = LOOKS.get(visibility.get(shape.group, "visible"), SEEN)
        yield (
            shape.name,
            (
                SHAPE_KINDS[shape.kind], materials.index(shape.material), -1, look, number, groups.index(shape.group),
                placed.centre, _frame(placed.axis), shape.size, *_spin(turns[shape.group]),
            ),
        )  # fmt: skip
    for index, light in enumerate(scene.lights):
        if light.kind == "sphere":
            turn = turns.get(light.group) if light.group else None
            group = groups.index(light.group) if light.group in groups else len(groups)
            centre = _turned_light(light, turns, elapsed).centre
            number = len(scene.shapes) + index
            look = HOLDOUT if "lamps" in kept_out else SEEN
            yield (
                light.name,
                (
                    SPHERE,
                    LAMP,
                    numbers.get(light.name, -1),
                    look,
                    number,
                    group,
                    centre,
                    np.eye(3),
                    (light.radius,) * 3,
                    *_spin(turn),
                ),
            )


def _spin(turn: Turn | None) -> tuple[tuple[float, float], float]:
    return ((0.0, 0.0), 0.0) if turn is None else (turn.through, math.radians(turn.degrees_per_frame))


def _material_record(material: Material, names: list[str]) -> tuple:
    return (
        MATERIAL_KINDS[material.kind],
        PATTERNS[material.pattern],
        names.index(material.rib_material) if material.rib_material else -1,
        material.colour,
        material.second_colour,
        material.roughness,
        material.ior,
        material.scale,
        material.depth,
    )


def _light_record(light: Light, groups: tuple[str, ...]) -> tuple:
    return (
        LIGHT_KINDS[light.kind],
        groups.index(light.label or REST),
        light.paper,
        light.radiance,
        light.centre,
        light.radius,
        tuple(np.asarray(light.direction) / np.linalg.norm(light.direction)),
        math.cos(math.radians(light.angle)),
        light.horizon,
        light.glow,
    )


def _turned(shape: Shape, turn: Turn | None, elapsed: int) -> Shape:
    if turn is None:
        return shape
    rotation, pivot = _rotation(turn, elapsed)
    centre = rotation @ (np.array(shape.centre) - pivot) + pivot
    return shape.replace(centre=tuple(centre), axis=tuple(rotation @ np.array(shape.axis)))


def _turned_light(light: Light, turns: dict[str, Turn | None], elapsed: int) -> Light:
    turn = turns.get(light.group) if light.group else None
    if turn is None:
        return light
    rotation, pivot = _rotation(turn, elapsed)
    return light.replace(centre=tuple(rotation @ (np.array(light.centre) - pivot) + pivot))


def _rotation(turn: Turn, elapsed: int) -> tuple[Table, Table]:
    angle = math.radians(turn.degrees_per_frame * elapsed)
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]]), np.array([*turn.through, 0.0])


@lru_cache(maxsize=4096)
def _frame(axis: tuple[float, float, float]) -> Table:
    """Right-handed frame whose third row is the axis; not to be written to."""
    z = np.asarray(axis, np.float64) / np.linalg.norm(axis)
    helper = np.array([1.0, 0, 0]) if abs(z[0]) < 0.9 else np.array([0, 1.0, 0])
    x = np.cross(helper, z)
    x /= np.linalg.norm(x)
    return np.stack([x, np.cross(z, x), z])


def _bounds(shape: np.void) -> Table:
    """World box around a shape: its local half extents carried through the absolute frame."""
    a, b, c = shape["size"]
    half = {
        SPHERE: (a, a, a),
        CYLINDER: (a, a, b),
        BAND: (a, a, b),
        RING: (a + b, a + b, b),
        BOX: (a, b, c),
        DISC: (a, a, 0),
        DOME: (a, a, a),
    }[int(shape["kind"])]
    reach = np.abs(shape["frame"].T) @ np.array(half) + 1e-6
    return np.concatenate([shape["centre"] - reach, shape["centre"] + reach])
