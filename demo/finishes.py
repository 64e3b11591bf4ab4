"""The demo's finish: from the rebuilt dusk to a picture worth hanging."""

from __future__ import annotations

from demo.conservatory import PLANETS
from prism.finish.kinds.film import FilmStep
from prism.finish.kinds.flare import FlareStep
from prism.finish.kinds.fringe import FringeStep
from prism.finish.kinds.glow import GlowStep
from prism.finish.kinds.grade import GradeStep
from prism.finish.kinds.grain import GrainStep
from prism.finish.kinds.rays import RaysStep
from prism.finish.kinds.sharpen import SharpenStep
from prism.finish.kinds.vibrance import VibranceStep
from prism.finish.kinds.vignette import VignetteStep
from prism.ledger.document import Ledger
from prism.mattes.document import MadeMatte
from prism.mattes.parts import NamesPart

BRASS = ("armillary_*", "zodiac", "base*", "foot", "cup", "plinth*", *(f"{planet.name}*" for planet in PLANETS))


def finished(ledger: Ledger, element: str) -> Ledger:
    """The ledger with a chain for its wide camera. Mattes are of that element."""
    names = f"{element}/crypto_object00"
    sun = MadeMatte(id="sun", parts=(NamesPart(source=names, patterns=("sun",)),), comment="What the flare follows.")
    brass = MadeMatte(
        id="orrery, soft",
        parts=(NamesPart(source=names, patterns=BRASS, grow=11, blur=52),),
        comment="Where the rays are let through.",
    )
    steps = (
        RaysStep(
            id="rays", name="rays from the dome", threshold=0.3, most=0.3, length=480, falloff=1.6, way="away",
            x=0, y=-356, brightness=2.4, tint=(1, 0.8, 0.62), matte="orrery, soft",
            comment="From the openings, on the orrery alone.",
        ),
        FlareStep(
            id="flare", name="the sun's flare", follow="sun", hidden_by="planets", size=430, core=0.5, streak=0.3,
            ghosts=0.025, ring=0.02, light_size=48, tint=(1, 0.82, 0.6), comment="Goes as a planet passes before it.",
        ),
        GlowStep(id="glow", threshold=0.9, size=86, tint=(1, 0.9, 0.74), amount=0.75),
        GradeStep(id="grade", offset=(0.0, 0.001, 0.004), saturation=1.06),
        VignetteStep(id="vignette", field_of_view=58, amount=0.8),
        FringeStep(id="fringe", red=0.8, blue=-0.8),
        FilmStep(id="film", look="evening", amount=0.5),
        VibranceStep(id="vibrance", vibrance=0.3),
        SharpenStep(id="sharpen", amount=0.55, radius=1.0),
        GrainStep(id="grain", amount=0.016, size=1.6),
    )  # fmt: skip
    return ledger.replace(mattes=(*ledger.mattes, sun, brass), finish=steps)
