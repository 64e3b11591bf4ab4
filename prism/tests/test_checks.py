"""The checks of a plan: each with a case that trips it, and one sound plan that trips none."""

import math
import unittest

from demo.conservatory import build_scene
from prism.passes.catalogue import BY_KEY, CATALOGUE, NEEDS
from prism.passes.kinds import DEMANDS, Role
from prism.pixels.file_formats import PLANNED
from prism.plan.checks import check, mended
from prism.plan.checks.light import completeness
from prism.plan.estimate import total_bytes
from prism.plan.expansion import expand
from prism.plan.packing import Packing, Storage
from prism.plan.plan import Layer, LightGroups, Mist, Quality
from prism.plan.showing import for_plan, lacking, parts_of_groups, visible
from prism.scenes.facts import GroupFact, LightFact, SceneFacts, dark_groups
from prism.tests.plans import COMPONENTS, EVERYTHING, FACTS, plan_of
from standin.facts import facts_of
from standin.scene import Camera, Light, Medium
from standin.tests.test_standin import ball, scene_of, white_sky

SHOT = plan_of().shot
ALL = ("beauty", *COMPONENTS)
HELD_BACK = {"window": "holdout", "wheel": "holdout"}
PNG = Storage(format="png", pixel="uint8")
JPEG = Storage(format="jpeg", pixel="uint8", compression="jpeg")
LOSSY = Storage(compression="dwaa")


def stored(**storages):
    return {"packing": Packing(rule="each-pass", **storages)}


