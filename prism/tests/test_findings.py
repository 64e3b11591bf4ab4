"""What Intake finds: every finding seen to come where its fault is, and to stay away where it is not."""

import json
import os
import unittest
from itertools import pairwise

import numpy as np

from prism.elements import disk
from prism.elements.gathering import gather
from prism.formats.exr import write_exr
from prism.intake.agreeing import disagreements
from prism.intake.asked import Expectation
from prism.intake.checking import FrameFacts, check_frame, frames_to_check
from prism.intake.findings import findings
from prism.intake.measuring import facts_of_plane
from prism.intake.on_disk import findings_of_scan, findings_of_versions, findings_on_disk
from prism.intake.outliers import TIMES, outliers_of
from prism.judging.values import PlaneFacts, judge_values
from prism.passes.catalogue import BY_KEY
from prism.pixels.image import Image
from prism.tests import zoo
from prism.tests.frames import FolderCase
from prism.tests.test_command_line import run

HEIGHT, WIDTH = 70, 90
FRAMES = (1001, 1002, 1003, 1004)


class Found(FolderCase):
    """A folder of four sound frames, each pass in a file of its own, that a test then spoils."""

    def setUp(self):
        super().setUp()
        y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
        self.alpha = np.clip((30 - np.hypot(x - 45, y - 35)) / 3 + 0.5, 0, 1)
        self.depth = np.where(self.alpha > 0.5, 5 + x / 17 + y / 23, np.inf).astype(np.float32)
        self.normals = {
            f"N.{c}": (p * (self.alpha > 0.5)).astype(np.float32)
            for c, p in zip("XYZ", ((x - 45) / 31, (y - 35) / 33, 1 - x / 200), strict=True)
        }
        for frame in FRAMES:
            self.render(frame)

    def light(self, frame: int) -> dict[str, np.ndarray]:
        rng = np.random.default_rng(frame)
        names = ("diffuse", "specular", "emission")
        return {
            name: (rng.random((3, HEIGHT, WIDTH)) * (2.5 if name == "specular" else 0.8) * self.alpha).astype(
                np.float16
            )
            for name in names
        }

    def render(self, frame: int, **spoilt) -> None:
        """spoilt: planes of a pass in place of the sound ones; None to leave the file out."""
        light = self.light(frame)
        total = sum(p.astype(np.float32) for p in light.values())
        files = {name: dict(zip("RGB", planes, strict=True)) for name, planes in light.items()}
        files["beauty"] = {
            **dict(zip("RGB", total.astype(np.float16), strict=True)),
            "A": self.alpha.astype(np.float16),
        }
        files["data"] = {"Z": self.depth + np.float32(frame * 1e-3), **self.normals}
        for name, planes in (files | spoilt).items():
            if planes is None:
                self.path(name, frame).unlink(missing_ok=True)
            else:
                write_exr(self.path(name, frame), Image.of_planes(planes))

    def path(self, name: str, frame: int):
        return self.folder / f"shot_{name}.{frame}.exr"

    def look(self, **wanted):
        scanned = disk.scan(self.folder)
        gathered = gather(scanned.sequences, root=self.folder)
        found = [*findings_of_scan(scanned, gathered.faults), *findings_of_versions(gathered.elements)]
        for element in gathered.elements:
            facts = {n: check_frame(element, n) for n in frames_to_check(element)}
            again = {n: FrameFacts.from_json(json.loads(json.dumps(pass_.as_json()))) for n, pass_ in facts.items()}
            self.assertEqual(again, facts)  # so that what is kept of a frame is all of it
            found += [
                *findings_on_disk(element, scanned.sequences, Expectation(**wanted)),
                *findings(element, facts, wanted=Expectation(**wanted)),
            ]
        return found

    def kinds(self, **wanted):
        return {finding.code for finding in self.look(**wanted)}

    def one(self, kind: str, **wanted):
        found = [finding for finding in self.look(**wanted) if finding.code == kind]
        self.assertEqual(len(found), 1, [f.what for f in found])
        return found[0]

    def rgb(self, planes):
        return dict(zip("RGB", planes, strict=True))


