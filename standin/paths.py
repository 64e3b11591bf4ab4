"""Light carried along camera paths, compiled, and added to its passes as it is found."""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from prism.compiled import compiled
from standin.accumulation import (
    BACKGROUND,
    CAMERA,
    DIFFUSE,
    EMISSION,
    SPECULAR,
    SUBSURFACE,
    TRANSMISSION,
    VOLUME,
    add_light,
    component_of,
    limited,
)
from standin.gathering import gather, gather_in_fog, hit_weight
from standin.medium import free_way, phase, phase_direction
from standin.prepared import Prepared, gather_prepared
from standin.rays import FAR, NUDGE, first_seen, material_at, nearest
from standin.sampling import pair
from standin.shading import (
    COAT_REFLECTANCE,
    cosine_direction,
    dielectric,
    fresnel,
    ggx,
    ggx_direction,
    schlick,
    sky_radiance,
    sphere_radiance,
    surface_colour,
)
from standin.stage import GLASS, HOLDOUT, LAMP, LIGHT_DISTANT, LIGHT_SKY, MATTE, METAL, PANE, WAX, Stage
from standin.survey import pane_reflectance
from standin.tree import Walk
from standin.vectors import add, along, basis, dot, largest, mul, scale, vec

MOST_EVENTS = 32  # surfaces met along one path, panes and glass walls included
GOES_ON, AT_SKY, AT_LAMP, AT_NOTHING = range(4)  # where a path ends, if it does
DULL = 0.3  # least GGX alpha of what is seen in rough surfaces


class Settings(NamedTuple):
    """What the compiled loops need besides the stage."""

    samples: int  # per pixel, at most
    groups: int  # light groups
    light_samples: int  # shadow rays to each group at every surface
    material_samples: int  # paths followed from what a camera ray meets first
    noise_threshold: float  # 0: all samples in every pixel
    most_bounces: int
    sure_bounces: int  # before paths may end by chance
    indirect_limit: float  # largest radiance one indirect contribution may carry; infinite for no limit
    mist_near: float
    mist_far: float
    mist_power: float
    sky_seen: int  # 0: sky and far lights are not seen by the camera itself
    surveyed: int  # 0: nothing but light is wanted
    identified: int  # 0: no identities are wanted
    placed: int  # 0: neither positions, sheets nor motion are wanted
    occlusion_distance: float  # 0: not wanted
    wire_divisions: int  # 0: not wanted
    wire_width: float  # pixels
    wire_hidden: int  # 1: lines behind surfaces too
    deep_samples: int  # kept in a pixel; 0: not wanted
    deep_distance: float  # below which two of them merge
    seed: int


class Tracer(NamedTuple):
    """What paths are traced with, and where the light they find is added."""

    stage: Stage
    settings: Settings
    prepared: Prepared
    account: NDArray[np.float64]
    data: NDArray[np.float64]
    walk: Walk  # scratch


class Ray(NamedTuple):
    """Where a path goes on to."""

    origin: tuple[float, float, float]
    direction: tuple[float, float, float]  # of length 1
    near: float  # what lies nearer is not met


class Path(NamedTuple):
    """How a path came to where it is, seen from the camera."""

    throughput: tuple[float, float, float]
    lobe: int  # by which light is scattered first
    scattered: int  # how often
    rough: int  # how often not by mirrors or glass; after the first, glass bends light no more, as for shadows
    density: float  # of the last scattering; 0 after a mirror or at the camera
    known: bool  # whether what comes from other surfaces was read from prepared light already


class Draw(NamedTuple):
    """Which random numbers belong to a place on a path."""

    seed: int
    sample: int
    event: int


@compiled
def drawn(draw, purpose):
    """Two numbers in 0..1, for one of four purposes at every event of a path."""
    return pair(draw.seed, draw.sample, purpose + draw.event * 4)


@compiled
def meet_sky(tracer, ray, path):
    """Add what a ray that leaves the scene sees: sky, and distant lights it happens to point at."""
    stage, settings = tracer.stage, tracer.settings
    if path.lobe == CAMERA and settings.sky_seen == 0:
        return
    component = BACKGROUND if path.lobe == CAMERA else component_of(path.lobe, path.scattered)
    for source in range(stage.lights.size):
        kind = stage.lights[source].kind
        if kind == LIGHT_SKY:
            value = mul(path.throughput, sky_radiance(stage, source, ray.direction))
        elif (
            kind == LIGHT_DISTANT
            and dot(ray.direction, vec(stage.lights[source].direction)) > stage.lights[source].cosine
        ):
            value = scale(
                mul(path.throughput, vec(stage.lights[source].radiance)),
                hit_weight(stage, settings, source, ray.origin, path.density, path.rough),
            )
        else:
            continue
        value = limited(value, path.scattered - 1, settings.indirect_limit)
        add_light(tracer.account, settings.groups, component, stage.lights[source].group, value)