class Checks(unittest.TestCase):
    def codes(self, plan, facts=FACTS):
        return [finding.code for finding in check(plan, facts)]

    def test_sound_plans(self):
        """Whatever is beside the mistake of a case below is no mistake."""
        for changes in (
            {},
            {"shot": SHOT.replace(frames="1001-1010", handles=8)},
            {"passes": ("beauty", "light_group")},
            {"passes": ("beauty", "group_components")},
            {"passes": ("beauty", "diffuse", "specular", "transmission", "emission", "background")},
            {"passes": ("beauty", "deep")},
            {"passes": ("beauty", "mist"), "mist": Mist(near=5, far=25)},
            {"quality": Quality(denoise=True)},
            {"passes": ("beauty", "depth"), "packing": Packing(rule="parts", colour=LOSSY)},
            {
                "layers": (
                    Layer(name="a", visibility=HELD_BACK, passes=("beauty",)),
                    Layer(
                        name="b", visibility={"hero": "holdout"}, kept_out=("sky", "lamps"), passes=("beauty", "depth")
                    ),
                )
            },
            {
                "passes": ("beauty", "emission", "background", "light_group"),
                **stored(colour=Storage(format="tiff", pixel="float")),
            },
            {"passes": ("beauty", "depth"), "packing": Packing(rule="colour-and-data", colour=LOSSY)},
        ):  # fmt: skip
            with self.subTest(**changes):
                self.assertEqual(check(plan_of(**changes), FACTS), [])

    def test_each_trips_its_own(self):
        table = [
            ({"cameras": ()}, "camera.none"),
            ({"cameras": ("wide", "lost")}, "camera.unknown"),
            ({"cameras": ("wide", "view")}, "camera.working-view"),
            ({"layers": (Layer(name="a", visibility={"villain": "hidden"}),)}, "layer.unknown-group"),
            ({"layers": (Layer(name="a", visibility=dict.fromkeys(FACTS.groups, "hidden")),)}, "layer.empty"),
            ({"layers": (Layer(name="a", for_camera={"close": ("beauty",)}),)}, "layer.unused-camera"),
            ({"shot": SHOT.replace(frames="0-10")}, "frames.zero"),
            ({"shot": SHOT.replace(frames="-3-10")}, "frames.negative"),
            ({"shot": SHOT.replace(handles=8)}, "frames.negative"),
            ({"shot": SHOT.replace(scale=2)}, "shot.scaled"),
            ({"passes": (*ALL, "mist"), "mist": Mist(near=50, far=51)}, "mist.unseen"),
            ({"passes": (*ALL, "mist"), "mist": Mist(near=0, far=1)}, "mist.unseen"),
            ({"passes": (*ALL, "volume")}, "pass.pointless"),
            ({"passes": (*ALL, "diffuse")}, "pass.doubled"),
            ({"passes": COMPONENTS}, "rebuild.no-beauty"),
            ({"passes": ("beauty", *COMPONENTS[1:])}, "rebuild.incomplete"),
            ({"light_labels": {"lamp": "key"}}, "lights.unknown-light"),
            (
                {"passes": ("beauty", "light_group"), "light_groups": LightGroups(mode="only", labels=("key",))},
                "lights.incomplete",
            ),
            (
                {"passes": ("beauty", "light_group"), "light_groups": LightGroups(mode="all-but", labels=("fill",))},
                "lights.unknown",
            ),
            ({"passes": (*ALL, "deep"), "quality": Quality(sampling="adaptive")}, "deep.sampling"),
            ({"quality": Quality(indirect_limit=4.0)}, "quality.limited"),
            ({"layers": (Layer(name="a"), Layer(name="b", visibility={"hero": "holdout"}))}, "layers.doubled"),
            (
                {"layers": (Layer(name="a", visibility=HELD_BACK), Layer(name="b", visibility={"hero": "holdout"}))},
                "layers.doubled",
            ),
            (
                {
                    "layers": (
                        Layer(name="a", visibility=HELD_BACK),
                        Layer(name="b", visibility={"hero": "holdout", "wheel": "hidden"}),
                    )
                },
                "layers.lost",
            ),
            (
                {
                    "layers": (
                        Layer(name="a", visibility=HELD_BACK),
                        Layer(name="b", visibility={"hero": "shadow-only"}, kept_out=("sky", "lamps")),
                    )
                },
                "layers.over",
            ),
            (
                {
                    "layers": (
                        Layer(name="a", visibility={"window": "hidden", "wheel": "hidden"}),
                        Layer(name="b", visibility={"hero": "hidden"}, kept_out=("sky", "lamps")),
                    )
                },
                "layers.open",
            ),
            (
                {
                    "layers": (
                        Layer(name="a", visibility={"hero": "holdout"}, passes=("beauty", "deep")),
                        Layer(name="b"),
                    )
                },
                "layers.deep",
            ),
            ({"shot": SHOT.replace(width=65536, height=65536, frames="1-1000")}, "size.reason"),
            (
                {
                    "shot": SHOT.replace(frames="1-100000"),
                    "cameras": ("wide", "close"),
                    "layers": (Layer(name="a"), Layer(name="b")),
                },
                "size.tasks",
            ),
            (stored(colour=PNG), "packing.curve"),
            ({"passes": ALL, "packing": Packing(rule="each-pass", beauty_in_data=True)}, "packing.no-stray"),
            ({"packing": Packing(rule="each-pass", beauty_in_data=True)}, "packing.stray"),
            (
                {"cameras": ("wide", "close"), "names": "{shot}_{camera}_v{version}.{frame:04}.exr"},
                "names.shared-folder",
            ),
            ({"packing": Packing(rule="parts", data=Storage(pixel="float", compression="dwaa"))}, "packing.exact"),
            ({"packing": Packing(rule="parts", colour=PNG)}, "packing.one-storage"),
            ({"quality": Quality(prepared_every=8)}, "prepared.moving"),
            (stored(colour=JPEG), "packing.alpha"),
            (stored(colour=PNG), "packing.unclamped"),
            (stored(data=PNG), "packing.float32"),
            (stored(data=Storage(pixel="float", compression="dwab")), "packing.exact"),
            (stored(data=Storage(pixel="float", compression="pxr24")), "packing.exact"),
            ({"passes": (*ALL, "deep"), **stored(deep=Storage(pixel="float", compression="zip"))}, "packing.deep"),
            ({"passes": (*ALL, "deep"), **stored(deep=Storage(pixel="half", compression="zips"))}, "packing.deep"),
            (
                {"passes": (*ALL, "crypto_object"), **stored(data=Storage(format="tiff", pixel="float"))},
                "packing.layers",
            ),
            ({"packing": Packing(colour=PNG, data=PNG)}, "packing.layers"),
            ({"packing": Packing(colour=LOSSY)}, "packing.one-storage"),
            ({"packing": Packing(rule="colour-and-data", beauty_in_data=True)}, "packing.stray"),
            ({"names": "{shot}_{layer}_{camera}_{pass}_v{version}.exr"}, "names.bad"),
            ({"names": "{shot}_v{version}.exr", "shot": SHOT.replace(frames="7")}, "names.bad"),
            ({"names": "{shot}_v{version}.{frame:01}.exr"}, "names.bad"),
            ({"names": "con/{shot}_v{version}.{frame:04}.exr"}, "names.bad"),
            ({"cameras": ("wide", "close"), "names": "{shot}_v{version}.{frame:04}.exr"}, "names.collision"),
            ({"packing": Packing(rule="each-pass"), "names": "{shot}_v{version}.{frame:04}.exr"}, "names.collision"),
            ({"layers": (Layer(name="Hero"), Layer(name="hero"))}, "names.collision"),
            (
                {
                    "passes": ("beauty", "depth"),
                    "names": "{shot}_{pass}_v{version}.{frame:04}.exr",
                    **stored(colour=PNG),
                },
                "names.suffix",
            ),
            ({"names": "{shot}.{frame:04}.exr"}, "names.version"),
            ({"names": "{shot}_{shot}_v{version}.{frame:04}.exr"}, "names.redundant"),
            ({"names": "S1_{shot}_v{version}.{frame:04}.exr"}, "names.redundant"),
        ]
        for changes, code in table:
            with self.subTest(code, **changes):
                self.assertIn(code, self.codes(plan_of(**changes)))

    def test_the_disk_at_both_sides_of_what_is_free(self):
        """All of it is a warning, a byte more an error; up to half of it nothing at all."""
        plan = plan_of()
        size = total_bytes(expand(plan, FACTS))
        half = 2 * size  # free, so that the files take half of it
        for free, codes in ((size - 1, ["size.disk"]), (size, ["size.large"]), (half - 1, ["size.large"]), (half, [])):
            found = check(plan, FACTS, free_bytes=free)
            self.assertEqual([finding.code for finding in found if finding.code.startswith("size.")], codes, free)
        self.assertEqual(check(plan, FACTS, free_bytes=None), check(plan, FACTS))

    def test_one_click_fixes(self):
        """Whatever has a fix is gone once it is applied, and in the end only what a person must decide is left."""
        plan = plan_of(
            shot=SHOT.replace(scale=4, frames="1001-1010", handles=8),
            passes=tuple(kind.key for kind in CATALOGUE),
            names="{shot}_{shot}.{frame:01}.png",
            cameras=("wide", "view"),
            light_labels={"lamp": "key"},
            light_groups=LightGroups(mode="only", labels=("key", "fill")),
            quality=Quality(sampling="adaptive", denoise=True, prepared_every=4),
            mist=Mist(near=50, far=51),
            packing=Packing(colour=JPEG, data=Storage(compression="dwaa"), deep=Storage(), beauty_in_data=True),
        )
        for _ in range(40):
            fixable = [finding for finding in check(plan, FACTS) if finding.repair]
            if not fixable:
                break
            plan = mended(plan, fixable[0])
            self.assertNotIn(fixable[0], check(plan, FACTS))
        self.assertEqual(check(plan, FACTS), [])
        self.assertEqual((plan.shot.scale, plan.cameras), (1, ("wide",)))

    def test_a_layer_s_own_passes_are_fixed_alone(self):
        layers = (
            Layer(name="a", visibility={"window": "hidden"}),
            Layer(name="b", for_camera={"close": ("beauty", "volume")}),
        )
        plan = plan_of(layers=layers, cameras=("wide", "close"))
        found = [finding for finding in check(plan, FACTS) if finding.code == "pass.pointless"]
        self.assertEqual(
            [(deviation.where, deviation.what) for deviation in found],
            [
                ("layer a", "transmission would come out all black."),
                ("layer b, camera close", "volume would come out all black."),
            ],
        )
        for _ in found:
            plan = mended(plan, next(finding for finding in check(plan, FACTS) if finding.code == "pass.pointless"))
        a, b = plan.layers
        self.assertNotIn("transmission", plan.passes_of(a))
        self.assertEqual(plan.passes_of(b, "close"), ("beauty",))
        self.assertIn("transmission", plan.passes_of(b, "wide"))

    def test_errors_come_first(self):
        plan = plan_of(cameras=(), passes=COMPONENTS, shot=SHOT.replace(scale=2))
        self.assertEqual([finding.severity for finding in check(plan, FACTS)], ["error", "warning", "note"])

    def test_a_scene_nothing_is_known_of_is_not_guessed_at(self):
        plan = plan_of(passes=(*ALL, "subsurface", "volume"), light_labels={"lamp": "key"})
        self.assertEqual(check(plan, SceneFacts.unknown(plan.cameras)), [])


