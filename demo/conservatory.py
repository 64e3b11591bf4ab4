"""The Orrery Conservatory: a brass orrery with glass planets under a ribbed glass dome at dusk, built as a scene.

Lengths in metres, z up. The arms turn over 48 frames, the inner planets faster than the outer ones.
"""

import math
from dataclasses import dataclass

from standin.scene import Camera, Group, Light, Material, Medium, Mist, Scene, Shape, Turn

FIRST, LAST = 1001, 1048
HUB_HEIGHT = 1.55


@dataclass(frozen=True)
class Planet:
    name: str
    material: str
    reach: float  # length of its arm
    radius: float
    bearing: float  # degrees at the first frame
    height: float  # of its arm on the column
    turn: float  # degrees per frame
    lift: float  # of the planet above its arm


PLANETS = (
    Planet("ember", "glass_ember", 0.62, 0.13, 205, 1.42, 3.6, 0.22),
    Planet("verdigris", "glass_green", 1.02, 0.19, 318, 1.26, 2.4, 0.30),
    Planet("azure", "glass_blue", 1.48, 0.26, 238, 1.10, 1.5, 0.40),
    Planet("pearl", "pearl", 1.92, 0.17, 20, 0.94, 1.1, 0.52),
    Planet("amber", "glass_amber", 2.25, 0.30, 150, 0.78, 0.75, 0.70),
)
LANTERNS = ((-3.1, 1.4, 2.55), (-1.7, 3.0, 2.95), (0.4, 3.5, 2.6), (2.3, 2.6, 2.9), (3.2, 0.7, 2.45), (-3.0, -1.4, 2.7))


def build_scene() -> Scene:
    shapes = [*_room(), *_orrery(), *_plants(), *_grove()]
    lights = [
        Light(
            name="sun", label="lanterns", kind="sphere", radiance=(51, 34, 17), centre=(0, 0, HUB_HEIGHT), radius=0.17
        ),
        Light(
            name="dusk",
            label="dusk_sky",
            kind="sky",
            radiance=(0.05, 0.13, 0.36),
            horizon=(0.42, 0.22, 0.30),
            glow=(5.2, 1.7, 0.42),
            direction=(-0.35, 1, -0.02),
        ),
        Light(
            name="moon",
            label="moon_rim",
            kind="distant",
            radiance=(37, 49, 69),
            direction=(0.9, 0.62, 0.72),
            angle=7,
        ),
    ]
    for number, centre in enumerate(LANTERNS, start=1):
        lights.append(
            Light(
                name=f"lantern_{number}",
                label="lanterns",
                kind="sphere",
                radiance=(24.0, 12.2, 4.5),
                centre=centre,
                radius=0.2,
                paper=True,
            )
        )
    return Scene(
        name="The Orrery Conservatory",
        first=FIRST,
        last=LAST,
        size=(960, 540),
        materials=_materials(),
        groups=_groups(),
        shapes=shapes,
        lights=lights,
        cameras=[
            Camera(name="wide", position=(0.55, -5.0, 1.75), target=(-0.05, 0.3, 1.32), fov=58),
            Camera(name="close", position=(-0.9, -2.75, 1.9), target=(-0.15, 0, 1.32), fov=46),
            Camera(name="desk_view", position=(6.5, -7.5, 5.0), target=(0, 0, 1.0), fov=50, working=True),
        ],
        mist=Mist(near=3, far=10),
        medium=Medium(density=0.022, top=1.0, colour=(0.92, 0.95, 1.0), forward=0.55),
    )


def _materials() -> dict[str, Material]:
    return {
        "tiles": Material(
            kind="gloss",
            colour=(0.66, 0.57, 0.46),
            second_colour=(0.12, 0.24, 0.27),
            roughness=0.12,
            pattern="tiles",
            scale=0.62,
        ),
        "stone": Material(kind="matte", colour=(0.42, 0.39, 0.35)),
        "brass": Material(kind="metal", colour=(0.88, 0.62, 0.26), roughness=0.28),
        "old_brass": Material(kind="metal", colour=(0.62, 0.42, 0.2), roughness=0.42),
        "iron": Material(kind="gloss", colour=(0.055, 0.075, 0.07), roughness=0.4),
        "dome": Material(
            kind="pane", colour=(0.93, 0.965, 0.955), ior=1.45, pattern="ribs", scale=0.035, rib_material="iron"
        ),
        "glass_ember": Material(kind="glass", colour=(0.98, 0.42, 0.3), ior=1.5),
        "glass_green": Material(kind="glass", colour=(0.5, 0.92, 0.68), ior=1.5),
        "glass_blue": Material(kind="glass", colour=(0.48, 0.72, 0.98), ior=1.5),
        "glass_amber": Material(kind="glass", colour=(0.98, 0.74, 0.32), ior=1.5),
        "pearl": Material(
            kind="wax",
            depth=0.03,
            colour=(0.74, 0.66, 0.6),
            second_colour=(0.42, 0.2, 0.16),
            roughness=0.15,
            pattern="bands",
            scale=0.11,
        ),
        "walnut": Material(kind="gloss", colour=(0.2, 0.085, 0.04), roughness=0.25),
        "leaf": Material(kind="gloss", colour=(0.06, 0.17, 0.055), roughness=0.45),
        "bark": Material(kind="matte", colour=(0.10, 0.13, 0.14)),
        "pot": Material(kind="matte", colour=(0.42, 0.17, 0.1)),
    }


