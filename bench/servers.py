"""Every process of a house killed again and again, in the middle of rendering and hand-off; the house is one of its
own."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import tempfile
import time
from contextlib import suppress
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PORTS = {"EAGER_PORT": "8760", "EAGER_DB_PORT": "8761", "EAGER_QUEUE_PORT": "8762"}
NAMES = ("database", "queue", "worker", "pictures", "web")
PATIENCE = 600  # seconds for what was ordered to be written after the last kill

ORDER = """
from desk.handoff.services import order
from desk.rebuild.services import open_ledger
from desk.shots.models import Shot
from prism.delivery.presets import PRESETS
shot = Shot.objects.get(code="ORR_010")
order(shot, open_ledger(shot), None, "1001", PRESETS["picture"])
"""
OPEN = """
from desk.jobs.models import OPEN, Task
print(Task.objects.filter(job__kind="hand-off", state__in=OPEN).count())
"""
JUDGE = """
import json
from django.conf import settings
from desk.jobs.models import Task
from prism.intake.found import found_file
files = [path for path in settings.STORAGE_ROOTS[0].rglob("*.exr") if not path.name.startswith(".")]
broken = [path.name for path in files if found_file(path).fault]
orders = Task.objects.filter(job__kind="hand-off")
lost = orders.exclude(state__in=("done", "skipped")).count()
rendered = Task.objects.filter(job__kind="render", state="done").count()
print(json.dumps({"frames handed off": orders.count(), "of them lost, must be 0": lost, "frames rendered": rendered,
    "files": len(files), "of them not whole, must be 0": len(broken)}))
"""


def run(kills: int) -> dict[str, object]:
    """kills: of each process."""
    with tempfile.TemporaryDirectory() as folder:
        house = House(Path(folder) / "var")
        try:
            house.eager("start")
            failed = _kill(house, kills)
            return {
                f"kills of each of {', '.join(NAMES)}": kills,
                "starts that failed, must be 0": failed,
            } | json.loads(house.python(JUDGE))
        finally:
            house.eager("stop")


def _kill(house: House, kills: int) -> int:
    """How many starts after a kill failed."""
    dice, failed = random.Random(5), 0
    for _ in range(kills):
        house.python(ORDER)
        for name in NAMES:
            time.sleep(dice.uniform(0.5, 5))
            house.kill(name)
            failed += house.eager("start") != 0
    until = time.monotonic() + PATIENCE
    while house.python(OPEN) != "0" and time.monotonic() < until:
        time.sleep(2)
    return failed


class House:
    """A copy with the demo in a folder: of its own ports, or of the usual ones if none are given."""

    def __init__(self, var: Path, ports: dict[str, str] = PORTS) -> None:
        self._var = var
        self._environment = os.environ | ports | {"EAGER_VAR": str(var)}

    def eager(self, verb: str) -> int:
        return subprocess.run([ROOT / "eager", verb], env=self._environment, capture_output=True).returncode

    def kill(self, name: str) -> None:
        """With all its children."""
        with suppress(ProcessLookupError):
            os.killpg(int((self._var / "run" / f"{name}.pid").read_text().split()[0]), signal.SIGKILL)

    def python(self, code: str) -> str:
        """Run in the application, with the secrets of the house."""
        launch = (
            "import subprocess, sys; from launcher.house import House; from launcher.install import PYTHON;"
            "sys.exit(subprocess.call([PYTHON, 'manage.py', 'shell', '-v', '0', '-c', sys.argv[1]],"
            " env=House.of_user().environment()))"
        )
        command = [ROOT / "var" / "venv" / "bin" / "python", "-c", launch, code]
        done = subprocess.run(command, cwd=ROOT, env=self._environment, capture_output=True, text=True)
        return done.stdout.strip() or done.stderr.strip()[-300:]
