"""The account of light: to which passes every bit of it is added, compiled.

Every bit of light that reaches the camera is added with the same number to the beauty, to the one component it came
by, to the one light group it came from, and (if wanted) to that component of that group. So components, groups and
parts all sum to the beauty, exactly up to float rounding, whatever the number of samples.

A component is named by what light did first on its way back from the camera: it left a light there (emission), was
scattered at a surface (diffuse or specular; direct if it came straight from a light, indirect if from another surface),
below it (subsurface) or in a medium (volume), or went through (transmission). Light that met nothing is background.
"""

from prism.compiled import compiled
from standin.vectors import largest, scale

COMPONENTS = (
    "diffuse_direct",
    "diffuse_indirect",
    "specular_direct",
    "specular_indirect",
    "transmission",
    "subsurface",
    "emission",
    "volume",
    "background",
)
DIFFUSE, _, SPECULAR, _, TRANSMISSION, SUBSURFACE, EMISSION, VOLUME, BACKGROUND = range(len(COMPONENTS))
CAMERA = -1  # the lobe of a path that has not met anything yet
BEAUTY = len(COMPONENTS)  # row of the account; light groups follow it, then components by group
FIRST_GROUP = BEAUTY + 1


def rows_of(groups: int, parts: bool) -> int:
    """Rows of an account for that many light groups, with components by group or without."""
    return FIRST_GROUP + groups + (len(COMPONENTS) * groups if parts else 0)


@compiled
def part_row(component: int, group: int, groups: int) -> int:
    """Row of an account for the light of one group in one component."""
    return FIRST_GROUP + groups + component * groups + group


@compiled
def add_light(account, groups, component, group, value):
    """Add one contribution to beauty, component, light group and part alike."""
    part = part_row(component, group, groups)
    for c in range(3):
        account[BEAUTY, c] += value[c]
        account[component, c] += value[c]
        account[FIRST_GROUP + group, c] += value[c]
        if part < account.shape[0]:
            account[part, c] += value[c]


@compiled
def limited(value, scattered, limit):
    """Keeps stray bright dots out of indirect light."""
    peak = largest(value)
    if scattered > 0 and peak > limit:
        return scale(value, limit / peak)
    return value


@compiled
def component_of(lobe, scattered):
    """Where light found after `scattered` bounces belongs: the first is direct, all later are indirect."""
    if lobe == TRANSMISSION or lobe == SUBSURFACE or lobe == VOLUME:
        return lobe
    return lobe if scattered == 1 else lobe + 1