class Scenes(unittest.TestCase):
    def test_facts_of_the_demo(self):
        facts = facts_of(build_scene())
        self.assertEqual(facts.labels, ("lanterns", "dusk_sky", "moon_rim"))
        self.assertEqual((tuple(facts.cameras), facts.working_views), (("wide", "close", "desk_view"), {"desk_view"}))
        self.assertEqual(facts.groups["arm_azure"].gives, {"glass", "shiny", "subsurface", "moving"})
        self.assertEqual(facts.groups["plants"].surfaces, 30)
        self.assertEqual(facts.mist, Mist(near=3, far=10))

    def test_reasons_are_said_in_words(self):
        self.assertEqual(lacking(BY_KEY["volume"], {"light"}), "there is no medium such as fog")
        self.assertEqual(lacking(BY_KEY["raw_light"], set()), "there is no matte or gloss material and no light")
        self.assertEqual(lacking(BY_KEY["beauty"], set()), "")
        for kind in CATALOGUE:
            self.assertLessEqual(set(kind.needs), NEEDS.keys())
            self.assertLessEqual(set(kind.all_demands), DEMANDS.keys())

    def test_what_a_layer_shows_decides(self):
        """By layer: hidden groups give nothing, casters close off corners unseen, an override takes the materials
        away."""
        hero = GroupFact(gives=frozenset({"rough"}))
        facts = SceneFacts(
            name="", groups={"hero": hero, "wall": hero}, lights=(LightFact(name="sun", kind="distant"),)
        )
        cases = [
            ({}, None, (), {"rough", "surface", "neighbours", "light", "sky"}),
            ({"wall": "hidden"}, None, (), {"rough", "surface", "light", "sky"}),
            ({"wall": "shadow-only"}, None, ("sky",), {"rough", "surface", "neighbours", "light", "unseen sky"}),
            ({"wall": "hidden"}, "matte-black", (), {"surface", "light", "sky"}),
            ({"wall": "shadow-only", "hero": "hidden"}, "clay", (), {"rough", "light", "sky"}),
        ]
        for visibility, override, kept_out, given in cases:
            layer = Layer(name="a", visibility=visibility, override=override, kept_out=kept_out)
            with self.subTest(layer=layer):
                self.assertEqual(visible(facts, layer, "wide"), given)
        self.assertEqual(BY_KEY["occlusion"].blank, "white")
        kept_out = Layer(name="a", kept_out=("sky",))
        reason = lacking(BY_KEY["background"], visible(facts, kept_out, "wide"))
        self.assertEqual(reason, "a sky or far light is not seen: out of the picture, excluded, or behind fog")
        none = SceneFacts(name="", groups={"hero": hero}, lights=())
        self.assertEqual(
            lacking(BY_KEY["background"], visible(none, Layer(name="a"), "wide")), "there is no sky or far light"
        )

    def test_a_group_shown_twice_stays_where_the_names_say(self):
        hero = GroupFact(gives=frozenset({"rough"}))
        facts = SceneFacts(name="", groups={"planets": hero, "floor": hero}, lights=())
        for names, kept in (
            (("planet_arms", "set"), "planet_arms"),
            (("front", "planets"), "planets"),
            (("a", "b"), ""),
        ):
            plan = plan_of(layers=tuple(Layer(name=name, visibility={"floor": "hidden"}) for name in names))
            found = next(finding for finding in check(plan, facts) if finding.code == "layers.doubled")
            if not kept:
                self.assertEqual(found.repair, {})
                self.assertIn("hide it in all layers but one", found.advice)
                continue
            (changed,) = [layer for layer in found.repair["layers"] if "planets" in layer["visibility"]]
            self.assertEqual(changed["name"], next(name for name in names if name != kept))

    def test_what_a_light_group_can_carry(self):
        """A lamp is seen itself, a sky is seen where there is nothing, a dark light gives nothing."""
        plan = plan_of(light_labels={"spare": "key"})
        found = parts_of_groups(LightGroups(), for_plan(FACTS, plan), next(plan.images()))
        parts = {label: {kind.key for kind in kinds} for label, kinds in found.items()}
        both = {"diffuse_direct", "diffuse_indirect", "specular_direct", "specular_indirect", "transmission"}
        self.assertEqual(parts, {"key": both | {"emission"}, "rim": both | {"background"}})
        dark = SceneFacts(name="", groups={}, lights=(LightFact(name="a", kind="sky", label="key", dark=True),))
        self.assertEqual((dark_groups(dark), dark_groups(FACTS)), (("key",), ()))
        self.assertIn(
            "lights.dark", [finding.code for finding in check(plan_of(passes=("beauty", "light_group")), dark)]
        )

    def test_completeness(self):
        """By components, by light groups, by both; what is missing and what is doubled."""
        table = [
            (ALL, LightGroups(), (("components",), (), ())),
            ((*ALL, "light_group"), LightGroups(), (("components", "light groups"), (), ())),
            (("beauty", "group_components"), LightGroups(), (("components by light group",), COMPONENTS, ())),
            (("beauty", "light_group"), LightGroups(mode="only", labels=("key",)), ((), COMPONENTS, ())),
            (("beauty", "diffuse", "specular"), LightGroups(), ((), ("transmission", "emission", "background"), ())),
            (("beauty", *COMPONENTS, "diffuse"), LightGroups(), (("components",), (), ("diffuse",))),
        ]
        for passes, groups, expected in table:
            plan = plan_of(passes=passes, light_groups=groups)
            found = completeness(plan, next(plan.images()), FACTS)
            with self.subTest(passes=passes):
                self.assertEqual((found.ways, found.missing, found.doubled), expected)


