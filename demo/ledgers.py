"""The demo's ledger: the rendered lights kept whole, and a grade of dusk over them that reads row by row."""

from __future__ import annotations

from demo.conservatory import FIRST, LAST, PLANETS
from prism.ledger.document import Ledger
from prism.ledger.rows import CardRow, DeepRow, DepthRow, FogRow, GroupRow, OverlayRow, PassRow
from prism.mattes.cryptomatte import name_bits
from prism.mattes.document import MadeMatte
from prism.mattes.parts import Named, NamesPart

FADE = 12  # frames over which the wires come
GRADE = {
    "light_lanterns": {
        "exposure": 0.35,
        "warmth": 35.0,
        "comment": "The lanterns lead the eye; warmer than the sky behind them.",
    },
    "light_dusk_sky": {
        "exposure": -0.5,
        "saturation": 1.15,
        "comment": "Half a stop down, so that the lanterns carry.",
    },
    "light_moon_rim": {"exposure": 0.8, "warmth": -25.0, "comment": "A cooler edge against the warm light."},
}


def graded(element: str, beauty: str) -> Ledger:
    """Lights in a group, contact by occlusion, dusk in the mist, and wires at the end. Sources are of that
    element."""
    marked = "_denoised" if beauty.endswith("_denoised") else ""
    lights = tuple(
        PassRow(id=key, source=f"{element}/{key}{marked}", uses_alpha=False, **trims) for key, trims in GRADE.items()
    )
    rows = (
        GroupRow(
            id="lights", name="lights", rows=lights, comment="Sum to what was rendered; each is dimmed by itself."
        ),
        PassRow(
            id="planet rims",
            source=f"{element}/light_moon_rim{marked}",
            uses_alpha=False,
            in_balance=False,
            amount=1.4,
            warmth=-40.0,
            matte="planets",
            comment="Brings the planets forward, and nothing else.",
        ),
        PassRow(
            id="contact",
            source=f"{element}/occlusion",
            operator="shade",
            amount=0.35,
            in_balance=False,
            uses_alpha=False,
            comment="Sets the orrery onto the floor.",
        ),
        FogRow(
            id="dusk",
            source=f"{element}/mist",
            colour=(0.42, 0.27, 0.24),
            amount=0.3,
            falloff=1.4,
            fills=True,
            comment="Evening haze beyond the dome.",
        ),
        OverlayRow(
            id="wires",
            source=f"{element}/wire",
            tint=(0.55, 0.8, 1.0),
            comment="Ends on the drawing.",
            amount={
                "keys": [
                    {"frame": LAST - FADE, "value": 0.0, "ease": "smooth"},
                    {"frame": LAST, "value": 0.45},
                ]
            },
        ),
    )
    planets = NamesPart(
        source=f"{element}/crypto_object00",
        names=tuple(Named(id=f"{name_bits(planet.name):08x}", name=planet.name) for planet in PLANETS),
    )
    mattes = (MadeMatte(id="planets", parts=(planets,), comment="The globes without their arms."),)
    return Ledger(name="first", beauty=f"{element}/{beauty}", alpha=f"{element}/{beauty}", mattes=mattes, rows=rows)


def with_bird(ledger: Ledger, element: str, bird: str) -> Ledger:
    """A paper bird that flies from behind the nearest planet past the sun, among the samples of the deep pass. Sources
    are of those elements."""
    way = {"depth": (2, 2.87, 4.6), "x": (-56, -140, -244), "y": (9, -47, -116), "scale": (0.8, 0.75, 0.45)}
    frames = (FIRST, FIRST + 24, LAST)
    keyed = {
        name: {"keys": [{"frame": frame, "value": value} for frame, value in zip(frames, values, strict=True)]}
        for name, values in way.items()
    }
    card = CardRow(id="paper bird", source=f"{bird}/beauty", comment="Its depth is keyed: drag it in Deep.", **keyed)
    deep = DeepRow(id="orrery and mist", source=f"{element}/deep", in_balance=False)
    group = DepthRow(
        id="flight", name="the bird's flight", rows=(deep, card), in_balance=False,
        comment="The same picture as samples, with the bird between them.",
    )  # fmt: skip
    return ledger.replace(rows=(*ledger.rows, group))
