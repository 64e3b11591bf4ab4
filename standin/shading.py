"""How surfaces scatter light, and how lights shine, compiled.

Reflection: GGX with height-correlated masking, sampled by visible normals.
Sources: Walter et al., "Microfacet Models for Refraction", EGSR 2007; Heitz, "Sampling the GGX Distribution of
Visible Normals", JCGT 7(4), 2018; Schlick, "An Inexpensive BRDF Model", 1994.
"""

import math

from prism.compiled import compiled
from standin.stage import BANDS, LIGHT_DISTANT, LIGHT_SKY, TILES
from standin.vectors import add, along, basis, dot, normalize, scale, sub, to_world, vec

TILE_GROUT = 0.03  # share of a tile's side
COAT_REFLECTANCE = 0.04  # of a clear dielectric with index 1.5 seen head on


@compiled
def schlick(at_normal, cosine):
    """Share of light reflected at an angle from that at the normal (Schlick, Eurographics 1994)."""
    return at_normal + (1.0 - at_normal) * (1.0 - cosine) ** 5


@compiled
def fresnel(at_normal, view, direction):
    """Share reflected for R, G, B, by the angle to the half vector (Schlick's approximation)."""
    half = add(view, direction)
    cosine = min(1.0, max(0.0, dot(view, half) / math.sqrt(dot(half, half))))
    return (schlick(at_normal[0], cosine), schlick(at_normal[1], cosine), schlick(at_normal[2], cosine))


@compiled
def dielectric(cosine, ratio):
    """Fresnel reflectance of a smooth dielectric; ratio = index here / index beyond. 1 on total reflection."""
    sine2 = ratio * ratio * (1.0 - cosine * cosine)
    if sine2 >= 1.0:
        return 1.0
    beyond = math.sqrt(1.0 - sine2)
    parallel = (cosine - ratio * beyond) / (cosine + ratio * beyond)
    across = (ratio * cosine - beyond) / (ratio * cosine + beyond)
    return 0.5 * (parallel * parallel + across * across)


@compiled
def surface_colour(stage, material, shape, point):
    """Reflectance of the surface there, with its pattern."""
    colour = vec(stage.materials[material].colour)
    pattern = stage.materials[material].pattern
    size = stage.materials[material].scale
    if pattern == TILES:
        x = point[0] / size
        y = point[1] / size
        fx = x - math.floor(x)
        fy = y - math.floor(y)
        if min(fx, fy) < TILE_GROUT or max(fx, fy) > 1.0 - TILE_GROUT:
            return scale(colour, 0.35)
        cell = int(math.floor(x)) + int(math.floor(y))
        # a little variation from tile to tile, so that the floor does not look printed
        shade = 0.82 + 0.18 * math.sin(12.9898 * math.floor(x) + 78.233 * math.floor(y))
        return scale(colour if cell % 2 == 0 else vec(stage.materials[material].second), shade)
    if pattern == BANDS:
        height = (point[2] - stage.shapes[shape].centre[2]) / size
        return colour if math.sin(height * 2.0 * math.pi) > -0.2 else vec(stage.materials[material].second)
    return colour


@compiled
def cosine_direction(n, u, v):
    """A direction about n with density cos / pi."""
    radius = math.sqrt(u)
    angle = 2.0 * math.pi * v
    x, y = basis(n)
    return to_world((radius * math.cos(angle), radius * math.sin(angle), math.sqrt(max(0.0, 1.0 - u))), x, y, n)


@compiled
def cone_direction(axis, cosine, u, v):
    """A direction evenly spread in a cone of half angle acos(cosine) about axis."""
    z = 1.0 - u * (1.0 - cosine)
    radius = math.sqrt(max(0.0, 1.0 - z * z))
    angle = 2.0 * math.pi * v
    x, y = basis(axis)
    return to_world((radius * math.cos(angle), radius * math.sin(angle), z), x, y, axis)


@compiled
def ggx_lambda(cosine, alpha2):
    """Smith's Lambda of the GGX distribution; alpha2: its squared width (Walter et al., EGSR 2007)."""
    return 0.5 * (math.sqrt(1.0 + alpha2 * (1.0 / (cosine * cosine) - 1.0)) - 1.0)


@compiled
def ggx(n, view, light, alpha):
    """(reflection factor without Fresnel, times the cosine at the light; density of sampling `light`)."""
    cos_v = dot(n, view)
    cos_l = dot(n, light)
    if cos_v <= 1e-6 or cos_l <= 1e-6:
        return 0.0, 0.0
    half = normalize(add(view, light))
    cos_h = dot(n, half)
    alpha2 = alpha * alpha
    spread = cos_h * cos_h * (alpha2 - 1.0) + 1.0
    facets = alpha2 / (math.pi * spread * spread)
    lambda_v = ggx_lambda(cos_v, alpha2)
    lambda_l = ggx_lambda(cos_l, alpha2)
    value = facets / (4.0 * cos_v * (1.0 + lambda_v + lambda_l))
    density = facets / (4.0 * cos_v * (1.0 + lambda_v))
    return value, density