class InFrame(unittest.TestCase):
    """What a pass needs is judged by what each camera sees, not by what the scene has somewhere."""

    def seen(self, scene, camera="front", **shot):
        plan = plan_of(shot=SHOT.replace(**shot), cameras=(camera,))
        return visible(for_plan(facts_of(scene), plan), plan.layers[0], camera)

    def test_a_lamp_out_of_frame_is_no_emission(self):
        def lamp(x):
            return Light(name="lamp", kind="sphere", radiance=(1, 1, 1), centre=(x, 0, 0), radius=0.1)

        # The camera of these scenes stands 5 m off; half its picture is 5 tan(fov / 2) wide.
        edge = 5 * math.tan(math.radians(scene_of([ball()], []).camera().fov) / 2)
        self.assertIn("glow", self.seen(scene_of([ball()], [lamp(edge - 0.2)])))
        self.assertNotIn("glow", self.seen(scene_of([ball()], [lamp(edge + 0.2)])))
        self.assertIn("light", self.seen(scene_of([ball()], [lamp(edge + 0.2)])))
        self.assertIn("glow", self.seen(scene_of([ball()], [lamp(edge + 0.2)]), overscan=20))

    def test_a_sky_behind_fog_is_no_background(self):
        def sky_seen(density, top):
            fog = Medium(density=density, top=top)
            return "sky" in self.seen(scene_of([ball()], [white_sky()]).replace(medium=fog))

        self.assertTrue(sky_seen(0.01, 50))
        self.assertFalse(sky_seen(1.0, 50))
        self.assertTrue(sky_seen(1.0, -1))

    def test_of_two_cameras_the_one_that_sees_nothing_is_named(self):
        away = Camera(name="away", position=(0, -5, 0), target=(0, -9, 0), fov=40)
        scene = scene_of([ball()], [white_sky()])
        scene = scene.replace(cameras=[*scene.cameras, away])
        plan = plan_of(cameras=("front", "away"), passes=("beauty", "diffuse", "background"))
        found = next(finding for finding in check(plan, facts_of(scene)) if finding.code == "pass.pointless-here")
        self.assertIn("diffuse would come out empty through away", found.what)
        self.assertEqual(mended(plan, found).passes_of(mended(plan, found).layers[0], "away"), ("beauty", "background"))


