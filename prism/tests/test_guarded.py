"""The door for foreign files: what breaks, hangs or devours a reader is one sentence, and the next file is read."""

import contextlib
import io
import os
import pwd
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path
from unittest import mock

import numpy as np
import OpenEXR

from prism.__main__ import main
from prism.delivery.deliver import deliver
from prism.delivery.encodings.exr import Exr
from prism.errors import PrismError, TooLarge, UnreadableFile
from prism.formats import guarded
from prism.formats.exr import passing, read_channels, write_exr
from prism.formats.headers import read_parts
from prism.formats.planes import PlaneFolder
from prism.formats.sandbox import shut_in_version
from prism.ledger.document import Ledger
from prism.naming.timecode import TimeCode
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.sources.opening import find_sources
from prism.sources.pixels import picture_of
from prism.tests.damaged import RAW_ATTRIBUTES, attribute, damaged_files, odd_files, one_pixel, sound_files
from prism.tests.frames import FolderCase
from prism.tests.readers import READERS, outcome


class Damaged(FolderCase):
    def test_hurt_files_are_read_or_refused_in_one_sentence(self):
        """A seeded tenth of what `python -m bench faults` tries."""
        counts = {}
        for path in damaged_files(self.folder, 115, seed=3):
            for read in READERS.values():
                said = outcome(read, path)
                counts[said] = counts.get(said, 0) + 1
        self.assertEqual(set(counts), {"read", "refused"}, counts)
        self.assertGreater(counts["refused"], 150)
        self.assertGreater(counts["read"], 50)

    def test_the_worst_ever_met_are_refused_by_every_reader(self):
        for name, path in odd_files(self.folder).items():
            for reader, read in READERS.items():
                with self.subTest(name, reader=reader):
                    self.assertEqual(outcome(read, path), "refused")

    def test_sound_files_are_read(self):
        """So that the tests above cannot pass by refusing everything."""
        for path in sound_files(self.folder):
            with self.subTest(path.name):
                self.assertEqual(outcome(READERS["audit"], path), "read")

    def test_a_jpeg_that_was_cut_short_is_not_filled_up(self):
        (path,) = (path for path in sound_files(self.folder) if path.suffix == ".jpg")
        whole = path.read_bytes()
        path.write_bytes(whole + b"and more, as some cameras write")
        self.assertEqual(outcome(READERS["pages"], path), "read")
        for kept in (len(whole) - 2, len(whole) // 2 + len(whole) // 4):
            path.write_bytes(whole[:kept])
            with self.assertRaisesRegex(UnreadableFile, "Cut short"):
                READERS["pages"](path)
        size = whole.find(b"\xff\xc0") + 5
        path.write_bytes(whole[:size] + struct.pack(">HH", 9000, 9000) + whole[size + 4 :])
        with self.assertRaisesRegex(UnreadableFile, "Cut short"):
            READERS["pages"](path)

    def test_names_that_are_not_utf_8(self):
        path = self.folder / os.fsdecode(b"caf\xe9.1001.exr")
        self.write("x.exr", {name: np.ones((2, 2), np.float32) for name in "RGB"}).rename(path)
        self.assertEqual(outcome(READERS["audit"], path), "read")
        strict = io.TextIOWrapper(io.BytesIO(), encoding="ascii", errors="strict")
        with contextlib.redirect_stdout(strict):
            self.assertEqual(main(["inspect", str(path)]), 0)
        strict.flush()
        self.assertIn(b"caf", strict.buffer.getvalue())
        with self.assertRaises(UnreadableFile) as caught:
            read_parts(path.with_suffix(".no"))
        self.assertEqual(str(caught.exception).encode().decode(), str(caught.exception))

    def test_passes_far_apart_are_not_put_on_one_canvas(self):
        display = Window.of_size(4, 4)
        paths = []
        for name, at in (("beauty", 0), ("diffuse", 1 << 29)):
            paths.append(self.folder / f"{name}.1001.exr")
            planes = {channel: np.ones((2, 2), np.float32) for channel in "RGB"}
            write_exr(
                paths[-1], Image(channels=planes, data_window=Window(at, at, at + 1, at + 1), display_window=display)
            )
        with self.assertRaisesRegex(TooLarge, "is so far from the others"):
            find_sources(paths)
        alone = find_sources(paths[1:])
        self.assertEqual(picture_of(alone, np.ones((4, 2, 2), np.float32)).on_display.sum(), 0)


TRIED = """
def tried(what):
    try:
        what()
        return "done"
    except OSError as error:
        return error.strerror
"""
BECOME = (
    TRIED
    + """
import os, sys
from pathlib import Path
from prism.formats.sandbox import become
folder = Path(sys.argv[1])
opened = [os.open(folder / name, os.O_RDONLY) for name in ("for all", "for one")]
become(sys.argv[2])
again = lambda file: lambda: os.open(f"/proc/self/fd/{file}", os.O_RDONLY)
print([os.geteuid() == 0, *map(tried, (
    *map(again, opened),
    lambda: (folder / "new").write_text("x"), lambda: os.kill(os.getppid(), 0), lambda: os.setuid(0),
))])
"""
)
SHUT_IN = (
    TRIED
    + """
import os, socket, sys
from pathlib import Path
from prism.formats.sandbox import shut_in
folder, port = Path(sys.argv[1]), int(sys.argv[2])
held = open(folder / "written", "w")
if not shut_in([folder / "secret", folder / "deep" / "secret"]):
    sys.exit("not on this system")
print([
    tried(lambda: (folder / "open").read_text()), tried(lambda: (folder / "deep" / "open").read_text()),
    tried(lambda: held.write("x") and held.flush()), tried(lambda: (folder / "secret").read_text()),
    tried(lambda: (folder / "deep" / "secret" / "x").read_text()), tried(lambda: (folder / "new").write_text("x")),
    tried(lambda: os.unlink(folder / "open")), tried(lambda: socket.create_connection(("127.0.0.1", port), 1)),
    tried(lambda: Path(f"/proc/{os.getppid()}/environ").read_bytes()),
])
"""
)


class ShutIn(FolderCase):
    """What decodes foreign files can read no secret, write nowhere, and reach nobody."""

    def test_by_the_kernel_itself(self):
        for name in ("open", "secret", "deep/open", "deep/secret/x"):
            path = self.folder / name
            path.parent.mkdir(exist_ok=True, parents=True)
            path.write_text("x")
        with socket.create_server(("127.0.0.1", 0)) as server:
            command = [sys.executable, "-c", SHUT_IN, str(self.folder), str(server.getsockname()[1])]
            done = subprocess.run(command, capture_output=True, text=True)
        if "not on this system" in done.stderr:
            self.skipTest("This kernel has no Landlock.")
        self.assertEqual(done.stdout.strip(), str(["done"] * 3 + ["Permission denied"] * 6), done.stderr)


@unittest.skipUnless(os.geteuid() == 0, "Only root can become another user.")
class Nobody(FolderCase):
    """What decodes for root is a user without rights: `nobody` here, one of the house's own where the launcher starts
    it."""

    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, {"PRISM_DECODER": "nobody"}))
        self.door = guarded._Door(1)
        self.enterContext(mock.patch.object(guarded, "_door", self.door))
        self.addCleanup(lambda: [child.end() for child in self.door._idle])
        self.folder.chmod(0o755)

    def test_it_may_read_what_all_may_and_nothing_else(self):
        for name, mode in (("for all", 0o644), ("for one", 0o600)):
            (self.folder / name).write_text("x")
            (self.folder / name).chmod(mode)
        command = [sys.executable, "-c", BECOME, str(self.folder), "nobody"]
        done = subprocess.run(command, capture_output=True, text=True, cwd=Path(guarded._PACKAGES))
        denied, forbidden = "Permission denied", "Operation not permitted"
        self.assertEqual(done.stdout.strip(), str([False, "done", denied, denied, forbidden, forbidden]), done.stderr)

    def test_files_are_decoded_whoever_may_read_them(self):
        for mode in (0o644, 0o600):
            path = self.write(f"{mode}.exr", {"R": np.full((4, 4), 7, np.float32)})
            path.chmod(mode)
            np.testing.assert_array_equal(read_channels(path, read_parts(path)[0]).plane("R"), 7)
            process = self.door._idle[-1]._process
            self.assertEqual(Path(f"/proc/{process.pid}").stat().st_uid, pwd.getpwnam("nobody").pw_uid)

    def test_every_kind_of_file_comes_to_the_same(self):
        """Whatever a library looks for later, it finds."""
        paths = sound_files(self.folder)
        asked = []
        for user in ("", "nobody"):
            with mock.patch.dict(os.environ, {"PRISM_DECODER": user}):
                asked.append({path.name: outcome(READERS["pages"], path) for path in paths})
            while self.door._idle:
                self.door._idle.pop().end()
        self.assertEqual(*asked)


