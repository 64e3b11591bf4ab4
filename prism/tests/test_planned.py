"""Files that follow a plan are known by it, and never guessed; scans and names hold for anything people write."""

import json
import random

import numpy as np

from prism.elements import disk
from prism.elements.element import Element
from prism.elements.gathering import gather
from prism.elements.identify import candidates, from_key
from prism.elements.planned import AS_PLANNED, PlannedNames
from prism.errors import UnknownSource, UnreadableFile
from prism.formats.deep import write_deep
from prism.formats.exr import write_exr, write_parts
from prism.formats.stills import write_values
from prism.passes.catalogue import BY_KEY, CATALOGUE
from prism.passes.kinds import Role
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.plan.expansion import expand
from prism.plan.packing import Packing, Storage
from prism.plan.plan import Layer, Quality
from prism.sources.opening import open_frame, open_frames
from prism.tests.frames import FolderCase
from prism.tests.plans import FACTS, plan_of
from prism.tests.test_command_line import run

SIZE = (5, 8)
ALL = tuple(kind.key for kind in CATALOGUE if kind.role not in (Role.GROUP, Role.PART, Role.OVERLAY))


class Planned(FolderCase):
    def carry_out(self, plan, frames=(1, 2)):
        """Every file of a plan with random pixels in just the planned channels."""
        files = expand(plan, FACTS)
        for planned in files:
            for frame in frames:
                path = self.folder / planned.path(frame)
                path.parent.mkdir(parents=True, exist_ok=True)
                self.put(path, planned)
        return files

    def put(self, path, planned):
        dtypes = {"half": np.float16, "float": np.float32, "uint": np.uint32}
        group = planned.group
        if group.passes[0].key == "deep":
            values = self.rng.random((SIZE[0] * SIZE[1], 6)).astype(np.float32)
            window = Window.of_size(SIZE[1], SIZE[0])
            runs = dict(zip(planned.channels, values.T, strict=True))
            write_deep(path, np.ones(SIZE, np.int32), runs, data_window=window, display_window=window)
        elif group.storage.format != "exr":
            planes = [self.rng.random(SIZE).astype(np.float32) for _ in planned.channels]
            write_values(path, planes, pixel=group.storage.pixel)
        elif group.in_parts:
            parts = []
            for pass_ in group.passes:
                names = pass_.kind.channel_names(pass_.key, alone=group.alone, levels=group.levels)
                planes = {n: self.rng.random(SIZE).astype(dtypes[planned.channels[n]]) for n in names}
                parts.append((pass_.key, Image.of_planes(planes)))
            write_parts(path, parts)
        else:
            planes = {n: self.rng.random(SIZE).astype(dtypes[kind]) for n, kind in planned.channels.items()}
            write_exr(path, Image.of_planes(planes))

    def gathered(self, files):
        names = PlannedNames(files, FACTS.labels)
        return gather(disk.scan(self.folder).sequences, root=self.folder, plan=names).elements

    def keys_of(self, files):
        """What the plan writes, ranks and denoised ones as keys of their own; a stray beauty aside."""
        keys = set()
        for planned in files:
            for pass_ in planned.passes:
                ranks = range(-(-planned.group.levels // 2)) if pass_.kind.ranked else [None]
                names = [pass_.key if rank is None else f"{pass_.key}{rank:02}" for rank in ranks]
                keys |= {f"{name}_denoised" if planned.group.denoised else name for name in names}
        return keys

    def test_every_packing_gives_just_the_planned_passes(self):
        packings = [
            Packing(rule=rule, beauty_in_data=True) for rule in ("one-file", "each-pass", "colour-and-data", "parts")
        ]
        tiff = Storage(format="tiff", pixel="float")
        cases = [(packing, (*ALL, "light_group", "group_components")) for packing in packings]
        cases.append(
            (
                Packing(rule="each-pass", colour=Storage(format="png", pixel="uint16"), data=tiff),
                ("beauty", "emission", "normals", "occlusion"),
            )
        )
        for number, (packing, passes) in enumerate(cases, start=1):
            plan = plan_of(passes=passes, packing=packing, number=number, quality=Quality(denoise=True))
            files = self.carry_out(plan)
            with self.subTest(packing=packing):
                (element,) = [e for e in self.gathered(files) if e.number == number]
                taken = [pass_ for pass_ in element.passes if not pass_.excluded]
                self.assertEqual({pass_.key for pass_ in taken}, self.keys_of(files))
                self.assertEqual({pass_.reason for pass_ in taken}, {AS_PLANNED})
                self.assertTrue(element.planned and element.frames == (1, 2))
                frame = open_frame(element, 2)
                self.assertEqual(frame.faults, ())
                for pass_ in taken:
                    self.assertEqual(frame.pixels(pass_.key).planes[0].shape, SIZE)

    def test_layers_and_cameras_are_elements_with_their_names(self):
        layers = (Layer(name="hero"), Layer(name="set", passes=("depth",)))
        files = self.carry_out(plan_of(layers=layers, cameras=("wide", "close"), passes=("beauty", "diffuse_direct")))
        found = {(e.layer, e.camera): [pass_.key for pass_ in e.passes] for e in self.gathered(files)}
        both = ["beauty", "diffuse_direct"]
        self.assertEqual(
            found,
            {("hero", "wide"): both, ("hero", "close"): both, ("set", "wide"): ["depth"], ("set", "close"): ["depth"]},
        )

    def test_labels_that_are_words_of_passes_are_no_trouble(self):
        """A light called after a pass would be misread by its name; the plan knows better."""
        labels = {"key_1": "diffuse", "dusk": "sky_depth", "spare": "shadow"}
        files = self.carry_out(plan_of(passes=("beauty", "light_group", "group_components"), light_labels=labels))
        (element,) = self.gathered(files)
        self.assertEqual({pass_.key for pass_ in element.passes}, self.keys_of(files))
        self.assertIn("light_diffuse", {pass_.key for pass_ in element.passes})

    def test_what_nobody_planned_is_of_no_planned_image(self):
        """Light groups apart, whose lights a plan does not know without its scene."""
        files = self.carry_out(plan_of(passes=("beauty", "emission"), packing=Packing(rule="each-pass")))
        planned = self.folder / files[0].path(1)
        for word in ("mystery", "depth", "light_moon"):
            name = planned.name.replace("beauty", word)
            self.assertNotEqual(name, planned.name)
            write_exr(planned.with_name(name), Image.of_planes({c: np.ones(SIZE, np.float16) for c in "RGB"}))
        found = {pass_.key: e.planned for e in self.gathered(files) for pass_ in e.passes}
        self.assertEqual((found["beauty"], found["light_moon"], found["depth"]), (True, True, False))

    def test_another_version_of_the_plan_is_planned_as_well(self):
        files = self.carry_out(plan_of(number=3))
        (element,) = self.gathered(expand(plan_of(number=7), FACTS))
        self.assertEqual((element.number, element.planned), (3, True))
        self.assertEqual({pass_.key for pass_ in element.passes}, self.keys_of(files))

    def test_documents_come_back_from_json(self):
        (element,) = self.gathered(self.carry_out(plan_of()))
        self.assertEqual(Element.from_json(json.loads(json.dumps(element.as_json()))), element)
        self.assertEqual(len(element.files_at(1)), 1)
        self.assertEqual(element.files_at(9), [])

    def test_the_command_line_holds_files_against_a_plan(self):
        plan = plan_of(passes=("beauty", "depth"), packing=Packing(rule="each-pass"))
        files = self.carry_out(plan, frames=range(1, 11))
        document = self.folder / "plan.json"
        document.write_text(json.dumps(plan.as_json()))
        code, out, _ = run("intake", self.folder, "--plan", document, "--json")
        kinds = {finding["code"] for finding in json.loads(out)["findings"]}
        self.assertEqual((code, kinds), (0, set()), out)
        for frame in range(1, 11):
            (self.folder / files[1].path(frame)).unlink()
        (self.folder / files[0].path(4)).unlink()
        code, out, _ = run("intake", self.folder, "--plan", document, "--json")
        missing = [finding["frames"] for finding in json.loads(out)["findings"] if finding["code"] == "missing"]
        self.assertEqual((code, sorted(missing, key=len)), (1, [[4], list(range(1, 11))]))


class Anything(FolderCase):
    def test_every_file_is_in_one_sequence_under_its_own_name(self):
        """For random names of all the shapes that people use."""
        rand = random.Random(5)
        words = ["shot", "v003", "Diffuse", "a-b", "x.y", "010", "L", "take 2", "café"]
        names = set()
        while len(names) < 600:
            stem = rand.choice(["_", ".", "-", ""]).join(rand.sample(words, rand.randint(1, 3)))
            frame = rand.choice(
                [
                    "",
                    f".{rand.randint(-20, 2000):04d}",
                    f"_{rand.randint(0, 99)}",
                    f"{rand.randint(0, 9):02d}",
                    ".0007.left",
                ]
            )
            names.add(f"{stem}{frame}.{rand.choice(['exr', 'PNG', 'tif'])}")
        for name in names:
            (self.folder / name).touch()
        sequences = disk.scan(self.folder).sequences
        found = [sequence.path(frame).name for sequence in sequences for frame in sequence.files]
        self.assertEqual(sorted(found), sorted(names))
        for sequence in sequences:
            self.assertTrue(
                all(
                    disk.single(sequence.path(frame)).suffix.lower().endswith(sequence.suffix.lower()[-4:])
                    for frame in sequence.files
                )
            )

    def test_all_candidates_are_passes_of_the_catalogue_in_falling_certainty(self):
        rand = random.Random(7)
        words = [
            "diffuse",
            "spec",
            "light",
            "key",
            "raw",
            "direct",
            "crypto",
            "00",
            "z",
            "N",
            "hero",
            "v002",
            "sky",
            "R",
            "beauty",
            "motion",
            "id",
            "of",
            "L",
            "fwd",
            "denoised",
            "albedo",
        ]
        for _ in range(400):
            name = rand.choice(["_", ".", "-"]).join(rand.sample(words, rand.randint(1, 5)))
            found = list(candidates(name))
            sure = [match.certainty for match in found]
            self.assertEqual(sure, sorted(sure, reverse=True), name)
            for match in found:
                self.assertIn(match.kind.key, BY_KEY)
                again = from_key(match.key)
                self.assertEqual(again and again.key, match.key, (name, match))

    def test_folders_of_passes_in_any_order_and_spelling(self):
        """The same passes under random names, folders and prefixes make the same element."""
        spelt = {
            "beauty": ("beauty", "rgba", "BTY"),
            "diffuse_direct": ("diffuse_direct", "DiffDir", "direct-diffuse"),
            "specular_indirect": ("spec_ind", "SpecularIndirect", "indirect.specular"),
            "light_rim": ("light_rim", "RimLight", "L_rim"),
            "emission": ("emission", "emit", "Emissive"),
        }
        rand = random.Random(11)
        for number in range(6):
            folder = self.folder / str(number)
            for names in spelt.values():
                name = rand.choice(names)
                place = folder / (name if number % 2 else "")
                place.mkdir(parents=True, exist_ok=True)
                planes = {c: np.ones(SIZE, np.float16) for c in "RGB"}
                write_exr(place / f"{rand.choice(('sh010', 'sh010'))}_{name}.0001.exr", Image.of_planes(planes))
            elements = gather(disk.scan(folder).sequences, root=folder).elements
            self.assertEqual([{pass_.key for pass_ in e.passes} for e in elements], [set(spelt)], number)


class Several(FolderCase):
    def element(self, name, size=SIZE, **layers):
        folder = self.folder / name
        folder.mkdir()
        planes = {
            f"{layer}.{c}" if layer != "beauty" else c: np.full(size, value, np.float16)
            for layer, value in layers.items()
            for c in "RGB"
        }
        write_exr(folder / "s.0001.exr", Image.of_planes(planes))
        (element,) = gather(disk.scan(folder).sequences, root=folder).elements
        return element.replace(name=name)

    def test_keys_carry_the_element_and_bare_ones_are_of_the_first(self):
        frame = open_frames([self.element("a", beauty=1, emission=2), self.element("b", beauty=3, volume=4)], 1)
        values = {
            key: float(frame.pixels(key).planes[0][0, 0])
            for key in ("a/beauty", "b/beauty", "beauty", "emission", "b/volume")
        }
        self.assertEqual(values, {"a/beauty": 1, "b/beauty": 3, "beauty": 1, "emission": 2, "b/volume": 4})
        self.assertIn("emission", frame)
        with self.assertRaisesRegex(UnknownSource, "There is no source volume"):
            frame.source("volume")

    def test_the_first_sets_the_size(self):
        frame = open_frames([self.element("a", beauty=1), self.element("b", (9, 12), beauty=3)], 1)
        self.assertEqual((frame.window.shape, frame.pixels("b/beauty").planes[0].shape), (SIZE, SIZE))

    def test_a_frame_that_none_has(self):
        with self.assertRaisesRegex(UnreadableFile, "Frame 2 is not there"):
            open_frames([self.element("a", beauty=1)], 2)
