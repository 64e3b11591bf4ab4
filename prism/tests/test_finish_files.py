"""Finished pictures as files: what the command line writes, read by other libraries."""

import contextlib
import io
import json

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from PIL import Image as Pillow

from prism.__main__ import main
from prism.colour.spaces import encode_srgb
from prism.formats.stills import to_codes
from prism.tests.frames import FolderCase, hdr

GRADE = {"id": "key", "kind": "grade", "exposure": -1, "slope": [1, 0.5, 1]}
LEVELS = {"id": "black", "kind": "levels", "black": 0.1, "white": 0.9}


class Files(FolderCase):
    def setUp(self):
        super().setUp()
        self.light = (hdr(self.rng) * 0.2).astype(np.float32)
        self.frames = self.folder / "shot"
        self.frames.mkdir()
        for frame in (1, 2):
            planes = dict(zip("RGB", self.light * frame, strict=True)) | {"A": np.ones_like(self.light[0])}
            planes["Z"] = np.full_like(self.light[0], 5)
            self.write(f"shot/a.{frame:04}.exr", planes)

    def finish(self, *options, steps=(GRADE, LEVELS), source=None, code=0):
        """What it says, and the exit code."""
        path = self.folder / "F.json"
        path.write_text(json.dumps({"format": "eager-prism.finish", "version": 1, "steps": list(steps)}))
        said = io.StringIO()
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
            ended = main(["finish", "--finish", str(path), *map(str, options), str(source or self.frames)])
        self.assertEqual(ended, code, said.getvalue())
        return said.getvalue()

    def exr(self, name):
        with OpenEXR.File(str(self.folder / name), separate_channels=True) as file:
            return np.stack([file.channels()[c].pixels for c in "RGBA"]), dict(file.header())

    def graded(self, frame=1):
        return self.light * frame * np.float32(0.5) * np.float32([1, 0.5, 1])[:, None, None]

    def shown(self, frame):
        """Display values after both steps, by their formulas."""
        values = encode_srgb(self.graded(frame).astype(np.float64)).clip(0, 1)
        return ((values - 0.1) / 0.8).clip(0, 1)

    def test_light_has_the_steps_on_light_alone(self):
        said = self.finish("--frame", 2, "--pixel", "float", "--out", self.folder / "x.exr")
        self.assertIn("without the steps that work on display values: levels", said)
        stored, header = self.exr("x.exr")
        np.testing.assert_allclose(stored[:3], self.graded(2), rtol=1e-6)
        self.assertEqual(header["finish"], "grade")

    def test_display_values_have_all(self):
        self.finish("--frame", 1, "--as", "display", "--pixel", "float", "--out", self.folder / "x.exr")
        stored, header = self.exr("x.exr")
        expected = self.shown(1)
        np.testing.assert_allclose(stored[:3], expected, atol=2e-5)
        self.assertEqual((header["finish"], header["view"]), ("grade, levels", "srgb"))
        self.assertNotIn("chromaticities", header)

    def test_every_frame_by_a_pattern(self):
        said = self.finish("--out", self.folder / "o_{frame:04}.png", "--bits", 16, "--alpha", "black")
        self.assertEqual(said.splitlines()[:2], [str(self.folder / f"o_000{n}.png") for n in (1, 2)])
        codes = oiio.ImageBuf(str(self.folder / "o_0002.png")).get_pixels(oiio.UINT16).astype(float)
        np.testing.assert_allclose(np.moveaxis(codes, -1, 0), self.shown(2) * 65535, atol=3)

    def test_eight_bits_are_dithered_about_their_value(self):
        self.finish("--frame", 1, "--out", self.folder / "o.png", "--alpha", "black")
        codes = np.asarray(Pillow.open(self.folder / "o.png")).astype(float)
        expected = np.moveaxis(
            ((encode_srgb(self.graded().astype(np.float64)).clip(0, 1) - 0.1) / 0.8).clip(0, 1), 0, -1
        )
        self.assertLess(np.abs(codes - 255 * expected).max(), 1.01)
        self.assertGreater((codes != np.floor(255 * expected + 0.5)).sum(), 20)
        even = to_codes(np.full((200, 300, 3), 0.3001), 8, dithered=True)
        self.assertAlmostEqual(even.mean() / 255, 0.3001, delta=2e-4)
        exact = (np.arange(256) / 255).reshape(1, -1, 1)
        np.testing.assert_array_equal(to_codes(exact, 8, dithered=True).ravel(), np.arange(256))

    def test_any_picture(self):
        picture = (np.random.default_rng(1).random((9, 12, 3)) * 255).astype(np.uint8)
        Pillow.fromarray(picture).save(self.folder / "p.png")
        self.finish("--out", self.folder / "o.png", source=self.folder / "p.png", steps=[GRADE | {"enabled": False}])
        np.testing.assert_array_equal(np.asarray(Pillow.open(self.folder / "o.png").convert("RGB")), picture)
        self.assertEqual(Pillow.open(self.folder / "o.png").convert("RGBA").getextrema()[3], (255, 255))
        self.finish("--out", self.folder / "o.png", source=self.folder / "p.png", steps=[LEVELS])
        expected = ((picture / 255 - 0.1) / 0.8).clip(0, 1) * 255
        codes = np.asarray(Pillow.open(self.folder / "o.png").convert("RGB"))
        np.testing.assert_allclose(codes, expected, atol=1.02)

    def test_depth_of_the_files_defocuses(self):
        blur = {"id": "lens", "kind": "defocus", "depth": "depth", "focus": 1, "opening": 3}
        self.finish("--frame", 1, "--pixel", "float", "--out", self.folder / "x.exr", steps=[blur])
        stored, _ = self.exr("x.exr")
        self.assertGreater(np.abs(stored[:3] - self.light).max(), 0.05)

    def test_faults_name_step_and_field(self):
        out = self.folder / "x.exr"
        bad = self.finish("--out", out, steps=[GRADE | {"slope": "much"}], code=1)
        self.assertRegex(bad, "step key, field .*slope")
        lost = self.finish(
            "--frame", 1, "--out", out, steps=[{"id": "s", "kind": "smear", "motion": "vectors"}], code=1
        )
        self.assertRegex(lost, "There is no pass vectors")
        self.assertIn(
            "A still holds display values", self.finish("--as", "light", "--out", self.folder / "x.png", code=1)
        )
        self.assertFalse(out.exists())
