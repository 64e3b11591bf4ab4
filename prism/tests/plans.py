"""A small scene and a plan with no problems, for tests of planning."""

from prism.plan.plan import Plan, ShotSettings
from prism.scenes.facts import CameraFact, GroupFact, LightFact, SceneFacts

EVERYTHING = "{shot}/{layer}/{camera}/{shot}_{layer}_{camera}_{pass}_v{version:03}.{frame:04}.{suffix}"
COMPONENTS = (
    "diffuse_direct",
    "diffuse_indirect",
    "specular_direct",
    "specular_indirect",
    "transmission",
    "emission",
    "background",
)
"""Those that can carry light on this stage: it has no wax and no fog."""
FACTS = SceneFacts(
    name="stage",
    groups={
        "hero": GroupFact(gives=frozenset({"rough", "shiny"}), surfaces=2),
        "window": GroupFact(gives=frozenset({"shiny", "glass"})),
        "wheel": GroupFact(gives=frozenset({"rough", "moving"})),
    },
    lights=(
        LightFact(name="key_1", kind="sphere", label="key"),
        LightFact(name="dusk", kind="sky", label="rim"),
        LightFact(name="spare", kind="sphere"),
    ),
    cameras={
        "wide": CameraFact(reach=(2.0, 40.0)),
        "close": CameraFact(reach=(1.0, 12.0)),
        "view": CameraFact(working=True),
    },
)


def plan_of(**changes) -> Plan:
    """A plan with no problems."""
    shot = ShotSettings(production="TST", code="S1", frames="1-10", width=100, height=50)
    sound = {"shot": shot, "cameras": ("wide",), "passes": ("beauty", *COMPONENTS, "depth"), "names": EVERYTHING}
    return Plan(**sound | changes)
