"""Small frames made for tests: passes that sum to a beauty, written as files."""

from __future__ import annotations

import io
import shutil
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import NamedTuple

import numpy as np

from prism.__main__ import main
from prism.formats.exr import write_exr, write_parts
from prism.pixels.image import Image
from prism.sources.frame import OpenFrame
from prism.sources.opening import find_sources

COMPONENTS = ("diffuse_direct", "diffuse_indirect", "specular_direct", "emission", "background")


class Ran(NamedTuple):
    """What came of a command."""

    returncode: int
    stdout: str
    stderr: str


def run(*arguments):
    """A command of `python -m prism` in this process."""
    out, err = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(err):
        code = main([str(argument) for argument in arguments])
    return Ran(code, out.getvalue(), err.getvalue())


def hdr(rng: np.random.Generator, height: int = 11, width: int = 17) -> np.ndarray:
    """Random light as renders have it, (3, H, W) float32: mostly small, some far above 1, some black."""
    light = rng.lognormal(-2, 2, (3, height, width)).astype(np.float32)
    light[:, rng.random((height, width)) < 0.2] = 0
    return light


def passes(rng: np.random.Generator, height: int = 11, width: int = 17, dtype=np.float32) -> dict[str, np.ndarray]:
    """Channel planes of a frame: components rounded to dtype, and the rounded sum of the unrounded as beauty."""
    planes = {}
    total = np.zeros((3, height, width), np.float32)
    for name in COMPONENTS:
        light = hdr(rng, height, width)
        total += light
        for component, plane in zip("RGB", light, strict=True):
            planes[f"{name}.{component}"] = plane.astype(dtype)
    for component, plane in zip("RGB", total, strict=True):
        planes[component] = plane.astype(dtype)
    planes["A"] = rng.random((height, width)).astype(dtype)
    planes["Z"] = rng.uniform(1, 9, (height, width)).astype(np.float32)
    planes["occlusion.V"] = rng.random((height, width)).astype(np.float32)
    for axis in "XYZ":
        planes[f"N.{axis}"] = rng.uniform(-1, 1, (height, width)).astype(np.float32)
    return planes


class FolderCase(unittest.TestCase):
    """A test with a folder of its own and a seeded generator."""

    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="prism-test-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.rng = np.random.default_rng(20250101)

    def write(self, name: str, planes: dict[str, np.ndarray], **options) -> Path:
        path = self.folder / name
        write_exr(path, Image.of_planes(planes), **options)
        return path

    def write_multipart(self, name: str, parts: dict[str, dict[str, np.ndarray]]) -> Path:
        path = self.folder / name
        write_parts(path, [(part, Image.of_planes(planes)) for part, planes in parts.items()])
        return path

    def frame(self, **options) -> OpenFrame:
        """The sources of a frame of one multichannel file."""
        return find_sources([self.write("shot.1001.exr", passes(self.rng, **options))])