class Sound(Found):
    def test_nothing_is_found_in_sound_files(self):
        self.assertEqual(self.look(frames=FRAMES), [])


class OnDisk(Found):
    def test_frames_that_are_missing_or_beyond(self):
        self.path("diffuse", 1003).unlink()
        gap = self.one("missing")
        self.assertEqual((gap.severity, gap.frames), ("error", (1003,)))
        self.render(1003)
        self.path("diffuse", 1004).unlink()
        self.assertIn("that other passes have", self.one("missing").what)
        self.path("emission", 1004).unlink()
        both = self.one("missing")  # one sentence of both
        self.assertEqual((both.what, both.frames_text), (
            "shot_diffuse.####.exr and shot_emission.####.exr lack 1 frame that other passes have: 1004.", ""
        ))  # fmt: skip
        self.render(1004)
        self.render(1004)
        self.assertEqual(self.one("missing", frames=range(1001, 1007)).frames, (1005, 1006))
        beyond = [f for f in self.look(frames=(1001, 1002, 1003)) if f.code == "extra"]
        self.assertEqual({(f.severity, f.frames) for f in beyond}, {("note", (1004,))})

    def test_numbers_in_two_paddings(self):
        self.path("emission", 1002).with_name("shot_emission.001002.exr").write_bytes(
            self.path("emission", 1002).read_bytes()
        )
        self.assertEqual(self.one("doubled").frames, (1002,))

    def test_versions_side_by_side(self):
        for path in list(self.folder.iterdir()):
            for version in ("v001", "v002"):
                path.with_name(path.name.replace("shot_", f"shot_{version}_")).write_bytes(path.read_bytes())
            path.unlink()
        self.assertIn("v002 is the newest", self.one("version").what)

    def test_files_that_cannot_be_read(self):
        self.path("specular", 1002).write_bytes(self.path("specular", 1002).read_bytes()[:-300])
        self.assertEqual(self.one("unreadable").frames, (1002,))
        for frame in FRAMES:
            self.path("specular", frame).write_bytes(b"")
        self.assertEqual(self.one("unreadable").what, "shot_specular.####.exr: The file is empty.")

    def test_files_left_from_before(self):
        for frame in FRAMES:
            for name in ("beauty", "diffuse"):
                os.utime(self.path(name, frame), (1.7e9 + frame, 1.7e9 + frame))
        self.assertNotIn("older", self.kinds())
        os.utime(self.path("beauty", 1003), (1.7e9 - 90000, 1.7e9 - 90000))
        self.assertEqual(self.one("older").frames, (1003,))


