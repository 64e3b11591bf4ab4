"""The core as others use it: the names it exports, the examples of docs/python.md, and what a wheel of it holds."""

import contextlib
import io
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path
from unittest import TestCase

import numpy as np

import prism
from prism.deep.files import write_samples
from prism.tests.frames import FolderCase, passes
from prism.tests.plans import plan_of
from prism.tests.test_deep import any_deep

ROOT = Path(__file__).resolve().parents[2]
EXAMPLES = dict(re.findall(r"```python\n# ([\w ]+)\n(.*?)```", (ROOT / "docs" / "python.md").read_text(), re.DOTALL))
EXPORTED = [
    "BadArgument", "Context", "Finding", "Finish", "Ledger", "LedgerFrame", "Picture", "Plan", "PrismError", "Samples",
    "SceneFacts", "__version__", "check", "compare", "deliver", "evaluate", "expand", "find_sources", "finished",
    "first_ledger", "flattened", "held_out", "merged", "read_samples", "write_samples",
]  # fmt: skip
WEB = ("axes", "celery", "csp", "django", "gunicorn", "kombu", "markdown", "MySQLdb", "redis", "waitress", "whitenoise")
WITHOUT_WEB = f"""
import sys
class Refusing:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in {WEB}:
            raise ModuleNotFoundError(f"No module named {{name!r}}", name=name)
sys.meta_path.insert(0, Refusing())
"""


class Exported(TestCase):
    def test_names_that_are_promised(self):
        self.assertEqual(sorted(prism.__all__), sorted(EXPORTED))
        for name in EXPORTED:
            self.assertIsNotNone(getattr(prism, name))
        with self.assertRaises(AttributeError):
            prism.nothing  # noqa: B018  asked for


class Examples(FolderCase):
    def test_main_job(self):
        rng = np.random.default_rng(3)
        self.write("shot.1001.exr", passes(rng, height=12, width=16))
        for name, samples in (("near", any_deep(rng)), ("far", any_deep(rng))):
            write_samples(self.folder / f"{name}.exr", samples)
        (self.folder / "plan.json").write_text(json.dumps(plan_of().as_json()))
        made: dict = {}
        said = io.StringIO()
        with contextlib.chdir(self.folder), contextlib.redirect_stdout(said):
            for name, text in EXAMPLES.items():
                exec(compile(text, f"docs/python.md, {name}", "exec"), made)
        self.assertEqual(list(EXAMPLES), ["rebuild", "finish", "plan", "deep", "errors"])
        self.assertTrue(made["result"].balanced)
        self.assertNotEqual(made["frame"].light.mean, made["frame"].rebuilt.mean)
        self.assertTrue((self.folder / "final.exr").exists() and (self.folder / "both.exr").exists())
        self.assertIn("file.unreadable", said.getvalue())
        self.assertIn("float32 (4, H, W), not float64 (4, 12, 16)", said.getvalue())


class Wheel(TestCase):
    def test_installed_by_itself_it_makes_a_parcel(self):
        """Into an empty folder, where nothing that the application needs can be imported."""
        with tempfile.TemporaryDirectory(prefix="prism-test-") as name:
            folder = Path(name)
            source = folder / "source"  # a copy, since building leaves its own folders beside what it builds
            left_out = shutil.ignore_patterns("var", ".git", "__pycache__", "bench", "launcher", "demo")
            shutil.copytree(ROOT, source, ignore=left_out)
            build = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--wheel-dir", name, str(source)]
            subprocess.run(build, check=True, cwd=name, capture_output=True)
            (wheel,) = folder.glob("*.whl")
            held = zipfile.ZipFile(wheel).namelist()
            self.assertFalse(
                [each for each in held if "/tests/" in each or each.startswith(("demo", "bench", "launcher"))]
            )
            self.assertTrue({"prism/py.typed", "prism/docs/ledger-format.md", "prism/docs/guide.md"} <= {*held})
            target = folder / "installed"
            into = [sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--target", str(target), str(wheel)]
            subprocess.run(into, check=True, capture_output=True)
            (target / "sitecustomize.py").write_text(WITHOUT_WEB)
            self.parcel(folder, target)

    def parcel(self, folder: Path, target: Path) -> None:
        frames = FolderCase()
        frames.folder = folder / "render"
        frames.folder.mkdir()
        frames.write("shot.1001.exr", passes(np.random.default_rng(3), height=6, width=8))
        ledger = prism.first_ledger(prism.find_sources(frames.folder / "shot.1001.exr"))
        (folder / "ledger.json").write_text(json.dumps(ledger.as_json()))
        verbs = (
            ["--version"],
            ["parcel", "make", "--ledger", "ledger.json", "--frames", "1001", "--out", "parcel", "render"],
            ["parcel", "check", "parcel"],
        )
        for verb in verbs:
            command = [sys.executable, "-P", "-m", "prism", *verb]
            environment = os.environ | {"PYTHONPATH": str(target)}
            done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue((folder / "parcel" / "formats" / "ledger-format.md").exists())
