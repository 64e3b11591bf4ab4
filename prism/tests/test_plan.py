"""The plan: expansion by hand-made tables, documents, estimates against real files, folders compared with it."""

import io
import json
import unittest
from contextlib import redirect_stdout

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.conservatory import build_scene
from prism.__main__ import main
from prism.colour.spaces import CHROMATICITIES
from prism.elements.identify import identify
from prism.errors import BadArgument, BadDocument
from prism.naming.patterns import parse_pattern
from prism.passes.catalogue import CATALOGUE
from prism.plan.audit import FoundFile, audit
from prism.plan.checks import check
from prism.plan.estimate import Measured, seconds_per_frame, total_bytes, total_seconds
from prism.plan.expansion import expand
from prism.plan.packing import Packing, Storage
from prism.plan.plan import Cryptomatte, Layer, LightGroups, Plan, Quality, ShotSettings
from prism.plan.sizes import SIZES
from prism.scenes.facts import SceneFacts
from prism.scenes.mist import Mist, mist_at
from prism.tests.frames import FolderCase, run
from prism.tests.plans import FACTS, plan_of
from standin.accumulation import COMPONENTS
from standin.facts import facts_of
from standin.render import Quality as RenderQuality
from standin.render import render_frame
from standin.sideview import side_view
from standin.write import write_frame