class Sizes(Found):
    def overlay(self, height, width, border=0):
        planes = np.zeros((height, width), np.float16)
        planes[::8] = 0.5
        if border:
            frame = np.full((height + 2 * border, width + 2 * border), 0.3, np.float16)
            frame[border:-border, border:-border] = planes
            planes = frame
        for frame in FRAMES:
            noisy = planes.copy()
            noisy[height // 2, width // 2] = frame / 2048
            write_exr(self.path("wire", frame), Image.of_planes(self.rgb([noisy] * 3)))

    def test_an_overlay_at_half_scale_can_be_scaled(self):
        self.overlay(HEIGHT // 2, WIDTH // 2)
        found = self.one("size")
        self.assertEqual((found.severity, found.repair, found.frames), ("warning", {"fit": "scale"}, FRAMES))
        self.assertIn("0.5 times the picture", found.what)

    def test_a_frame_guide_around_an_overlay(self):
        self.overlay(HEIGHT, WIDTH, border=6)
        self.assertIn("a frame of 6 pixels runs around 90 x 70", self.one("guide").what)
        self.overlay(HEIGHT, WIDTH)
        self.assertFalse({"size", "guide"} & self.kinds())

    def test_a_pass_of_light_of_another_size_is_an_error(self):
        self.render(1002, emission=self.rgb(np.ones((3, 10, 12), np.float16)))
        self.assertEqual(self.one("size").severity, "error")

    def test_windows_and_aspects(self):
        planes = self.rgb(self.light(1001)["emission"][:, 5:40, 10:60].copy())
        from prism.pixels.window import Window

        inner = Image(channels=planes, data_window=Window(10, 5, 59, 39), display_window=Window.of_size(WIDTH, HEIGHT))
        write_exr(self.path("emission", 1001), inner)
        self.assertIn("50 x 35 pixels from 10, 5", self.one("window").what)
        whole = Image.of_planes(self.rgb(self.light(1002)["diffuse"]), pixelAspectRatio=2.0)
        write_exr(self.path("diffuse", 1002), whole)
        self.assertIn("pixels 2 wide instead of 1", self.one("aspect").what)


class Values(Found):
    def test_not_numbers_and_negative_values_with_their_place(self):
        emission = self.light(1002)["emission"].copy()
        emission[1, 7, 9] = np.nan
        self.render(1002, emission=self.rgb(emission))
        nan = self.one("nan")
        self.assertEqual((nan.severity, nan.key, nan.frames, nan.place), ("error", "emission", (1002,), (9, 7)))
        emission[1, 7, 9] = np.inf
        emission[2, 3, 4] = -0.25
        self.render(1002, emission=self.rgb(emission))
        found = {finding.code: finding for finding in self.look()}
        self.assertEqual((found["infinite"].severity, found["negative"].severity), ("error", "warning"))
        self.assertEqual(found["negative"].place, (4, 3))

    def test_black_white_and_constant(self):
        for value, kind, severity in ((0, "black", "note"), (1, "white", "warning"), (0.25, "constant", "warning")):
            for frame in FRAMES:
                self.render(frame, wire=self.rgb(np.full((3, HEIGHT, WIDTH), value, np.float16)))
            found = [f for f in self.look() if f.key == "wire" and f.code != "identical"]
            self.assertEqual([(f.code, f.severity) for f in found], [(kind, severity)])
        self.render(1001, beauty={c: np.zeros((HEIGHT, WIDTH), np.float16) for c in "RGBA"})
        self.assertIn(("black", "error", (1001,)), [(f.code, f.severity, f.frames) for f in self.look()])

    def test_light_that_is_cut_off_at_one(self):
        for frame in FRAMES:
            self.render(frame, specular=self.rgb(np.minimum(self.light(frame)["specular"], 1)))
        clamped = self.one("clamped")
        self.assertEqual((clamped.key, clamped.severity, clamped.frames), ("specular", "error", FRAMES))

    def test_eight_bits_passed_off_as_depth(self):
        coarse = (np.floor(np.where(np.isfinite(self.depth), self.depth / 20, 0) * 255) / 255).astype(np.float32)
        for frame in FRAMES:
            self.render(frame, data={"Z": coarse, **self.normals})
        self.assertIn(("eight-bit", "depth"), {(f.code, f.key) for f in self.look()})

    def test_lossy_data(self):
        for frame in FRAMES:
            planes = {"crypto_object00." + c: np.ones((HEIGHT, WIDTH), np.float32) for c in "RGBA"}
            write_exr(self.path("ids", frame), Image.of_planes(planes), compression="dwaa")
        lossy = self.one("lossy")
        self.assertEqual((lossy.severity, lossy.key), ("error", "crypto_object00"))
        self.assertIn("dwaa", lossy.what)

    def test_a_display_curve_in_what_should_be_linear(self):
        for frame in FRAMES:
            self.path("emission", frame).unlink()
            zoo.still(
                self.folder / f"shot_emission.{frame}.png",
                np.moveaxis(self.light(frame)["emission"].astype(np.float32), 0, -1),
            )
        curve = self.one("curve")
        self.assertEqual((curve.key, curve.repair), ("emission", {"curve": "srgb"}))
        for frame in FRAMES:
            (self.folder / f"shot_emission.{frame}.png").unlink()
            codes = np.floor(self.light(frame)["emission"].astype(np.float32) * 255 + 0.5) / 255
            self.render(frame, emission=self.rgb(codes.astype(np.float32)))
        self.assertIn("steps of 8 bits", self.one("curve").what)

    def test_fireflies_are_counted_and_placed(self):
        """Single pixels that outshine all around them; a lamp that stays where it is, and a glint that moves by a
        pixel, are none. Thresholds at both sides."""
        for frame in FRAMES:
            light = {name: planes * 0.1 + np.float16(0.2) for name, planes in self.light(frame).items()}
            light["diffuse"][:, 40, 50] = 60  # a lamp
            light["diffuse"][:, 50, 30 + frame - 1001] = 60  # a glint
            if frame == 1002:
                light["specular"][:, 20, 31] = 60
                light["specular"][:, 25, 33:35] = 60  # two beside each other are no single pixel
            total = sum(planes.astype(np.float32) for planes in light.values()).astype(np.float16)
            files = {name: self.rgb(planes) for name, planes in light.items()}
            self.render(frame, beauty=self.rgb(total) | {"A": self.alpha.astype(np.float16)}, **files)
        found = self.one("fireflies")  # of all passes, said once
        self.assertEqual((found.key, found.frames, found.place), ("beauty", (1002,), (31, 20)))
        self.assertIn(": beauty 1; and specular 1. The first of beauty lies at x 31 y 20", found.what)
        plane = np.ones((9, 9), np.float32)
        for value, count in ((TIMES * 1.01, 1), (TIMES * 0.99, 0)):
            plane[4, 4] = value
            self.assertEqual(outliers_of([plane]), ((4, 4),) * count)

    def test_straight_alpha_is_found_without_a_solid_inside(self):
        """Colour above alpha, on smoke that is nowhere solid: straight it does not follow alpha, premultiplied it
        does."""
        y, x = np.mgrid[:HEIGHT, :WIDTH]
        smoke = (0.5 * np.exp(-((x - 45) ** 2 + (y - 35) ** 2) / 400)).astype(np.float32)
        colour = np.stack([0.6 + 0.1 * np.sin(x / 9), 0.5 + y / 300, 0.4 + x / 400]).astype(np.float32)
        for straight in (True, False):
            planes = colour * (smoke > 0.02) if straight else colour * smoke
            for frame in FRAMES:
                own = self.rgb(planes.astype(np.float16)) | {"A": smoke.astype(np.float16)}
                self.render(frame, beauty=own)
            self.assertEqual("alpha" in self.kinds(), straight)

    def test_fog_before_a_sky_is_not_straight(self):
        """A sky has no alpha and shines through fog that ends nowhere: colour that does not follow alpha is no sign."""
        fog = np.linspace(0.07, 0.9, WIDTH, dtype=np.float32) * np.ones((HEIGHT, 1), np.float32)
        for frame in FRAMES:
            planes = np.stack([0.5 * fog + 0.6 * (1 - fog)] * 3).astype(np.float16)
            planes[:, 0, 0] += np.float16(frame / 8192)
            self.render(frame, beauty=self.rgb(planes) | {"A": fog.astype(np.float16)})
        self.assertNotIn("alpha", self.kinds())

    def test_headers_of_other_programs_name_cameras_and_passes(self):
        for frame in FRAMES:
            says = {"cameraName": "side" if frame == 1003 else "front", "passes": "diffuse"}
            light = self.light(frame)["diffuse"]
            write_exr(self.path("diffuse", frame), Image.of_planes(self.rgb(light), **says))
        place = self.one("place")
        self.assertEqual(place.frames, (1003,))
        self.assertIn("says camera side in the header instead of front", place.what)
        for frame in FRAMES:
            light = self.light(frame)["diffuse"]
            write_exr(self.path("diffuse", frame), Image.of_planes(self.rgb(light), passes="emission"))
        self.assertIn("in the header that they hold emission", self.one("place").what)

    def test_a_depth_of_many_levels_is_no_fault(self):
        """Large flat things at 2,280 depths; 256 of them are the steps of 8 bits, however they were spread."""
        rng = np.random.default_rng(4)
        for levels, faulty in ((2280, False), (256, True)):
            steps = np.sort(rng.uniform(2, 90, levels)).astype(np.float32)
            plane = steps[rng.integers(0, levels, (400, 300))]
            facts = facts_of_plane(plane)
            kinds = {each.code for each in judge_values(BY_KEY["depth"], "depth", {"Z": facts})}
            self.assertEqual("eight-bit" in kinds, faulty, levels)

    def test_alpha_taken_wrongly_and_not_there(self):
        for frame in FRAMES:
            colour, alpha = zoo.disc(HEIGHT, WIDTH)
            self.render(
                frame, beauty=dict(zip("RGBA", [*colour.astype(np.float16), alpha.astype(np.float16)], strict=True))
            )
        found = self.one("alpha")
        self.assertEqual((found.repair, found.key), ({"state": "straight"}, "beauty"))
        for frame in FRAMES:
            self.render(
                frame, beauty=self.rgb(sum(p.astype(np.float32) for p in self.light(frame).values()).astype(np.float16))
            )
        self.assertEqual(self.one("no-alpha").severity, "warning")

    def test_channels_that_only_some_frames_have(self):
        self.render(1003, data={"Z": self.depth, "N.X": self.normals["N.X"]})
        channels = [f for f in self.look() if f.code == "channels"]
        self.assertEqual([(f.key, f.frames) for f in channels], [("normals", (1003,))])

    def test_other_primaries_are_told(self):
        from prism.colour.spaces import CHROMATICITIES
        from prism.formats.headers import chromaticities_entry

        says = chromaticities_entry(CHROMATICITIES["acescg"])
        write_exr(
            self.path("emission", 1001), Image.of_planes(self.rgb(self.light(1001)["emission"]), chromaticities=says)
        )
        self.assertIn("is converted to", self.one("colour", space="lin_rec709").what)

    def test_parts_that_do_not_sum_with_the_cause(self):
        for frame in FRAMES:
            twice = (self.light(frame)["diffuse"].astype(np.float32) * 1.5).astype(np.float16)
            self.render(frame, diffuse=self.rgb(twice))
        self.assertEqual(self.one("sum").frames, FRAMES)
        for frame in FRAMES:
            self.render(frame, emission=None, diffuse=self.rgb(self.light(frame)["diffuse"]))
            write_exr(self.path("volume", frame), Image.of_planes(self.rgb(self.light(frame)["emission"])))
        self.assertNotIn("sum", self.kinds())

    def test_what_nobody_can_tell_and_what_two_claim(self):
        for frame in FRAMES:
            planes = self.rgb(np.full((3, HEIGHT, WIDTH), 0.5 + frame / 4096, np.float16))
            write_exr(self.path("wibble", frame), Image.of_planes(planes))
            self.render(
                frame,
                data={
                    "Z": self.depth + np.float32(frame),
                    "depth.V": self.depth + np.float32(2 * frame),
                    **self.normals,
                },
            )
        found = {finding.code: finding for finding in self.look()}
        self.assertEqual((found["unknown"].severity, found["claims"].severity), ("note", "warning"))
        self.assertIn("depth.V", found["claims"].what)


class OverTime(Found):
    def test_a_frame_that_is_its_neighbour(self):
        for name in ("beauty", "diffuse", "specular", "emission"):
            self.path(name, 1003).write_bytes(self.path(name, 1002).read_bytes())
        found = [f for f in self.look() if f.code == "identical"]
        self.assertEqual({(f.severity, f.frames) for f in found}, {("warning", (1003,))})
        self.assertEqual(len(found), 4)

    def test_a_frame_darker_than_both_its_neighbours(self):
        dark = {
            name: self.rgb((planes.astype(np.float32) / 2).astype(np.float16))
            for name, planes in self.light(1002).items()
        }
        total = sum(p.astype(np.float32) / 2 for p in self.light(1002).values()).astype(np.float16)
        self.render(1002, **dark, beauty={**self.rgb(total), "A": self.alpha.astype(np.float16)})
        flashes = [f for f in self.look() if f.code == "flash"]
        self.assertEqual({f.frames for f in flashes}, {(1002,)})
        self.assertIn("beauty", {f.key for f in flashes})

    def test_one_pass_that_changes_alone(self):
        for frame in (1003, 1004):
            self.render(
                frame, emission=self.rgb((self.light(frame)["emission"].astype(np.float32) * 3).astype(np.float16))
            )
        jump = self.one("jump")
        self.assertEqual((jump.key, jump.frames), ("emission", (1003,)))


class Sequences(FolderCase):
    """Faults that show in one frame beside the others, or in all of them alike."""

    def write(self, number, *, name="s", scale=1.0, step=1, depth=None, says=None, seed=7):
        rng = np.random.default_rng(seed)
        parts = {
            key: np.roll(rng.random((3, 90, 120)), number, 2) * scale for key in ("diffuse", "specular", "emission")
        }
        planes = {c: plane for c, plane in zip("RGB", sum(parts.values()), strict=True)}
        for key, three in parts.items():
            planes |= {f"{key}.{c}": plane for c, plane in zip("RGB", three, strict=True)}
        planes = {key: plane.astype(np.float16) for key, plane in planes.items()}
        planes["A"] = np.ones((90, 120), np.float16)
        z = np.linspace(3, 40, 90 * 120).reshape(90, 120) + rng.random((90, 120))
        planes["Z"] = (z if depth is None else depth(z)).astype(np.float32)
        path = self.folder / f"{name}.{number:04}.exr"
        path.parent.mkdir(exist_ok=True)
        cut = {key: np.ascontiguousarray(plane[::step, ::step]) for key, plane in planes.items()}
        write_exr(path, Image.of_planes(cut, **(says or {})))
        return path

    def found(self):
        elements = gather(disk.scan(self.folder).sequences, root=self.folder).elements
        self.assertEqual(len(elements), 1)
        (element,) = elements
        return findings(element, {frame: check_frame(element, frame) for frame in frames_to_check(element)})

    def kinds(self):
        return {(finding.code, finding.severity, finding.frames) for finding in self.found()}

    def sequence(self, **changes):
        for number in range(1, 6):
            self.write(number, **{name: change(number) for name, change in changes.items()})

    def test_sound_frames_have_no_findings(self):
        self.sequence()
        self.assertEqual(self.found(), [])

    def test_one_frame_of_another_size(self):
        self.sequence(step=lambda number: 2 if number == 3 else 1)
        self.assertEqual(self.kinds(), {("size", "error", (3,))})

    def test_a_level_change_of_all_passes(self):
        self.sequence(scale=lambda number: 1.5 if number > 3 else 1.0)
        self.assertEqual(self.kinds(), {("level", "warning", (4,))})

    def test_another_camera_in_a_header(self):
        self.sequence(says=lambda number: {"camera": "close" if number == 4 else "wide"})
        self.assertEqual(self.kinds(), {("place", "error", (4,))})

    def test_depth_of_few_levels_at_any_scale(self):
        self.sequence(depth=lambda number: lambda z: np.round((z - 3) / 40 * 249) / 249 * 7000)
        self.assertEqual(self.kinds(), {("eight-bit", "error", (1, 2, 3, 4, 5))})

    def test_a_fade_to_black_is_no_error(self):
        self.sequence(scale=lambda number: (5 - number) / 4)
        self.assertEqual({severity for kind, severity, _ in self.kinds() if kind == "black"}, {"note"})
        self.write(3, scale=0.0)
        self.write(5, scale=0.2)
        self.assertIn(("black", "error", (3,)), self.kinds())

    def test_a_damaged_file_is_named_once(self):
        self.sequence()
        path = self.write(2)
        path.write_bytes(path.read_bytes()[:3000])
        self.assertEqual(self.kinds(), {("unreadable", "error", (2,))})

    def test_two_views_in_folders_are_two_elements(self):
        for number in (1, 2):
            for seed, view in enumerate(("left", "right")):
                self.write(number, name=f"{view}/s", seed=seed)
        elements = gather(disk.scan(self.folder).sequences, root=self.folder).elements
        self.assertEqual([element.camera for element in elements], ["left", "right"])
        self.assertFalse(any(pass_.excluded for element in elements for pass_ in element.passes))


class Agreeing(unittest.TestCase):
    """Depth, position and normals of one camera agree; those of another do not. Plain geometry of a pinhole camera."""

    def seen(self, camera, turn):
        """A wavy ground below the camera: depth along its axis, distance, position, normals."""
        y, x = np.mgrid[-1:1:60j, -1:1:80j]
        axis = np.array([np.cos(turn), np.sin(turn), -0.6])
        axis /= np.linalg.norm(axis)
        right = np.cross(axis, [0, 0, 1])
        right /= np.linalg.norm(right)
        rays = axis[:, None, None] + x * right[:, None, None] + y * np.cross(axis, right)[:, None, None] * 0.4
        z = -camera[2] / rays[2]
        position = np.array(camera)[:, None, None] + rays * z
        normals = np.zeros_like(position)
        normals[2] = 1
        return z, z * np.linalg.norm(rays, axis=0), position, normals

    def test_what_one_camera_sees_agrees(self):
        z, distance, position, normals = self.seen((1.0, -2.0, 3.0), 0.4)
        other, _, elsewhere, _ = self.seen((-2.0, 5.0, 4.0), 2.0)
        for depth in (z, distance):
            self.assertEqual(disagreements({"depth": depth, "position": position, "normals": normals}), [])
        self.assertEqual(disagreements({"depth": other[::-1], "position": position}), [("depth", "position")])
        tilted = normals[[2, 0, 1]]
        self.assertEqual(disagreements({"normals": tilted, "position": elsewhere}), [("normals", "position")])

    def test_how_far_normals_may_lean_from_the_surface(self):
        """Half of the cosine, 60 degrees, is where they count as those of something else."""
        y, x = np.mgrid[:40, :50].astype(np.float32)
        position = np.stack([x, y, 0 * x])
        for degrees, found in ((57, []), (63, [("normals", "position")])):
            lean = np.radians(degrees)
            normals = np.broadcast_to(np.float32([np.sin(lean), 0, np.cos(lean)])[:, None, None], position.shape)
            self.assertEqual(disagreements({"normals": normals, "position": position}), found, degrees)


class Judged(unittest.TestCase):
    def test_facts_of_planes_as_numpy_has_them(self):
        rng = np.random.default_rng(3)
        for dtype in (np.float16, np.float32):
            plane = rng.normal(0, 1, (31, 17)).astype(dtype)
            plane[3, 4], plane[5, 6], plane[7, 8:10] = np.nan, -np.inf, 1
            facts = facts_of_plane(plane)
            finite = plane[np.isfinite(plane)].astype(np.float64)
            self.assertEqual((facts.least, facts.most, facts.nan, facts.infinite), (finite.min(), finite.max(), 1, 1))
            self.assertEqual((facts.ones, facts.negative), (int((plane == 1).sum()), int((finite < 0).sum())))
            self.assertAlmostEqual(facts.mean, finite.mean(), 6)
            self.assertEqual((facts.strange["nan"], facts.strange["infinite"], facts.stepped), ((4, 3), (6, 5), False))
            self.assertTrue(
                facts_of_plane((np.arange(256, dtype=np.float64) / 255).astype(dtype).reshape(16, 16)).stepped
            )

    def test_a_step_of_8_bits_is_met_within_the_rounding_of_what_it_is_stored_in(self):
        for dtype, inside, beyond in ((np.float32, 0.009, 0.011), (np.float16, 0.03, 0.12)):
            for off, stepped in ((inside, True), (beyond, False)):
                plane = ((np.arange(256) % 60 + off) / 255).astype(dtype).reshape(16, 16)
                self.assertEqual(facts_of_plane(plane).stepped, stepped, (dtype, off))

    def codes(self, key, channel, **facts):
        told = PlaneFacts(**{"least": 0.0, "pixels": 100_000} | facts)
        return {each.code for each in judge_values(BY_KEY[key], key, {channel: told})}

    def test_from_how_many_pixels_on_light_looks_cut_off(self):
        for ones, clamped in ((100, False), (101, True)):
            self.assertEqual("clamped" in self.codes("emission", "R", most=1.0, ones=ones), clamped, ones)

    def test_from_how_many_levels_on_a_depth_was_few_bits(self):
        for levels, faulty in ((39, False), (40, True), (256, True)):
            self.assertEqual("eight-bit" in self.codes("depth", "Z", most=90.0, levels=levels), faulty, levels)

    def test_from_how_many_pixels_on_steps_of_eight_bits_tell(self):
        for pixels, faulty in ((4095, False), (4096, True)):
            found = self.codes("depth", "Z", most=90.0, pixels=pixels, stepped=True)
            self.assertEqual("eight-bit" in found, faulty, pixels)

    def test_infinite_depth_and_signed_normals_are_no_fault(self):
        plane = facts_of_plane(np.float32([[1, 2], [-3, np.inf]]))
        for key, kinds in (
            ("depth", set()),
            ("normals", {"infinite", "range"}),
            ("emission", {"infinite", "negative"}),
        ):
            found = {each.code for each in judge_values(BY_KEY[key], key, {"X" if key == "normals" else "Z": plane})}
            self.assertEqual(found, kinds, key)


class CommandLine(Found):
    def test_the_answer_and_its_exit_codes(self):
        code, answer, _ = run("intake", str(self.folder), "--json")
        answer = json.loads(answer)
        self.assertEqual((code, answer["findings"]), (0, []))
        (element,) = answer["elements"]
        passes = {pass_["pass"]: pass_ for pass_ in element["passes"]}
        self.assertEqual(set(passes), {"beauty", "diffuse", "specular", "emission", "depth", "normals"})
        self.assertEqual(
            (passes["beauty"]["channels"], passes["beauty"]["alpha"]), (["R", "G", "B", "A"], "premultiplied")
        )
        self.assertEqual(passes["depth"]["files"], [str(self.path("data", frame)) for frame in FRAMES])
        self.assertTrue(all(0 < pass_["certainty"] <= 1 and pass_["reason"] for pass_ in element["passes"]))
        self.assertEqual({tuple(s["frames"]) for s in answer["sequences"]}, {FRAMES})
        self.path("diffuse", 1002).unlink()
        code, answer, _ = run("intake", str(self.path("diffuse", 1001)), "--json")
        self.assertEqual((code, json.loads(answer)["findings"][0]["frames"]), (1, [1002]))
        self.assertEqual(run("intake", str(self.folder / "absent"))[0], 2)
        self.assertTrue(all(a <= b for a, b in pairwise(FRAMES)))