def _groups() -> list[Group]:
    arms = [Group(name=f"arm_{p.name}", turn=Turn(through=(0, 0), degrees_per_frame=p.turn)) for p in PLANETS]
    return [Group(name="room"), Group(name="stand"), Group(name="plants"), Group(name="grove"), *arms]


def _room() -> list[Shape]:
    shapes = [
        Shape(name="floor", group="room", material="tiles", kind="disc", centre=(0, 0, 0), size=(60, 0, 0)),
        Shape(name="dome", group="room", material="dome", kind="dome", centre=(0, 0, 0.4), size=(6.2, 0, 0)),
        Shape(name="kerb", group="room", material="stone", kind="band", centre=(0, 0, 0.25), size=(6.15, 0.25, 0)),
        Shape(
            name="plinth", group="room", material="stone", kind="cylinder", centre=(0, 0, 0.09), size=(1.25, 0.09, 0)
        ),
        Shape(
            name="plinth_edge",
            group="room",
            material="old_brass",
            kind="ring",
            centre=(0, 0, 0.18),
            size=(1.25, 0.03, 0),
        ),
    ]
    for number, (x, y, z) in enumerate(LANTERNS, start=1):
        shapes.append(_rod(f"lantern_cord_{number}", "room", "iron", (x, y, z + 0.2), (x, y, z + 2.2), 0.008))
        for end, offset in (("cap", 0.2), ("foot", -0.2)):
            shapes.append(
                Shape(
                    name=f"lantern_{end}_{number}",
                    group="room",
                    material="iron",
                    kind="cylinder",
                    centre=(x, y, z + offset),
                    size=(0.07, 0.02, 0),
                )
            )
    return shapes


def _orrery() -> list[Shape]:
    shapes = [
        Shape(
            name="base", group="stand", material="walnut", kind="cylinder", centre=(0, 0, 0.26), size=(0.62, 0.08, 0)
        ),
        Shape(
            name="base_ring", group="stand", material="brass", kind="ring", centre=(0, 0, 0.34), size=(0.6, 0.035, 0)
        ),
        Shape(name="foot", group="stand", material="brass", kind="cylinder", centre=(0, 0, 0.42), size=(0.24, 0.08, 0)),
        _rod("column", "stand", "brass", (0, 0, 0.3), (0, 0, HUB_HEIGHT - 0.2), 0.05),
        Shape(
            name="cup",
            group="stand",
            material="brass",
            kind="ring",
            centre=(0, 0, HUB_HEIGHT - 0.15),
            size=(0.09, 0.025, 0),
        ),
        Shape(
            name="zodiac", group="stand", material="old_brass", kind="ring", centre=(0, 0, 0.62), size=(2.5, 0.028, 0)
        ),
    ]
    for number, tilt in enumerate((90, 23, -38)):
        axis = (math.sin(math.radians(tilt)) * 0.4, math.sin(math.radians(tilt)), math.cos(math.radians(tilt)))
        shapes.append(
            Shape(
                name=f"armillary_{number}",
                group="stand",
                material="brass",
                kind="ring",
                centre=(0, 0, HUB_HEIGHT),
                axis=axis,
                size=(0.36 + 0.035 * number, 0.013, 0),
            )
        )
    for number in range(3):
        angle = math.radians(90 + 120 * number)
        post = (2.5 * math.cos(angle), 2.5 * math.sin(angle))
        shapes.append(_rod(f"zodiac_post_{number}", "stand", "old_brass", (*post, 0), (*post, 0.62), 0.03))
    for planet in PLANETS:
        shapes.extend(_arm(planet))
    return shapes


def _arm(planet: Planet) -> list[Shape]:
    group = f"arm_{planet.name}"
    angle = math.radians(planet.bearing)
    x, y = planet.reach * math.cos(angle), planet.reach * math.sin(angle)
    back = -0.28
    top = planet.height + planet.lift
    shapes = [
        Shape(
            name=f"{planet.name}_collar",
            group=group,
            material="brass",
            kind="cylinder",
            centre=(0, 0, planet.height),
            size=(0.085, 0.045, 0),
        ),
        _rod(
            f"{planet.name}_arm",
            group,
            "brass",
            (back * math.cos(angle), back * math.sin(angle), planet.height),
            (x, y, planet.height),
            0.018,
        ),
        Shape(
            name=f"{planet.name}_weight",
            group=group,
            material="old_brass",
            kind="sphere",
            centre=(back * math.cos(angle), back * math.sin(angle), planet.height),
            size=(0.055, 0, 0),
        ),
        _rod(f"{planet.name}_stem", group, "brass", (x, y, planet.height), (x, y, top - planet.radius), 0.013),
        Shape(
            name=planet.name,
            group=group,
            material=planet.material,
            kind="sphere",
            centre=(x, y, top),
            size=(planet.radius, 0, 0),
        ),
        Shape(
            name=f"{planet.name}_seat",
            group=group,
            material="brass",
            kind="ring",
            centre=(x, y, top - planet.radius * 0.9),
            size=(planet.radius * 0.42, 0.014, 0),
        ),
    ]
    return shapes + _ornaments(planet, group, (x, y, top))