class Expansion(unittest.TestCase):
    def names(self, plan, frame=1):
        return [planned.path(frame).rpartition("/")[2] for planned in expand(plan, FACTS)]

    def test_by_packing(self):
        passes = ("beauty", "emission", "depth")
        table = {
            "one-file": ["S1_all_wide_passes_v001.0001.exr"],
            "each-pass": [f"S1_all_wide_{key}_v001.0001.exr" for key in passes],
            "colour-and-data": [f"S1_all_wide_{key}_v001.0001.exr" for key in ("colour", "data")],
        }
        for rule, expected in table.items():
            with self.subTest(rule):
                self.assertEqual(self.names(plan_of(passes=passes, packing=Packing(rule=rule))), expected)

    def test_every_layer_and_camera_gets_its_own(self):
        layers = (Layer(name="hero"), Layer(name="set", passes=("beauty",)))
        plan = plan_of(layers=layers, cameras=("wide", "close"), number=12)
        folders = [planned.path(1).rpartition("/")[0] for planned in expand(plan, FACTS)]
        self.assertEqual(folders, ["S1/hero/wide", "S1/hero/close", "S1/set/wide", "S1/set/close"])
        self.assertIn("_v012.", expand(plan, FACTS)[0].path(1))
        self.assertEqual(list(expand(plan, FACTS)[2].channels), ["R", "G", "B", "A"])

    def test_light_groups_chosen(self):
        table = {
            ("all", ()): ["light_key", "light_rim", "light_rest"],
            ("all-but", ("rim",)): ["light_key", "light_rest"],
            ("only", ("rim",)): ["light_rim"],
        }
        for (mode, labels), expected in table.items():
            plan = plan_of(passes=("light_group",), light_groups=LightGroups(mode=mode, labels=labels))
            self.assertEqual([planned.key for planned in expand(plan, FACTS)[0].passes], expected)

    def test_components_of_light_groups(self):
        """Only those that can carry the light of their group, each found again by its name."""
        files = expand(plan_of(passes=("group_components",), light_labels={"spare": "key"}), FACTS)[0]
        keys = [planned.key for planned in files.passes]
        self.assertIn("emission_light_key", keys)
        self.assertNotIn("emission_light_rim", keys)
        self.assertEqual([identify(key).key for key in keys], keys)
        self.assertEqual({identify(key).kind.key for key in keys}, {"group_components"})

    def test_passes_by_layer_and_camera(self):
        layers = (Layer(name="hero", for_camera={"close": ("beauty",)}), Layer(name="set", passes=("depth",)))
        plan = plan_of(layers=layers, cameras=("wide", "close"), passes=("beauty", "emission"))
        found = [(image.where, image.passes) for image in plan.variants()]
        expected = [
            ("layer hero, camera wide", ("beauty", "emission")),
            ("layer hero, camera close", ("beauty",)),
            ("layer set", ("depth",)),
        ]
        self.assertEqual(found, expected)
        self.assertEqual([len(planned.passes) for planned in expand(plan, FACTS)], [2, 1, 1, 1])

    def test_what_lies_beside_and_apart(self):
        """Denoised files beside the noisy ones, deep in a file of its own, stray beauty with data only if asked for."""
        plan = plan_of(passes=("beauty", "depth", "deep"), quality=Quality(denoise=True))
        table = [
            (Packing(), ["passes", "deep", "passes_denoised"]),
            (Packing(rule="each-pass"), ["beauty", "depth", "deep", "beauty_denoised"]),
            (Packing(rule="colour-and-data"), ["colour", "data", "deep", "colour_denoised"]),
        ]
        for packing, titles in table:
            files = expand(plan.replace(packing=packing), FACTS)
            self.assertEqual([planned.values["pass"] for planned in files], titles)
        self.assertEqual(list(files[2].channels), ["R", "G", "B", "A", "Z", "ZBack"])
        self.assertEqual(list(files[1].channels), ["Z"])
        stray = expand(plan.replace(packing=Packing(rule="colour-and-data", beauty_in_data=True)), FACTS)[1]
        self.assertEqual(stray.channels, {"R": "half", "G": "half", "B": "half", "A": "half", "Z": "float"})

    def test_formats_types_and_levels(self):
        png = Storage(format="png", pixel="uint16")
        plan = plan_of(passes=("beauty", "occlusion"), packing=Packing(rule="each-pass", colour=png))
        files = expand(plan, FACTS)
        self.assertTrue(all(planned.example.endswith(".0001.png") for planned in files))
        self.assertEqual([planned.channels for planned in files], [dict.fromkeys("RGBA", "uint16"), {"Y": "uint16"}])
        ranks = {
            levels: expand(plan_of(passes=("crypto_object",), cryptomatte=Cryptomatte(levels=levels)), FACTS)[0]
            for levels in (1, 6)
        }
        self.assertEqual([len(rank.channels) for rank in ranks.values()], [4, 12])  # Cryptomatte: two levels in R G B A
        self.assertIn("crypto_object02.A", ranks[6].channels)
        self.assertGreater(ranks[6].bytes_each, ranks[1].bytes_each)
        smaller = expand(plan.replace(packing=Packing(colour=Storage(compression="dwaa"))), FACTS)
        self.assertLess(total_bytes(smaller), total_bytes(expand(plan.replace(packing=Packing()), FACTS)) / 2)

    def test_no_more_than_can_be_looked_at(self):
        """Refused by counting, before anything is expanded."""
        cameras = tuple(f"c{n}" for n in range(10))
        with self.assertRaisesRegex(BadDocument, "2200 layers through cameras"):
            layers = [{"name": f"l{n}"} for n in range(200)]
            Plan.from_json(plan_of().as_json() | {"layers": layers, "cameras": (*cameras, "eleventh")})
        layers = tuple(Layer(name=f"l{n}") for n in range(100))
        passes = tuple(kind.key for kind in CATALOGUE)
        with self.assertRaisesRegex(BadArgument, "more than 20,000 outputs"):
            expand(plan_of(layers=layers, cameras=cameras, passes=passes, packing=Packing(rule="each-pass")), FACTS)

    def test_frames_and_sizes(self):
        """0-100 is 101 frames; 10 % overscan of HD is 2304 x 1296 (OpenEXR's windows), after the scale."""
        shot = plan_of().shot
        self.assertEqual(len(shot.replace(frames="0-100").written_frames), 101)
        self.assertEqual(shot.replace(frames="0-100x25").written_frames, (0, 25, 50, 75, 100))
        self.assertEqual(shot.replace(frames="5,9,8", handles=2).written_frames, (3, 4, 5, 8, 9, 10, 11))
        self.assertEqual(shot.replace(warm_up=9).written_frames, tuple(range(1, 11)))
        hd = shot.replace(width=1920, height=1080, overscan=10)
        self.assertEqual(hd.written_size, (2304, 1296))
        self.assertEqual(hd.replace(scale=2, overscan=0).written_size, (960, 540))

    def test_sizes_have_the_aspect_they_stand_under(self):
        for aspect, sizes in SIZES.items():
            wide, high = map(float, aspect.split(":"))
            for size in sizes:
                self.assertAlmostEqual(size.width / size.height, wide / high, delta=0.005)

    def test_channels_alone_and_together(self):
        together = expand(plan_of(passes=("beauty", "emission", "normals", "depth")), FACTS)[0].channels
        self.assertEqual(together["emission.G"], "half")
        self.assertEqual((together["A"], together["Z"], together["N.X"]), ("half", "float", "float"))
        alone = expand(plan_of(passes=("emission", "normals"), packing=Packing(rule="each-pass")), FACTS)
        self.assertEqual([list(field.channels) for field in alone], [["R", "G", "B"], ["N.X", "N.Y", "N.Z"]])
        single = expand(plan_of(passes=("emission",)), FACTS)[0]  # one file for all, which happen to be one
        self.assertEqual(list(single.channels), ["emission.R", "emission.G", "emission.B"])

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.sampled_from([kind.key for kind in CATALOGUE]), min_size=1, unique=True),
        st.lists(st.from_regex(r"[a-z][a-z0-9_]{0,6}", fullmatch=True), min_size=1, max_size=4, unique=True),
        st.sampled_from(["one-file", "each-pass", "colour-and-data", "parts"]),
        st.booleans(),
    )
    def test_no_two_names_are_equal_and_all_parse_back(self, passes, layers, rule, denoise):
        plan = plan_of(
            passes=tuple(passes),
            layers=tuple(Layer(name=name) for name in layers),
            cameras=("wide", "close"),
            packing=Packing(rule=rule),
            quality=Quality(denoise=denoise),
        )
        files = expand(plan, FACTS)
        paths = [planned.path(7) for planned in files]
        self.assertEqual(len(set(paths)), len(paths))
        known = {field: [str(planned.values[field]) for planned in files] for field in ("layer", "camera", "pass")}
        for planned, path in zip(files, paths, strict=True):
            parsed = parse_pattern(plan.names).parse(path, known)
            self.assertEqual(parsed, {key: planned.values[key] for key in parsed if key != "frame"} | {"frame": 7})