@compiled
def surface_of(stage, material, shape, point, n, view, rough):
    """(diffuse reflectance, specular at the normal, GGX alpha, chance of sampling specular) of an opaque surface.

    rough: how often light was scattered roughly between here and the camera. What is seen only so is given a duller
    shine, which hardly changes the picture but keeps mirrored lamps from making stray bright dots.
    Source: Kaplanyan & Dachsbacher, "Path Space Regularization for Holistic and Robust Light Transport", 2013.
    """
    colour = surface_colour(stage, material, shape, point)
    kind = stage.materials[material].kind
    alpha = stage.materials[material].roughness ** 2
    if rough > 0:
        alpha = max(alpha, DULL)
    none = (0.0, 0.0, 0.0)
    if kind == METAL:
        return none, colour, alpha, 1.0
    if kind == MATTE:
        return colour, none, 1.0, 0.0
    coat = schlick(COAT_REFLECTANCE, max(0.0, dot(n, view)))
    base = scale(colour, 1.0 - coat)
    chance = min(0.85, max(0.2, coat / (coat + largest(base) + 1e-9)))
    return base, (COAT_REFLECTANCE, COAT_REFLECTANCE, COAT_REFLECTANCE), alpha, chance


@compiled
def refract(direction, n, cosine, ratio):
    """Where a unit direction goes on; cosine: at the surface; ratio: index here / index beyond (Snell's law)."""
    beyond = math.sqrt(max(0.0, 1.0 - ratio * ratio * (1.0 - cosine * cosine)))
    return add(scale(direction, ratio), scale(n, ratio * cosine - beyond))


@compiled
def below_surface(stage, shape, point, n, depth, seed, sample, walk):
    """Where light that went in at `point` comes out again: (point, normal), a little way off on the same object.

    The distance falls off exponentially with `depth` as its mean; where the surface bends away too far, light comes out
    where it went in. Source: Christensen & Burley, "Approximate Reflectance Profiles", 2015, simplified to one term.
    """
    u, v = pair(seed, sample, 7)
    reach = -depth * math.log(1.0 - u)
    angle = 2.0 * math.pi * v
    x, y = basis(n)
    aside = add(scale(x, reach * math.cos(angle)), scale(y, reach * math.sin(angle)))
    above = add(add(point, aside), scale(n, reach))
    t, normal, found = nearest(stage, above, scale(n, -1.0), 0.0, 2.0 * reach, walk)
    if found != shape:
        return point, n
    return along(above, scale(n, -1.0), t), normal


@compiled
def follow(stage, settings, prepared, account, data, walk, origin, direction, hit, behind, share, seed, sample):
    """Follow one camera path to its end and add all light it finds, times `share`. hit: what it meets first; behind:
    what it meets after that, if it is a pane, or hit again if that is not known."""
    tracer = Tracer(stage, settings, prepared, account, data, walk)
    path = Path((share, share, share), CAMERA, 0, 0, 0.0, False)
    carry(tracer, Ray(origin, direction, 0.0), hit, behind, path, share, seed, sample)


@compiled
def carry(tracer, ray, hit, behind, path, share, seed, sample):
    """Follow a path from some place on, and add all light it finds.

    hit: (distance, normal, shape) that it meets first; behind: next, if that is a pane it goes through. share: its
    throughput at the camera.
    """
    stage = tracer.stage
    for event in range(MOST_EVENTS):
        t, n, shape = hit
        if event == 1 and path.lobe == CAMERA and behind[0] > hit[0]:
            t, n, shape = behind
        elif event > 0:
            at_camera = path.lobe == CAMERA
            t, n, shape = first_seen(stage, ray.origin, ray.direction, ray.near, FAR, at_camera, tracer.walk)
        draw = Draw(seed, sample, event)
        free = t
        if stage.medium.density > 0.0:
            chance, _ = drawn(draw, 13)
            free = free_way(stage.medium, ray.origin, ray.direction, ray.near, t, chance)
        if free < t:
            goes_on, ray, path = meet_fog(tracer, ray, free, path, draw)
        else:
            goes_on, ray, path = meet_shape(tracer, ray, t, n, shape, path, share, draw)
        if not goes_on:
            return