class Children(FolderCase):
    def child(self) -> subprocess.Popen:
        """The one that decodes for this process, after one file."""
        self.read()
        return guarded._door._idle[-1]._process

    def read(self):
        path = self.write("sound.exr", {"R": np.full((4, 4), 7, np.float32)})
        return read_channels(path, read_parts(path)[0]).plane("R")

    def test_folders_made_later_are_seen_and_hidden_ones_are_not(self):
        """Where the kernel shuts children in, they see the folders that there were then."""
        door = guarded._Door(1)
        (self.folder / "hidden").mkdir()
        with (
            mock.patch.object(guarded, "_door", door),
            mock.patch.dict(os.environ, {"PRISM_HIDDEN": str(self.folder / "hidden")}),
        ):
            np.testing.assert_array_equal(self.read(), 7)
            for name in ("later", "hidden"):
                (self.folder / name).mkdir(exist_ok=True)
                (self.folder / name / "a.exr").write_bytes((self.folder / "sound.exr").read_bytes())
            later, hidden = (self.folder / name / "a.exr" for name in ("later", "hidden"))
            np.testing.assert_array_equal(read_channels(later, read_parts(later)[0]).plane("R"), 7)
            if shut_in_version() > 0:
                with self.assertRaisesRegex(UnreadableFile, "Nothing is decoded in this folder"):
                    read_channels(hidden, read_parts(hidden)[0])
            for child in door._idle:
                child.end()

    def test_what_a_child_needs_it_has_before_it_is_shut_in(self):
        """It reads no module afterwards: not one more is there after a file with an entry of every kind."""
        path = self.folder / "rate.exr"
        more = {"framesPerSecond": Fraction(24000, 1001), "timeCode": TimeCode(1, 2, 3, 4), "note": "x", "ratio": 1.5}
        write_exr(path, Image.of_planes({name: np.full((4, 5), 3, np.float16) for name in "RGB"}, **more))
        script = f"""
import sys
import prism.formats.child
before = set(sys.modules)
import OpenEXR
OpenEXR.File({str(path)!r}, separate_channels=True)
sys.exit(" ".join(set(sys.modules) - before) or 0)
"""
        done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stderr.strip()), (0, ""))

    def test_a_child_that_dies_is_replaced(self):
        for how in (signal.SIGKILL, signal.SIGSEGV):
            child = self.child()
            child.send_signal(how)
            child.wait()
            np.testing.assert_array_equal(self.read(), 7)

    def test_a_crash_in_the_middle_is_one_sentence(self):
        asked, take = threading.Event(), guarded._Child._take

        def waits(child, count):
            asked.set()
            return take(child, count)

        with ThreadPoolExecutor(1) as pool:
            child = self.child()
            child.send_signal(signal.SIGSTOP)
            with mock.patch.object(guarded._Child, "_take", autospec=True, side_effect=waits):
                reading = pool.submit(self.read)
                self.assertTrue(asked.wait(30))
            child.send_signal(signal.SIGSEGV)
            child.send_signal(signal.SIGCONT)
            with self.assertRaisesRegex(UnreadableFile, "broke on this file .SIGSEGV"):
                reading.result(30)
        np.testing.assert_array_equal(self.read(), 7)

    def test_a_child_that_hangs_is_ended(self):
        child = self.child()
        child.send_signal(signal.SIGSTOP)
        with mock.patch.object(guarded, "SECONDS", 1), self.assertRaisesRegex(UnreadableFile, "more than 1 s"):
            self.read()
        self.assertEqual(child.returncode, -signal.SIGKILL)
        np.testing.assert_array_equal(self.read(), 7)

    def test_memory_is_limited(self):
        path = self.write("large.exr", {"R": np.ones((2000, 2000), np.float32)})
        with mock.patch.object(guarded, "MEMORY", -(57 << 20)), self.assertRaisesRegex(PrismError, "memory|broke"):
            read_channels(path, read_parts(path)[0])
        np.testing.assert_array_equal(self.read(), 7)

    def test_a_child_knows_nothing_of_its_parent(self):
        with mock.patch.dict(os.environ, {"EAGER_SECRET_KEY": "secret"}):
            started = guarded._Child()
        self.addCleanup(started.end)
        place = Path(f"/proc/{started._process.pid}/environ")
        for _ in range(200):  # until it runs its own program there is nothing to read
            if environment := place.read_bytes():
                break
            time.sleep(0.05)
        self.assertNotIn(b"EAGER_SECRET_KEY", environment)
        self.assertIn(b"PYTHONPATH", environment)

    def test_many_threads_at_once(self):
        paths = [self.write(f"{n}.exr", {"R": np.full((64, 64), n, np.float32)}) for n in range(12)]
        with ThreadPoolExecutor(12) as pool:
            planes = pool.map(lambda path: read_channels(path, read_parts(path)[0]).plane("R"), paths)
        self.assertEqual([float(plane.max()) for plane in planes], list(range(12)))