class Documents(unittest.TestCase):
    def test_json_and_back(self):
        plan = plan_of(layers=(Layer(name="a", visibility={"hero": "holdout"}, for_camera={"wide": ("beauty",)}),))
        self.assertEqual(Plan.from_json(json.loads(json.dumps(plan.as_json()))), plan)

    def test_bad_plans_name_the_field(self):
        good = plan_of().as_json()
        cases = [
            ({"passes": ["beauty", "glow"]}, "passes: unknown pass glow"),
            ({"names": "{shot}/{what}.exr"}, "names: Unknown field {what}"),
            ({"shot": good["shot"] | {"frames": "1-x"}}, "shot.frames: “1-x” is not a frame"),
            ({"shot": good["shot"] | {"frames": "1-100001"}}, "names 100001 frames; 100000 is the most"),
            ({"shot": good["shot"] | {"frames": "99999999"}}, "go up to 9999999"),
            ({"shot": good["shot"] | {"scale": 3}}, "shot.scale"),
            ({"layers": []}, "layers"),
            ({"layers": [{"name": "a"}, {"name": "a"}]}, "two layers are called a"),
            ({"layers": [{"name": "a", "for_camera": {"wide": ["glow"]}}]}, "unknown pass glow"),
            ({"cameras": ["a b"]}, "cameras.0"),
            ({"quality": {"samples": 0}}, "quality.samples"),
            ({"packing": {"colour": {"format": "png"}}}, "packing.colour: PNG has no half pixels"),
            ({"light_labels": {"lamp": "a b"}}, "light_labels.lamp"),
        ]
        for change, text in cases:
            with self.subTest(text), self.assertRaisesRegex(BadDocument, text):
                Plan.from_json(good | change)

    def test_plans_of_version_1_are_read(self):
        """It had a first and last frame, and one compression for all."""
        new = plan_of(
            packing=Packing(colour=Storage(compression="piz"), data=Storage(pixel="float", compression="piz"))
        )
        old = {
            key: value for key, value in new.as_json().items() if key not in ("deep", "mist", "overlay", "light_labels")
        }
        shot = {key: old["shot"][key] for key in ("production", "code", "width", "height")} | {"first": 1, "last": 10}
        old |= {"version": 1, "shot": shot, "packing": {"rule": "one-file", "compression": "piz"}}
        self.assertEqual(Plan.from_json(old), new)

    def test_working_spaces_are_those_the_views_know(self):
        from prism.colour.spaces import SPACES

        schema = Plan.model_json_schema()["$defs"]["ShotSettings"]["properties"]["space"]
        self.assertEqual(schema["enum"], list(SPACES))

    def test_what_a_plan_leaves_out_stays_what_it_was(self):
        """A plan by hand need not name them, so they are part of its version."""
        plan = Plan(shot=ShotSettings(production="P", code="S", frames="1", width=8, height=8)).as_json()
        quality = {
            "samples": 16, "sampling": "uniform", "noise_threshold": 0.02, "time_limit": 0, "denoise": False,
            "light_samples": 1, "material_samples": 1, "indirect_limit": 0, "prepared_every": 0,
        }  # fmt: skip
        overlay = {"width": 1, "colour": [1, 1, 1], "hidden_lines": False, "divisions": 24}
        self.assertEqual((plan["quality"], plan["overlay"]), (quality, overlay))
        self.assertEqual(plan["deep"], {"most_samples": 32, "merge_distance": 0.01})
        self.assertEqual((plan["cryptomatte"], plan["light_groups"]), ({"levels": 6}, {"mode": "all", "labels": []}))


