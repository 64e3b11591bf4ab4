"""The code as ruff wants it, by the rules in pyproject.toml."""

import subprocess
import sys
import unittest

from launcher.house import ROOT


class Style(unittest.TestCase):
    def test_checked_and_formatted(self):
        for command in (["check"], ["format", "--check"]):
            ruff = [sys.executable, "-m", "ruff", *command, "--no-cache", "."]
            done = subprocess.run(ruff, cwd=ROOT, capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