class Kept(FolderCase):
    def setUp(self):
        super().setUp()
        self.kept = PlaneFolder(self.folder / "planes", 1 << 20)

    def plane(self, path: Path):
        return read_channels(path, read_parts(path)[0], ["R"], cache=self.kept).plane("R")

    def files(self):
        return sorted(path.name for path in self.kept.path.iterdir())

    def test_planes_are_decoded_once_while_the_file_stays(self):
        path = self.write("a.exr", {"R": np.full((4, 4), 1, np.float16)})
        first = self.plane(path)
        first[...] = 9  # private to whoever reads
        with mock.patch.object(guarded._door, "ask", side_effect=AssertionError("decoded again")):
            self.assertEqual(self.plane(path).tolist(), np.ones((4, 4)).tolist())
        self.write("a.exr", {"R": np.full((4, 4), 2, np.float16)})
        self.assertEqual(float(self.plane(path).max()), 2)

    def test_it_stays_within_its_bytes_and_drops_the_longest_unused(self):
        paths = [self.write(f"{n}.exr", {"R": np.full((256, 256), n, np.float32)}) for n in range(8)]
        for path in paths:
            self.plane(path)
        self.assertLessEqual(sum(path.stat().st_blocks * 512 for path in self.kept.path.iterdir()), 1 << 20)
        self.assertGreaterEqual(len(self.files()), 3)
        self.assertEqual([float(self.plane(path).max()) for path in paths], list(range(8)))

    def test_what_a_reader_left_behind_goes_after_an_hour_however_small(self):
        self.kept.path.mkdir()
        ages = {"young.new": 3500, "old.new": 3700}
        for name, age in ages.items():
            (self.kept.path / name).write_bytes(b"half of a plane")
            os.utime(self.kept.path / name, (time.time() - age,) * 2)
        self.kept.trim()
        self.assertEqual(self.files(), ["young.new"])

    def test_a_refused_file_leaves_nothing_and_a_cut_one_is_made_again(self):
        path = self.write("a.exr", {"R": np.full((40, 40), 3, np.float32)})
        path.write_bytes(path.read_bytes()[:-20])
        with self.assertRaises(UnreadableFile):
            self.plane(path)
        self.assertEqual(self.files(), [])
        self.write("a.exr", {"R": np.full((40, 40), 3, np.float32)})
        self.plane(path)
        os.truncate(self.kept.path / self.files()[0], 100)
        self.assertEqual(float(self.plane(path).max()), 3)