class MistSettings(unittest.TestCase):
    def test_the_ramp_is_a_power(self):
        """Common practice; worked arithmetic for near 5, far 30. A named falloff of old is the power that equals it."""
        depths = np.array([2, 5, 11.25, 17.5, 30, 1e10, np.inf], np.float32)
        table = {
            1: ("linear", (0, 0, 0.25, 0.5, 1, 1, 1)),
            2: ("quadratic", (0, 0, 0.0625, 0.25, 1, 1, 1)),
            0.5: ("inverse-quadratic", (0, 0, 0.5, 0.7071068, 1, 1, 1)),
        }
        for power, (falloff, expected) in table.items():
            mist = Mist(near=5, far=30, power=power)
            np.testing.assert_allclose(mist_at(depths, mist), expected, atol=1e-6)
            self.assertEqual(Mist.model_validate({"start": 5, "depth": 25, "falloff": falloff}), mist)
        for wrong in ({"near": 5, "far": 5}, {"start": 5, "depth": -1}, {"start": 5, "depth": "deep"}):
            with self.subTest(**wrong), self.assertRaises(ValueError):
                Mist.model_validate(wrong)

    def test_the_same_as_the_rendered_pass(self):
        scene = build_scene()
        image = render_frame(scene, 1001, size=(48, 27), quality=RenderQuality(samples=1))
        np.testing.assert_allclose(mist_at(image.plane("Z"), scene.mist), image.plane("mist.V"), atol=1e-5)

    def test_side_view_holds_what_the_camera_sees(self):
        """What stands in the picture and nothing behind or beside it, by group; the angle is that of the picture's
        edge."""
        scene = build_scene()
        view = side_view(scene, 1001, "wide", aspect=16 / 9)
        outlines = {outline.name: outline for outline in view.outlines}
        self.assertLess({"floor", "amber", "sun"}, set(outlines))
        self.assertEqual((outlines["amber"].group, outlines["sun"].group), ("arm_amber", "lights"))
        away = [shape.name for shape in scene.shapes if shape.group == "grove" and shape.centre[1] < -10]
        beside = [shape.name for shape in scene.shapes if shape.group == "grove" and -10 < shape.centre[1] < 5]
        self.assertGreater(min(len(away), len(beside)), 20)
        self.assertFalse(set(outlines) & {*away, *beside})
        self.assertAlmostEqual(np.tan(np.radians(view.half_angle)), np.tan(np.radians(29)) * 9 / 16, places=6)
        sun = np.array(outlines["sun"].points)
        camera, target, centre = (np.array(point) for point in ((0.55, -5.0, 1.75), (-0.05, 0.3, 1.32), (0, 0, 1.55)))
        forward = (target - camera) / np.linalg.norm(target - camera)
        depth = (centre - camera) @ forward
        np.testing.assert_allclose([sun[:, 0].min(), sun[:, 0].max()], [depth - 0.17, depth + 0.17], atol=2e-3)


