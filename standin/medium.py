"""A layer of fog: homogeneous below a height, compiled.

Sources: Beer-Lambert law; Henyey & Greenstein, "Diffuse Radiation in the Galaxy", 1941, for the phase function.
"""

import math

from prism.compiled import compiled
from standin.vectors import basis, to_world


@compiled
def within(medium, origin, direction, near, far):
    """The stretch of a ray that lies in the fog: (from, to), empty if from >= to."""
    if medium.density <= 0.0:
        return far, near
    rise = direction[2]
    if abs(rise) < 1e-12:
        return (near, far) if origin[2] <= medium.top else (far, near)
    crossing = (medium.top - origin[2]) / rise
    if rise > 0.0:
        return near, min(far, crossing)
    return max(near, crossing), far


@compiled
def transmittance(medium, origin, direction, near, far):
    """Share of light that passes along a ray between two distances."""
    begin, end = within(medium, origin, direction, near, far)
    return math.exp(-medium.density * (end - begin)) if begin < end else 1.0


@compiled
def phase(medium, cosine):
    """Density over solid angle of scattering by an angle; cosine 1 goes straight on."""
    g = medium.forward
    spread = 1.0 + g * g - 2.0 * g * cosine
    return (1.0 - g * g) / (4.0 * math.pi * spread * math.sqrt(spread))


@compiled
def phase_direction(medium, direction, u, v):
    """A direction drawn with just that density."""
    g = medium.forward
    if abs(g) < 1e-3:
        cosine = 1.0 - 2.0 * u
    else:
        share = (1.0 - g * g) / (1.0 - g + 2.0 * g * u)
        cosine = (1.0 + g * g - share * share) / (2.0 * g)
    sine = math.sqrt(max(0.0, 1.0 - cosine * cosine))
    x, y = basis(direction)
    angle = 2.0 * math.pi * v
    return to_world((sine * math.cos(angle), sine * math.sin(angle), cosine), x, y, direction)


@compiled
def free_way(medium, origin, direction, near, far, chance):
    """How far a ray comes before fog scatters it, by a chance of 0..1; `far` where nothing does."""
    begin, end = within(medium, origin, direction, near, far)
    if begin >= end:
        return far
    free = begin - math.log(1.0 - chance) / medium.density
    return free if free < end else far
