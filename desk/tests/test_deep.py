"""Deep in the house: the bench's pages and answers, groups by depth in the ledger, files written from them."""

import struct
from dataclasses import replace
from unittest import mock

import numpy as np
import OpenImageIO as oiio

from demo.conservatory import build_scene
from desk.elements.models import Place
from desk.intake.looking import look
from desk.jobs.models import State, Task
from desk.rebuild.services import open_ledger
from desk.shots.storage import shot_folder
from desk.tests.test_rebuild import decoded
from desk.tests.world import HEIGHT, WIDTH, WorldCase
from prism.deep.files import write_samples
from prism.deep.operations import flattened, placed, tidied
from prism.pixels.window import Window
from prism.tests.test_deep import any_deep

WINDOW = Window(0, 0, WIDTH - 1, HEIGHT - 1)


class DeepCase(WorldCase):
    """A rendered shot with a deep pass of its own and a card of other files."""

    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(3)
        self.samples = {frame: self.write_deep(rng, frame) for frame in (1001, 1002)}
        self.with_ledger()
        self.ledger.refresh_from_db()

    def write_deep(self, rng, frame):
        samples = any_deep(rng, pixels=WIDTH * HEIGHT)
        samples = replace(samples, window=WINDOW, display_window=WINDOW)
        write_samples(self.folder / f"TST_010_deep.{frame}.exr", samples)
        return samples

    def question(self, name, **more):
        return self.ask(
            name, **({"ledgerId": self.ledger.pk, "ledger": self.bench, "row": self.row, "frame": 1001} | more)
        )

    def open(self, frame=1001):
        page = self.client.get(self.url("rebuild-deep"), {"frame": frame}).context["page"]
        self.bench, self.row = page["ledger"], page["row"]
        return page


class Bench(DeepCase):
    def test_it_begins_with_all_deep_passes_and_says_what_is_inside(self):
        page = self.open()
        (group,) = page["ledger"]["rows"]
        self.assertEqual([(row["kind"], row["source"]) for row in group["rows"]], [("deep", "render/deep")])
        self.assertFalse(page["inLedger"])
        own = self.samples[1001]
        self.assertEqual(page["facts"]["near"], float(own.depth[:, 0].min()))
        shares = np.bincount(tidied(own).counts.reshape(-1)) / own.counts.size
        np.testing.assert_allclose(page["facts"]["histogram"], shares)
        seen = {"kind": "depth", "show": "seen"}
        picture = decoded(self.question("look-picture", subject=seen, view="srgb", width=WIDTH))
        _, colour, _ = flattened(own.with_names(("R", "G", "B"), ()))
        light = np.moveaxis(colour, 0, -1).clip(0, 1)
        codes = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)  # IEC 61966-2-1
        self.assertLessEqual(np.abs(picture - np.floor(codes * 255 + 0.5)).max(), 1)
        for show in ("flat", "difference", "samples"):
            self.assertEqual(self.question("look-picture", subject={"kind": "depth", "show": show}).status_code, 200)

    def test_a_ledger_can_begin_from_deep_passes_alone(self):
        asked = {"ledgerId": self.ledger.pk, "frame": 1001, "denoised": False, "layers": False}
        made = self.ask("rebuild-first", **asked, by="deep").json()["ledger"]
        (group,) = made["rows"]
        self.assertEqual((made["beauty"], group["kind"], group["in_balance"]), ("render/beauty", "depth", True))
        starts = self.client.get(self.url("rebuild")).context["page"]["starts"]
        self.assertIn("deep", [start["title"] for start in starts])

    def test_the_section_of_a_pixel_and_the_points_are_its_samples(self):
        self.open()
        own = self.samples[1001]
        pixel = int(np.argmax(np.diff(own.offsets)))
        y, x = divmod(pixel, WIDTH)
        answer = self.question("rebuild-deep-section", x=x, y=y).json()
        run = slice(own.offsets[pixel], own.offsets[pixel + 1])
        found = sorted((slab["front"], slab["back"], round(slab["alpha"], 5)) for slab in answer["slabs"])
        wanted = zip(*own.depth[run].T.tolist(), own.alpha[run].tolist(), strict=True)
        self.assertEqual(found, sorted((front, back, round(alpha, 5)) for front, back, alpha in wanted))
        self.assertAlmostEqual(answer["gathered"][-1][1], float(flattened(own)[0][y, x]), places=5)
        points = self.question("rebuild-deep-points").content
        count, total = struct.unpack("<2I", points[:8])
        self.assertEqual((count, total, len(points)), (len(own), len(own), 8 + 16 * len(own)))
        depths = np.frombuffer(points, "<f4", 3 * count, 8).reshape(-1, 3)[:, 2]
        np.testing.assert_allclose(np.sort(depths), np.sort(own.depth.mean(axis=1)), rtol=1e-6)
        self.assertEqual(self.question("rebuild-deep-section", x=WIDTH, y=0).status_code, 422)

    def test_a_card_is_added_put_into_the_ledger_and_changed_there(self):
        self.open()
        added = self.question("rebuild-deep-add", source="card render/beauty").json()
        self.bench = added["ledger"]
        card = self.bench["rows"][0]["rows"][-1]
        self.assertEqual((card["kind"], card["id"], card["source"]), ("card", added["row"], "render/beauty"))
        self.assertEqual(card["depth"], round(float(np.median(self.samples[1001].depth[:, 0])), 3))
        self.assertEqual(self.question("rebuild-deep-put").status_code, 200)
        card["depth"] = 3.0
        self.assertEqual(self.question("rebuild-deep-put").status_code, 200)
        self.ledger.refresh_from_db()
        groups = [row for row in self.ledger.document["rows"] if row.get("kind") == "depth"]
        self.assertEqual([group["rows"][-1]["depth"] for group in groups], [3.0])
        page = self.open()
        self.assertTrue(page["inLedger"])
        self.assertEqual(page["ledger"]["rows"], groups)
        self.client.force_login(self.reviewer)
        self.assertEqual(self.question("rebuild-deep-put").status_code, 403)

    def test_what_limits_cost_is_measured(self):
        self.open()
        answer = self.question("rebuild-deep-costs", error=1e-4).json()
        best = answer["costs"][answer["best"]]
        self.assertLessEqual(max(best["flat_error"], best["holdout_error"]), 1e-4)
        within = [cost for cost in answer["costs"] if max(cost["flat_error"], cost["holdout_error"]) <= 1e-4]
        self.assertEqual(best["bytes"], min(cost["bytes"] for cost in within))
        self.assertTrue(any(cost["holdout_error"] > 1e-4 for cost in answer["costs"]))

    def test_files_are_written_by_workers_and_another_library_reads_them(self):
        self.open()
        own = self.samples[1001]
        for way in ("deep", "flat"):
            self.assertEqual(self.question("rebuild-deep-write", way=way, frames="1001", most=2).status_code, 200)
        self.work_all()
        tasks = Task.objects.filter(job__kind="deep-files")
        self.assertEqual([task.state for task in tasks], [State.DONE] * 2)
        deep = oiio.ImageInput.open(str(shot_folder(self.shot) / "deep/by_depth_deep_v001/by_depth_deep_v001.1001.exr"))
        data = deep.read_native_deep_image()
        self.assertLessEqual(max(data.samples(pixel) for pixel in range(WIDTH * HEIGHT)), 2)
        path = shot_folder(self.shot) / "deep/by_depth_flat_v001/by_depth_flat_v001.1001.exr"
        flat = oiio.ImageBuf(str(path)).get_pixels(oiio.FLOAT)
        alpha, colour, _ = flattened(own.with_names(("R", "G", "B"), ()))
        np.testing.assert_allclose(np.moveaxis(flat, -1, 0)[:4], [*colour, alpha], atol=2e-6)
        self.assertEqual(self.question("rebuild-deep-write", way="deep", frames="7").status_code, 422)
        self.assertEqual(self.question("rebuild-deep-write", way="boxes").status_code, 422)