class Estimates(FolderCase):
    def test_time_grows_with_pixels_and_squared_samples(self):
        plan = plan_of(cameras=("wide", "close"))  # 100 x 50, 4 x 4 samples, 10 frames
        measured = [Measured.parse("8@200x100x4")]
        self.assertEqual(seconds_per_frame(plan, measured), 8 / 4 * 4)
        self.assertEqual(total_seconds(plan, measured), 8 * 2 * 10)
        warmed = plan.replace(shot=plan.shot.replace(warm_up=5))
        self.assertEqual(total_seconds(warmed, measured), 8 * 2 * 15)
        limited = plan.replace(quality=plan.quality.replace(time_limit=3))
        self.assertEqual(seconds_per_frame(limited, measured), 3)
        slower = [*measured, Measured.parse("24@200x100x4")]
        self.assertEqual(seconds_per_frame(plan, slower), 2 * 8)  # the mean of both
        for text in ("8", "8@1x1", "0@10x10x4", "a@1x1x1"):
            with self.subTest(text), self.assertRaises(BadArgument):
                Measured.parse(text)

    def test_the_command_line_says_it_in_gigabytes_and_hours(self):
        plan = plan_of(cameras=("wide", "close"))
        path = self.folder / "p.json"
        path.write_text(json.dumps(plan.as_json()))
        size = total_bytes(expand(plan, SceneFacts.unknown(plan.cameras)))
        measured = f"{8 * 3600}@200x100x4"
        said = run("plan", "estimate", path, "--measured", measured).stdout
        self.assertEqual(said.strip(), f"{size / 10**9:.2f} GB, 160.00 hours (28800.0 s a frame, from {measured})")

    def test_sizes_that_are_offered_have_the_aspect_they_stand_under(self):
        """Just so for whole numbers; those of film are rounded, by DCI too."""
        for aspect, sizes in SIZES.items():
            across, down = map(float, aspect.split(":"))
            for size in sizes:
                off = abs(size.width * down / (size.height * across) - 1)
                self.assertLessEqual(off, 0.002 if "." in aspect else 0, size.title)

    def test_planned_rendered_and_found_to_be_as_planned(self):
        """What the stand-in writes is what the plan lists, and a quarter off its estimated size at most."""
        scene = build_scene()
        facts = facts_of(scene)
        shot = ShotSettings(production="ORR", code="orr", frames="1001", width=240, height=136)
        passes = (
            "beauty",
            *COMPONENTS,
            "light_group",
            "surface_colour",
            "raw_light",
            "depth",
            "mist",
            "occlusion",
            "normals",
        )
        for rule, names in (
            ("one-file", "{shot}_v{version:03}.{frame:04}.exr"),
            ("each-pass", "{shot}_{pass}_v{version:03}.{frame:04}.{suffix}"),
        ):
            plan = Plan(shot=shot, cameras=("wide",), passes=passes, names=names, packing=Packing(rule=rule))
            self.assertEqual(check(plan, facts), [])
            folder = self.folder / rule
            image = render_frame(scene, 1001, size=(240, 136), quality=RenderQuality(samples=16))
            written = write_frame(image, folder, "orr", 1001, pattern=parse_pattern(names))
            size = sum(path.stat().st_size for path in written)
            self.assertLess(abs(size / total_bytes(expand(plan, facts)) - 1), 0.25, rule)
            path = self.folder / f"{rule}.json"
            path.write_text(json.dumps(plan.as_json()))
            scene_path = self.folder / "scene.json"
            scene_path.write_text(json.dumps(scene.as_json()))
            self.assertEqual(
                self.quietly(["plan", "audit", str(path), "--scene", str(scene_path), "--folder", str(folder)]), 0
            )

    @staticmethod
    def quietly(arguments):
        with redirect_stdout(io.StringIO()):
            return main(arguments)

    def test_deviations(self):
        plan = plan_of(passes=("beauty",), names="{shot}.{frame:04}.exr")

        def file(**changes):
            channels = changes.pop("channels", dict.fromkeys("RGBA", "half"))
            sound = {"display": (100, 50), "data": (0, 0, 100, 50), "chromaticities": CHROMATICITIES["lin_rec709"]}
            return FoundFile(channels=channels, **sound | changes)

        found = {f"S1.{frame:04}.exr": file() for frame in range(1, 11)}
        self.assertEqual(audit(expand(plan, FACTS), found), [])
        del found["S1.0004.exr"], found["S1.0005.exr"]
        found["S1.0001.exr"] = file(display=(50, 25))
        found["S1.0002.exr"] = file(channels={"R": "half", "G": "float", "B": "half", "Q": "half"})
        found["S1.0003.exr"] = FoundFile(fault="cut short")
        found["stray.exr"] = file()
        found = {
            (deviation.code, deviation.frames_text, deviation.what) for deviation in audit(expand(plan, FACTS), found)
        }
        expected = {
            ("missing", "4-5", "Not there."),
            ("window", "1", "The picture is 50 x 25 pixels instead of 100 x 50."),
            ("channels", "2", "Without A."),
            ("channels", "2", "With Q, which is not planned."),
            ("type", "2", "G is float instead of half."),
            ("unreadable", "3", "cut short"),
            ("extra", "", "This file is not in the plan."),
        }
        self.assertEqual(found, expected)