@compiled
def meet_fog(tracer, ray, free, path, draw):
    """Add the light that fog receives where a path is scattered in it, and sends back. Returns whether the path goes
    on, and how."""
    stage, settings = tracer.stage, tracer.settings
    if path.known or (path.lobe == CAMERA and stage.medium.seen == 0):
        return False, ray, path
    lobe = VOLUME if path.lobe == CAMERA else path.lobe
    point = along(ray.origin, ray.direction, free)
    back = scale(ray.direction, -1.0)
    throughput = mul(path.throughput, vec(stage.medium.colour))
    gather_in_fog(
        stage, settings, tracer.account, tracer.walk, point, back, throughput, component_of(lobe, path.scattered + 1),
        path.scattered, path.rough, draw.seed, draw.sample,
    )  # fmt: skip
    u, v = drawn(draw, 11)
    onward = phase_direction(stage.medium, ray.direction, u, v)
    density = phase(stage.medium, -dot(onward, back))
    path = Path(throughput, lobe, path.scattered + 1, path.rough + 1, density, False)
    return path.scattered <= settings.most_bounces, Ray(point, onward, 0.0), path


@compiled
def meet_shape(tracer, ray, t, n, shape, path, share, draw):
    """Add what a path finds where it meets a shape, or the sky. Returns whether it goes on, and how."""
    stage = tracer.stage
    point = along(ray.origin, ray.direction, t)
    held_out = shape >= 0 and path.lobe == CAMERA and stage.shapes[shape].look == HOLDOUT
    end, material = what_ends(stage, shape, point, held_out)
    if end == AT_SKY:
        meet_sky(tracer, ray, path)
    elif end == AT_LAMP:
        meet_lamp(tracer, ray, shape, n, path)
    if end != GOES_ON:
        return False, ray, path
    outside = dot(n, ray.direction) < 0.0
    if not outside:
        n = scale(n, -1.0)
    choice, _ = drawn(draw, 10)
    kind = stage.materials[material].kind
    if kind == PANE or (kind == GLASS and path.rough > 0):
        reflectance = pane_reflectance(-dot(n, ray.direction), stage.materials[material].ior)
        if path.rough > 0 or choice >= reflectance:
            throughput = mul(path.throughput, vec(stage.materials[material].colour))
            path = Path(throughput, path.lobe, path.scattered, path.rough, path.density, path.known)
            return True, Ray(ray.origin, ray.direction, t + NUDGE), path
        if held_out:
            # What a pane mirrors belongs to the layer that shows it; what lies behind is seen here all the same.
            return False, ray, path
        ray, path = mirrored(ray, point, n, path)
    elif kind == GLASS:
        ray, path = meet_glass(stage, material, ray, point, n, outside, path, choice)
    elif path.known:
        return False, ray, path
    else:
        goes_on, ray, path = meet_surface(tracer, ray, shape, material, point, n, path, draw, choice)
        if not goes_on:
            return False, ray, path
    return survives(tracer.settings, ray, path, share, draw)


@compiled
def survives(settings, ray, path, share, draw):
    """Whether a path that was scattered goes on, by chance and brighter for it (Russian roulette: Arvo & Kirk,
    "Particle Transport and Image Synthesis", SIGGRAPH 1990)."""
    alive = chance_to_go_on(settings, path.throughput, share, path.scattered)
    if alive >= 1.0:
        return True, ray, path
    survive, _ = drawn(draw, 12)
    if survive >= alive:
        return False, ray, path
    throughput = scale(path.throughput, 1.0 / alive)
    return True, ray, Path(throughput, path.lobe, path.scattered, path.rough, path.density, path.known)


@compiled
def meet_lamp(tracer, ray, shape, n, path):
    """Add the light of a lamp at which a path ends."""
    stage, settings = tracer.stage, tracer.settings
    source = stage.shapes[shape].light
    if source < 0:
        return
    component = EMISSION if path.lobe == CAMERA else component_of(path.lobe, path.scattered)
    value = mul(path.throughput, sphere_radiance(stage, source, n, scale(ray.direction, -1.0)))
    value = scale(value, hit_weight(stage, settings, source, ray.origin, path.density, path.rough))
    value = limited(value, path.scattered - 1, settings.indirect_limit)
    add_light(tracer.account, settings.groups, component, stage.lights[source].group, value)


@compiled
def mirrored(ray, point, n, path):
    """A path after a mirror at a point, whose normal n looks to the side it comes from."""
    direction = add(ray.direction, scale(n, -2.0 * dot(n, ray.direction)))
    lobe = SPECULAR if path.lobe == CAMERA else path.lobe
    return Ray(point, direction, NUDGE), Path(path.throughput, lobe, path.scattered + 1, path.rough, 0.0, path.known)


@compiled
def meet_glass(stage, material, ray, point, n, outside, path, choice):
    """A path mirrored by glass, or bent into it or out of it."""
    ior = stage.materials[material].ior
    ratio = 1.0 / ior if outside else ior
    cosine = -dot(n, ray.direction)
    if choice < dielectric(cosine, ratio):
        return mirrored(ray, point, n, path)
    throughput = mul(path.throughput, vec(stage.materials[material].colour))
    lobe = TRANSMISSION if path.lobe == CAMERA else path.lobe
    path = Path(throughput, lobe, path.scattered + 1, path.rough, 0.0, path.known)
    return Ray(point, refract(ray.direction, n, cosine, ratio), NUDGE), path