class Alone(WorldCase):
    def test_a_folder_of_deep_files_alone_is_a_shot_that_balances(self):
        rng = np.random.default_rng(5)
        rgba = rng.random((4, HEIGHT, WIDTH)).astype(np.float32)
        for name, depth in (("planets", 2.0), ("mist", 5.0)):
            samples = placed(rgba, depth, window=WINDOW, display=WINDOW)
            write_samples(self.folder / f"TST_010_{name}_deep.1001.exr", samples)
        look(Place.objects.create(shot=self.shot, folder=str(self.folder), name="deep"))
        ledger = open_ledger(self.shot)
        (group,) = ledger.document["rows"]
        self.assertEqual((group["kind"], len(group["rows"])), ("depth", 1))
        page = self.client.get(self.url("rebuild-deep"))
        self.assertContains(page, "Deep bench of TST_010")
        self.assertEqual(self.client.get(self.url("shot-picture")).status_code, 200)
        asked = {"ledgerId": ledger.pk, "ledger": ledger.document, "frame": 1001}
        self.assertEqual(self.ask("rebuild-balance", **asked).json()["balanced"], True)
        other = next(e for e in self.shot.elements.all() if e.name not in group["rows"][0]["source"])
        added = self.ask("rebuild-deep-add", **asked, source=f"{other.name}/deep").json()
        self.assertEqual([row["kind"] for row in added["ledger"]["rows"][0]["rows"]], ["deep", "deep"])

    def test_without_deep_files_it_says_what_to_do(self):
        self.with_ledger()
        self.assertContains(self.client.get(self.url("rebuild-deep")), "Nothing deep here yet")


class Limits(WorldCase):
    def test_limits_are_measured_on_a_small_frame_of_the_scene(self):
        self.give_scene(build_scene())
        asked = {"camera": "wide", "error": "0.05"}
        read = lambda: self.client.get(self.url("plan-limits"), asked).json()["limits"]  # noqa: E731
        self.assertIsNone(read())
        with mock.patch("desk.plan.limits.SMALL", (24, 14)):
            self.assertEqual(self.ask("plan-limits", camera="wide").status_code, 200)
            self.work_all()
        limits = read()
        best = limits["costs"][limits["best"]]
        self.assertLessEqual(max(best["flat_error"], best["holdout_error"]), 0.05)
        samples = [cost["samples"] for cost in limits["costs"] if cost["tolerance"] == 0]
        self.assertEqual(samples, sorted(samples))
        self.assertLess(samples[0], samples[-1])
        self.give_scene(build_scene().replace(name="another"))
        self.assertIsNone(read(), "what was measured on another scene is no answer")