class Attributes(FolderCase):
    """What a file says of itself goes on into the rebuilt one, read back here with OpenEXR's own library or by its
    bytes."""

    def rebuilt(self, name: str, raw_file: bytes) -> tuple[Path, list[str]]:
        path = self.folder / name
        path.write_bytes(raw_file)
        sources = find_sources([path])
        ledger = Ledger(name="x", beauty=next(iter(sources)).key)
        out = self.folder / f"out_{name}"
        return out, deliver(ledger, sources, out, Exr(pixel="float", compression="none"))

    def test_every_type_passes_byte_for_byte(self):
        more = b"".join(attribute(f"my {kind}", kind, raw) for kind, raw in RAW_ATTRIBUTES.items())
        out, remarks = self.rebuilt("all.exr", one_pixel(more=more))
        self.assertEqual(remarks, [])
        written = out.read_bytes()
        for kind, raw in RAW_ATTRIBUTES.items():
            self.assertIn(attribute(f"my {kind}", kind, raw), written, kind)

    def test_the_standard_ones_read_by_openexr(self):
        more = (
            attribute("chromaticities", "chromaticities", struct.pack("<8f", *np.linspace(0.1, 0.8, 8)))
            + attribute("adoptedNeutral", "v2f", struct.pack("<2f", 0.3, 0.4))
            + attribute("timeCode", "timecode", struct.pack("<II", 0x01020304, 0))
            + attribute("originalDataWindow", "box2i", struct.pack("<4i", 0, 1, 2, 3))
            + attribute("worldToCamera", "m44f", struct.pack("<16f", *range(16)))
            + attribute("owner", "string", b"me")
            + attribute("dwaCompressionLevel", "float", struct.pack("<f", 45))
        )
        out, remarks = self.rebuilt("standard.exr", one_pixel(more=more))
        self.assertEqual(remarks, [])
        with OpenEXR.File(str(out)) as file:
            said = file.header()
            np.testing.assert_allclose(said["chromaticities"], np.linspace(0.1, 0.8, 8).astype(np.float32))
            self.assertEqual((said["timeCode"].hours, said["owner"]), (1, "me"))
            np.testing.assert_array_equal(said["worldToCamera"].ravel(), range(16))

    def test_what_no_file_can_carry_is_dropped_with_a_remark(self):
        more = attribute("chromaticities", "string", b"none") + attribute("owner", "string", b"me")
        out, remarks = self.rebuilt("odd.exr", one_pixel(more=more))
        self.assertEqual(remarks, ["Header entries that no new file can carry were dropped: chromaticities."])
        self.assertEqual(read_parts(out)[0].says("owner"), "me")
        kept, dropped = passing(read_parts(self.folder / "odd.exr")[0].attributes)
        self.assertEqual(
            (sorted(kept), dropped), (["owner", "screenWindowCenter", "screenWindowWidth"], ["chromaticities"])
        )

    def test_time_codes_pass_whatever_their_bits(self):
        for _ in range(200):
            words = [int(word) for word in self.rng.integers(0, 1 << 32, 2, dtype=np.uint64)]
            if self.rng.random() < 0.5:  # one that is a time
                words[0] = words[0] & 0xC0808080 | 0x12345215
            raw = struct.pack("<II", *words)
            path = self.folder / "code.exr"
            path.write_bytes(one_pixel(more=attribute("timeCode", "timecode", raw)))
            write_exr(path, read_channels(path, read_parts(path)[0]))
            self.assertEqual(read_parts(path)[0].attributes["timeCode"].raw, raw)