@compiled
def gather_at(tracer, start, n, view, surface, throughput, rows, path, draw):
    """Add the light that reaches a surface straight from lights; see `gather`."""
    gather(
        tracer.stage, tracer.settings, tracer.account, tracer.data, tracer.walk, start, n, view, surface, throughput,
        rows, path.scattered, path.rough, draw.seed, draw.sample,
    )  # fmt: skip


@compiled
def meet_surface(tracer, ray, shape, material, point, n, path, draw, choice):
    """Add the light that a surface receives, and choose where the path goes on; n looks to the side that is met.

    Returns whether it goes on, and how.
    """
    stage = tracer.stage
    view = scale(ray.direction, -1.0)
    surface = surface_of(stage, material, shape, point, n, view, path.rough)
    diffuse, specular, alpha, specular_chance = surface
    waxen = stage.materials[material].kind == WAX
    start = along(point, n, NUDGE)
    deeper = component_of(path.lobe, path.scattered + 1)
    rows = (deeper, deeper) if path.scattered > 0 else (DIFFUSE, SPECULAR)
    at_surface = ((0.0, 0.0, 0.0), specular, alpha, specular_chance) if waxen else surface
    gather_at(tracer, start, n, view, at_surface, path.throughput, rows, path, draw)
    if choice < specular_chance:
        goes_on, ray, path = reflected(ray, start, n, specular, alpha, specular_chance, path, draw)
        return goes_on, ray, path
    ready = False
    throughput = mul(path.throughput, diffuse)
    if tracer.prepared.on == 1 and path.lobe == CAMERA and not waxen and largest(diffuse) > 0.0:
        blend, _ = pair(draw.seed, draw.sample, 9)
        ready = gather_prepared(tracer.settings, tracer.prepared, tracer.account, start, n, throughput, blend)
    throughput = scale(throughput, 1.0 / (1.0 - specular_chance))
    if waxen:
        start, n, lobe = leave_wax(tracer, shape, material, point, n, throughput, path, draw)
        likely = 1.0
    else:
        lobe = DIFFUSE if path.lobe == CAMERA else path.lobe
        likely = 1.0 - specular_chance
    u, v = drawn(draw, 11)
    outgoing = cosine_direction(n, u, v)
    density = likely * max(1e-9, dot(n, outgoing)) / math.pi
    return True, Ray(start, outgoing, NUDGE), Path(throughput, lobe, path.scattered + 1, path.rough + 1, density, ready)


@compiled
def reflected(ray, start, n, specular, alpha, chance, path, draw):
    """A path that goes on along a mirrored direction off a rough surface; not where that points into it. chance: that
    it does."""
    view = scale(ray.direction, -1.0)
    u, v = drawn(draw, 11)
    outgoing = ggx_direction(n, view, alpha, u, v)
    factor, facet_density = ggx(n, view, outgoing, alpha)
    if factor <= 0.0:
        return False, ray, path
    density = facet_density * chance
    throughput = scale(mul(path.throughput, fresnel(specular, view, outgoing)), factor / density)
    lobe = SPECULAR if path.lobe == CAMERA else path.lobe
    path = Path(throughput, lobe, path.scattered + 1, path.rough + 1, density, False)
    return True, Ray(start, outgoing, NUDGE), path


@compiled
def leave_wax(tracer, shape, material, point, n, throughput, path, draw):
    """Where light that went into wax comes out again: (start, normal, lobe); and add what reaches that place."""
    lobe = SUBSURFACE if path.lobe == CAMERA else path.lobe
    depth = tracer.stage.materials[material].depth
    point, n = below_surface(tracer.stage, shape, point, n, depth, draw.seed, draw.sample, tracer.walk)
    start = along(point, n, NUDGE)
    deeper = component_of(lobe, path.scattered + 1)
    inside = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), 1.0, 0.0)
    gather_at(tracer, start, n, n, inside, throughput, (deeper, deeper), path, draw)
    return start, n, lobe


@compiled
def what_ends(stage, shape, point, held_out):
    """Whether a path ends where it met a shape, and at what; and the material, where it does not."""
    if shape < 0:
        return AT_SKY, -1
    if stage.shapes[shape].material == LAMP:
        return (AT_NOTHING if held_out else AT_LAMP), -1
    material = material_at(stage, shape, point)
    if held_out and stage.materials[material].kind != PANE:
        return AT_NOTHING, -1
    return GOES_ON, material


@compiled
def chance_to_go_on(settings, throughput, share, scattered):
    """0 after the last bounce there may be, 1 while a path goes on for sure; else by what is left of its light."""
    if scattered > settings.most_bounces:
        return 0.0
    return min(0.95, largest(throughput) / share) if scattered > settings.sure_bounces else 1.0