@compiled
def ggx_direction(n, view, alpha, u, v):
    """A mirrored direction off a facet normal that the viewer can see; may point below the surface."""
    x, y = basis(n)
    local = (dot(view, x) * alpha, dot(view, y) * alpha, dot(view, n))
    local = normalize(local)
    flat = local[0] * local[0] + local[1] * local[1]
    if flat > 1e-12:
        t1 = scale((-local[1], local[0], 0.0), 1.0 / math.sqrt(flat))
    else:
        t1 = (1.0, 0.0, 0.0)
    t2 = (local[1] * t1[2] - local[2] * t1[1], local[2] * t1[0] - local[0] * t1[2], local[0] * t1[1] - local[1] * t1[0])
    radius = math.sqrt(u)
    angle = 2.0 * math.pi * v
    a = radius * math.cos(angle)
    b = radius * math.sin(angle)
    s = 0.5 * (1.0 + local[2])
    b = (1.0 - s) * math.sqrt(max(0.0, 1.0 - a * a)) + s * b
    c = math.sqrt(max(0.0, 1.0 - a * a - b * b))
    facet = add(add(scale(t1, a), scale(t2, b)), scale(local, c))
    facet = normalize((facet[0] * alpha, facet[1] * alpha, max(1e-9, facet[2])))
    half = to_world(facet, x, y, n)
    return sub(scale(half, 2.0 * dot(view, half)), view)


@compiled
def sphere_radiance(stage, light, normal, towards):
    """Light leaving a sphere light at a point with that outward normal, in direction `towards`."""
    radiance = vec(stage.lights[light].radiance)
    if stage.lights[light].paper == 0:
        return radiance
    facing = max(0.0, dot(normal, towards))
    ribs = 0.84 + 0.16 * math.cos(normal[2] * 26.0)
    return scale(radiance, (0.35 + 0.65 * facing) * ribs)


@compiled
def sky_radiance(stage, light, direction):
    """From the horizon up to the zenith, with a glow about one direction; below the horizon the ground haze."""
    up = max(0.0, direction[2])
    blend = math.sqrt(up)
    zenith = vec(stage.lights[light].radiance)
    horizon = vec(stage.lights[light].horizon)
    near = max(0.0, dot(direction, vec(stage.lights[light].direction)))
    glow = near**6 * (1.0 - blend) ** 2
    sky = add(add(scale(horizon, 1.0 - blend), scale(zenith, blend)), scale(vec(stage.lights[light].glow), glow))
    if direction[2] < 0.0:
        sky = scale(sky, math.exp(6.0 * direction[2]))
    return sky


@compiled
def aim_cosine(stage, light, point):
    """Cosine of the half angle under which a light of finite size is seen from `point`; 2 if it cannot be aimed at."""
    kind = stage.lights[light].kind
    if kind == LIGHT_SKY:
        return 2.0
    if kind == LIGHT_DISTANT:
        return stage.lights[light].cosine
    to = sub(vec(stage.lights[light].centre), point)
    share = stage.lights[light].radius ** 2 / dot(to, to)
    return math.sqrt(1.0 - share) if share < 1.0 else 2.0


@compiled
def aim_density(cosine):
    """Density over solid angle of aiming evenly into a cone; 0 if the light cannot be aimed at."""
    if cosine > 1.0:
        return 0.0
    return 1.0 / (2.0 * math.pi * max(1.0 - cosine, 1e-12))


@compiled
def aim(stage, light, point, cosine, u, v):
    """A direction to the light, the distance to it and its radiance that way."""
    if stage.lights[light].kind == LIGHT_DISTANT:
        direction = cone_direction(vec(stage.lights[light].direction), cosine, u, v)
        return direction, 1e9, vec(stage.lights[light].radiance)
    to = sub(vec(stage.lights[light].centre), point)
    direction = cone_direction(normalize(to), cosine, u, v)
    b = dot(to, direction)
    radius = stage.lights[light].radius
    distance = b - math.sqrt(max(0.0, b * b - dot(to, to) + radius * radius))
    normal = scale(sub(along(point, direction, distance), vec(stage.lights[light].centre)), 1.0 / radius)
    return direction, distance, sphere_radiance(stage, light, normal, scale(direction, -1.0))