class Storages(unittest.TestCase):
    def test_each_kind_of_pass_goes_where_its_demands_are_met(self):
        """OpenEXR's own documentation: PXR24 rounds float to 24 bits, B44 and DWA lose; deep takes none, RLE, ZIPS."""
        carriers = {
            role: {
                (form, pixel, compression)
                for form, entry in PLANNED.items()
                for pixel in entry.pixels
                for compression in entry.compressions
                if not Storage(format=form, pixel=pixel, compression=compression).unmet(demands)
            }
            for role, demands in {
                "beauty": BY_KEY["beauty"].all_demands,
                "light": BY_KEY["emission"].all_demands,
                "data": BY_KEY["depth"].all_demands,
                "deep": BY_KEY["deep"].all_demands,
            }.items()
        }
        lossless = {("exr", "float", compression) for compression in ("none", "rle", "zips", "zip", "piz")}
        tiff = {("tiff", "float", compression) for compression in ("zip", "none")}
        left_alone = {("exr", "float", compression) for compression in ("b44", "b44a")}  # which pack half only
        self.assertEqual(carriers["data"], lossless | left_alone | tiff)
        self.assertEqual(carriers["deep"], {("exr", "float", compression) for compression in ("none", "rle", "zips")})
        self.assertEqual(carriers["light"], carriers["beauty"])  # alpha is what JPEG lacks, and it clamps as well
        self.assertNotIn("jpeg", {form for form, _, _ in carriers["light"]})
        self.assertEqual(BY_KEY["normals"].role, Role.MEASURE)

    def test_what_does_not_fit_together_is_refused(self):
        for wrong in ({"format": "png", "pixel": "half"}, {"format": "jpeg", "pixel": "uint8"}, {"compression": "lzw"}):
            with self.subTest(**wrong), self.assertRaisesRegex(ValueError, "it has"):
                Storage(**wrong)

    def test_names_follow_the_format(self):
        plan = plan_of(passes=("beauty",), names=EVERYTHING.replace("{suffix}", "exr"), **stored(colour=PNG))
        fix = next(finding for finding in check(plan, FACTS) if finding.code == "names.suffix").repair
        self.assertEqual(fix, {"names": EVERYTHING})