def _ornaments(planet: Planet, group: str, centre: tuple[float, float, float]) -> list[Shape]:
    """A halo about the amber planet, and two moons of the azure one."""
    x, y, top = centre
    if planet.name == "amber":
        halo = {"centre": centre, "axis": (0.3, 0.12, 1), "size": (0.46, 0.016, 0)}
        return [Shape(name="amber_halo", group=group, material="brass", kind="ring", **halo)]
    shapes: list[Shape] = []
    for number, (bearing, reach) in enumerate(((40, 0.4), (190, 0.46)) if planet.name == "azure" else ()):
        angle = math.radians(bearing)
        moon = (x + reach * math.cos(angle), y + reach * math.sin(angle), top + 0.05)
        sphere = {"kind": "sphere", "centre": moon, "size": (0.06, 0, 0)}
        shapes.append(Shape(name=f"azure_moon_{number}", group=group, material="pearl", **sphere))
        shapes.append(_rod(f"azure_wire_{number}", group, "brass", (x, y, top - planet.radius), moon, 0.006))
    return shapes


def _plants() -> list[Shape]:
    shapes = []
    for number in range(9):
        angle = math.radians(18 + 36 * number)
        x, y = 4.9 * math.cos(angle), 4.9 * math.sin(angle)
        if y < -2.5:
            continue  # keeps the way to the camera clear
        shapes.append(
            Shape(
                name=f"pot_{number}",
                group="plants",
                material="pot",
                kind="cylinder",
                centre=(x, y, 0.26),
                size=(0.3, 0.26, 0),
            )
        )
        height = 1.0 + 0.35 * math.sin(5 * number)
        for ball, (dx, dy, dz, radius) in enumerate(
            ((0, 0, 0, 0.46), (0.26, 0.1, -0.28, 0.3), (-0.22, -0.16, -0.2, 0.32), (0.05, 0.1, 0.4, 0.26))
        ):
            shapes.append(
                Shape(
                    name=f"bush_{number}_{ball}",
                    group="plants",
                    material="leaf",
                    kind="sphere",
                    centre=(x + dx, y + dy, height + dz),
                    size=(radius, 0, 0),
                )
            )
    return shapes


def _grove() -> list[Shape]:
    """Cypresses around the conservatory, and low hills behind them: the mist on the ground ends there, not at a
    line."""
    shapes = []
    for number in range(56):
        angle = math.tau * number / 56 + math.radians(2.6 * math.sin(7 * number))
        away = 21 + 6 * math.sin(3.7 * number)
        height = max(1.6, 3.0 + 1.6 * math.sin(2.3 * number) + 0.8 * math.sin(5.1 * number))
        girth = (0.55 + 0.12 * math.sin(1.7 * number)) * (0.7 + height / 8)
        shapes.extend(_cypress(f"tree_{number}", away * math.cos(angle), away * math.sin(angle), height, girth))
    for number in range(72):
        angle = math.tau * number / 72
        away = 35 + 3 * math.sin(2.1 * number)
        centre = (away * math.cos(angle), away * math.sin(angle), -2.5 + 0.6 * math.sin(0.7 * number))
        size = (4.8 + 0.3 * math.sin(1.3 * number), 0, 0)
        shapes.append(
            Shape(name=f"hill_{number}", group="grove", material="bark", kind="sphere", centre=centre, size=size)
        )
    return shapes


def _cypress(name: str, x: float, y: float, height: float, girth: float) -> list[Shape]:
    """Balls that swell and dwindle upwards, close enough to make one outline."""
    shapes: list[Shape] = []
    z = 0.35
    while z < height:
        share = z / height
        radius = girth * min(1.0, 0.55 + 1.4 * share) * (1 - share**1.6) ** 0.8
        if radius < 0.09:
            break
        shapes.append(
            Shape(
                name=f"{name}_{len(shapes)}",
                group="grove",
                material="bark",
                kind="sphere",
                centre=(x, y, z),
                size=(radius, 0, 0),
            )
        )
        z += max(0.1, 0.55 * radius)
    return shapes


def _rod(name: str, group: str, material: str, start, end, radius: float) -> Shape:
    """A cylinder between two points."""
    axis = tuple(b - a for a, b in zip(start, end, strict=True))
    centre = tuple((a + b) / 2 for a, b in zip(start, end, strict=True))
    return Shape(
        name=name,
        group=group,
        material=material,
        kind="cylinder",
        centre=centre,
        axis=axis,
        size=(radius, math.hypot(*axis) / 2, 0),
    )