class Headers(FolderCase):
    def test_a_header_is_read_once_until_the_file_changes(self):
        path = self.write("a.exr", {"R": np.ones((2, 2), np.float32)})
        first = read_parts(path)[0]
        self.assertIs(read_parts(path)[0], first)
        self.write("a.exr", {"Z": np.ones((2, 2), np.float32)})
        self.assertEqual(list(read_parts(path)[0].channels), ["Z"])

    def test_it_says_what_openexr_says(self):
        for path in sound_files(self.folder):
            if path.suffix != ".exr":
                continue
            with self.subTest(path.name), OpenEXR.File(str(path), separate_channels=True) as file:
                for ours, theirs in zip(read_parts(path), file.parts, strict=True):
                    box = theirs.header["dataWindow"]
                    self.assertEqual((*box[0], *box[1]), (0, 0, ours.data_window.x1, ours.data_window.y1))
                    self.assertEqual(set(ours.channels), set(theirs.channels))
                    self.assertEqual(
                        ours.compression,
                        theirs.compression().name.removesuffix("_COMPRESSION").lower().replace("no", "none"),
                    )
                    self.assertEqual(ours.deep, theirs.type() == OpenEXR.deepscanline)
                    self.assertEqual(ours.tiled, theirs.type() == OpenEXR.tiledimage)
                    types = {name: channel.type().name.lower() for name, channel in theirs.channels.items()}
                    self.assertEqual(dict(ours.channels), types)
