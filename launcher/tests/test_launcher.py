"""The launcher: services started, found again and ended; clear words when something is in the way."""

import json
import os
import pwd
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import tomllib
import unittest
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, nullcontext
from pathlib import Path
from unittest import mock

from launcher import cli, install, logs, parts, services, tested, times, users
from launcher import house as houses
from launcher.house import House
from launcher.services import Service
from launcher.trouble import Trouble

LISTEN = "import socket, time; s = socket.socket(); s.bind(('127.0.0.1', {port})); s.listen(); time.sleep(60)"
# Warm: ends by itself only when killed, so stopping has to insist.
STUBBORN = "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print('up', flush=True); time.sleep(60)"


class LauncherCase(unittest.TestCase):
    def setUp(self):
        self.var = Path(tempfile.mkdtemp(prefix="eager-test-"))
        self.addCleanup(shutil.rmtree, self.var, ignore_errors=True)
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.house = House(self.var, self.port, self.port, self.port)
        with mock.patch("builtins.print"):
            self.house.prepare()
        quiet = mock.patch("launcher.trouble.print", create=True)
        quiet.start()
        self.addCleanup(quiet.stop)
        self.addCleanup(services.stop, self.house, "web")

    def service(self, script=None, ready=None):
        command = [sys.executable, "-c", script or LISTEN.format(port=self.port)]
        return Service(
            "web", command, os.environ, ready or (lambda: services._answers(self.port)), self.port, "EAGER_PORT"
        )

    def pid(self):
        return int((self.var / "run" / "web.pid").read_text().split()[0])


class Services(LauncherCase):
    def test_started_once_found_again_and_ended(self):
        services.start(self.house, self.service())
        first = self.pid()
        services.start(self.house, self.service())
        self.assertEqual(self.pid(), first)
        self.assertTrue(services.is_running(self.house, "web"))
        self.assertTrue(services.stop(self.house, "web"))
        self.assertFalse(services._answers(self.port))
        self.assertFalse(services.stop(self.house, "web"))

    def test_killed_and_started_again(self):
        services.start(self.house, self.service())
        os.kill(self.pid(), signal.SIGKILL)
        while services.is_running(self.house, "web"):
            time.sleep(0.01)
        services.start(self.house, self.service())
        self.assertTrue(services.is_running(self.house, "web"))

    def test_a_taken_port_is_named(self):
        with socket.socket() as other:
            other.bind(("127.0.0.1", self.port))
            other.listen()
            with self.assertRaisesRegex(Trouble, f"Port {self.port} for web is taken.*EAGER_PORT"):
                services.start(self.house, self.service())

    def test_one_that_dies_at_once_is_said_with_its_last_words(self):
        with self.assertRaisesRegex(Trouble, "web ended at once: no room left"):
            services.start(self.house, self.service("raise SystemExit('no room left')", ready=lambda: False))

    def test_a_stranger_with_the_same_number_is_left_alone(self):
        """Process numbers are used again: the recorded birth must match, else the process is not ours."""
        stranger = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])
        self.addCleanup(stranger.wait)
        self.addCleanup(stranger.kill)
        (self.var / "run" / "web.pid").write_text(f"{stranger.pid} 12345")
        self.assertFalse(services.stop(self.house, "web"))
        self.assertIsNone(stranger.poll())

    def test_one_that_will_not_end_is_ended(self):
        log = self.var / "log" / "web.log"
        services.start(self.house, self.service(STUBBORN, ready=lambda: "up" in log.read_text()))
        with mock.patch.object(services, "STOP_SECONDS", 0.2):
            self.assertTrue(services.stop(self.house, "web"))

    def test_changed_files_end_what_keeps_them_in_memory(self):
        root = self.var / "code"
        for folder in ("desk", "prism"):
            (root / folder / "tests").mkdir(parents=True)
        kernel = root / "prism" / "kernel.py"
        kernel.write_text("one")
        with mock.patch.object(parts, "ROOT", root):
            services.start(self.house, self.service())
            parts.stop_outdated(self.house)  # begun before anything was known of its files
            self.assertFalse(services.is_running(self.house, "web"))
            services.start(self.house, self.service())
            (root / "prism" / "tests" / "test_kernel.py").write_text("a test serves nobody")
            parts.stop_outdated(self.house)
            self.assertTrue(services.is_running(self.house, "web"))
            kernel.write_text("another")
            parts.stop_outdated(self.house)
            self.assertFalse(services.is_running(self.house, "web"))

    def test_a_damaged_record_counts_as_not_running(self):
        (self.var / "run" / "web.pid").write_text("nonsense")
        self.assertFalse(services.is_running(self.house, "web"))


class TheHouse(LauncherCase):
    def test_secrets_are_made_once_and_private(self):
        first = self.house.secrets()
        self.assertEqual(self.house.secrets(), first)
        self.assertEqual(len(set(first.values())), 4)
        self.assertEqual((self.var / "secrets.json").stat().st_mode & 0o777, 0o600)

    def test_one_at_a_time(self):
        with self.house.alone("Tests"):
            with self.assertRaisesRegex(Trouble, "Tests run in .* already"), self.house.alone("Tests"):
                pass
        with self.house.alone("Tests"):  # free again
            pass

    def test_secrets_that_are_not_whole_end_in_one_sentence(self):
        self.house.secrets()
        for text in ("", "{", "[]", '{"django": "x", "queue": "y"}', '{"django": "x", "queue": "y", "database": ""}'):
            (self.var / "secrets.json").write_text(text)
            with (
                self.subTest(text),
                self.assertRaisesRegex(Trouble, "not whole. Put it back from a copy, or delete it"),
            ):
                self.house.secrets()

    def test_too_little_room(self):
        with mock.patch.object(houses.shutil, "disk_usage", return_value=mock.Mock(free=5 << 20)):
            with self.assertRaisesRegex(Trouble, "Only 5 MB are free.*Free some space"):
                self.house.prepare()

    def test_no_right_to_write(self):
        with mock.patch.object(Path, "mkdir", side_effect=PermissionError(13, "Permission denied")):
            with self.assertRaisesRegex(Trouble, "Permission denied.*EAGER_VAR"):
                self.house.prepare()

    def test_a_folder_of_someone_else_is_left_alone(self):
        for uid, said in ((12_345, "belongs to user 12345"), (0, "belongs to root. Start as root")):
            with mock.patch.object(houses.os, "geteuid", return_value=1 if uid == 0 else os.geteuid()):
                with mock.patch.object(Path, "stat", return_value=mock.Mock(st_uid=uid)), self.subTest(said):
                    with self.assertRaisesRegex(Trouble, said):
                        self.house.prepare()

    def test_a_folder_that_is_there_keeps_its_rights_and_must_be_empty(self):
        own = self.var / "own"
        own.mkdir()
        own.chmod(0o755)
        (own / "letters.txt").write_text("mine")
        with self.assertRaisesRegex(Trouble, "holds other things. Set EAGER_VAR"):
            House(own, 1, 2, 3).prepare()
        self.assertEqual([path.name for path in own.iterdir()], ["letters.txt"])
        (own / "letters.txt").unlink()
        House(own, 1, 2, 3).prepare()
        self.assertEqual(own.stat().st_mode & 0o777, 0o755)
        new = House(self.var / "new", 1, 2, 3)
        new.prepare()
        self.assertEqual(new.var.stat().st_mode & 0o777, 0o700)

    def test_the_user_is_the_system_s_whatever_is_said(self):
        with mock.patch.dict(os.environ, USER="somebody", LOGNAME="somebody"):
            self.assertEqual(parts._user(), pwd.getpwuid(os.geteuid()).pw_name)
        with (
            mock.patch.object(houses.os, "geteuid", return_value=54_321),
            self.assertRaisesRegex(Trouble, "no name for user"),
        ):
            parts._user()

    def test_a_user_is_made_for_root_and_for_nobody_else(self):
        self.assertEqual(users.made() == "", os.geteuid() != 0)
        nowhere = mock.patch.object(users.pwd, "getpwnam", side_effect=KeyError)
        for code, said in ((0, ""), (1, "useradd: cannot lock")):
            done = mock.patch.object(users.subprocess, "run", return_value=mock.Mock(returncode=code, stderr=said))
            root = mock.patch.object(users.os, "geteuid", return_value=0)
            with root, nowhere, done as run:
                with self.assertRaisesRegex(Trouble, "cannot lock.*EAGER_USER") if code else nullcontext():
                    self.assertEqual(users.made(), users.NAME)
                self.assertEqual(run.call_args.args[0][-1], users.NAME)

    @unittest.skipUnless(os.geteuid() == 0, "Only root can hand anything over.")
    def test_what_the_application_writes_becomes_its_user_s_if_that_can_serve(self):
        known, other = {"EAGER_ROOTS": str(self.var / "storage")}, pwd.getpwnam("nobody").pw_uid
        (self.var / "storage" / "deep").mkdir()
        (self.var / "storage" / "deep" / "a.exr").touch()
        for can, mode, owner in ((False, 0o700, 0), (True, 0o711, other)):
            with mock.patch.object(users, "_can_serve", return_value=can), mock.patch.object(users, "step") as said:
                user = users.serving(self.var, "nobody", known)
            self.assertEqual((user is not None, said.called), (can, not can))
            self.assertEqual(self.var.stat().st_mode & 0o777, mode)
            for path in ("storage", "storage/deep/a.exr", "cache", "serve"):
                self.assertEqual((self.var / path).stat().st_uid, owner, path)
            for path in ("run", "log", "redis"):
                self.assertEqual((self.var / path).stat().st_uid, 0, path)
            self.assertEqual((self.var / "storage").stat().st_mode & 0o777, 0o700)

    @unittest.skipUnless(os.geteuid() == 0, "Only root can become another user.")
    def test_whoever_cannot_write_where_pictures_go_does_not_serve(self):
        outside = Path(self.enterContext(tempfile.TemporaryDirectory(dir="/tmp")))  # which others may pass through
        user = users.User("nobody", outside)
        with mock.patch.object(users, "PYTHON", "/bin/sh"), mock.patch.object(users, "_TRIES", '[ -w "$0" ]'):
            for mode, can in ((0o700, False), (0o777, True)):
                outside.chmod(mode)
                self.assertEqual(users._can_serve(user, os.environ, [outside]), can)

    def test_bad_ports(self):
        for text in ("http", "80", "99999", "-1"):
            with (
                self.subTest(text),
                mock.patch.dict(os.environ, EAGER_PORT=text),
                self.assertRaisesRegex(Trouble, "EAGER_PORT"),
            ):
                House.of_user()

    def test_a_long_path_gets_its_socket_elsewhere(self):
        deep = House(self.var / ("x" * 100), 1, 2, 3)
        self.assertLess(len(str(deep.socket)), 100)
        self.assertNotEqual(deep.socket, House(self.var / ("y" * 100), 1, 2, 3).socket)


class Starting(LauncherCase):
    @contextmanager
    def steps(self, **steps):
        """The steps of `./eager start` replaced."""
        quiet = {name: mock.DEFAULT for name in ("require_ports", "start_database", "start_queue", "stop_outdated",
                                                 "start_serving")}  # fmt: skip
        with (
            mock.patch.multiple(cli.parts, **quiet | steps),
            mock.patch.object(cli, "install"),
            mock.patch("builtins.print"),
        ):
            yield

    def start(self, **steps):
        with self.steps(**steps):
            return cli.run_start(self.house, empty=True)

    def test_what_fails_leaves_nothing_running_that_it_began(self):
        begin = lambda house: services.start(house, self.service())  # noqa: E731
        with self.assertRaisesRegex(Trouble, "could not be made ready"):
            self.start(start_database=begin, manage=lambda *_: 1)
        self.assertFalse(services.is_running(self.house, "web"))
        services.start(self.house, self.service())  # was there before
        with self.assertRaises(Trouble):
            self.start(manage=lambda *_: 1)
        self.assertTrue(services.is_running(self.house, "web"))

    def test_what_is_ready_is_not_made_ready_again(self):
        """Not until the database is another one; what failed is tried again."""
        ran = []

        def manage(house, *arguments):
            ran.append(arguments[-1])
            return 0

        with self.assertRaises(Trouble):
            self.start(manage=lambda *_: 1)
        self.start(manage=manage)
        self.start(manage=manage)
        self.assertEqual(ran, ["--empty"])
        (self.house.var / "mariadb").mkdir(exist_ok=True)
        (self.house.var / "mariadb" / "complete").touch()
        self.start(manage=manage)
        self.assertEqual(ran, ["--empty"] * 2)

    def test_two_at_once_go_one_after_the_other(self):
        inside, most = [], []

        def manage(*_):
            inside.append(1)
            most.append(len(inside))
            time.sleep(0.3)
            inside.pop()
            return 0

        with self.steps(manage=manage), ThreadPoolExecutor(2) as pool:
            codes = list(pool.map(lambda _: cli.run_start(self.house, empty=True), range(2)))
        self.assertEqual((codes, most), ([0, 0], [1]))  # the second finds it ready

    def test_passwords_are_on_no_command_line(self):
        ran = []
        done = mock.Mock(returncode=0, stdout="PONG")
        with mock.patch.object(parts.subprocess, "run", lambda command, **rest: ran.append(command) or done):
            with mock.patch.object(parts, "start"), mock.patch.object(parts, "is_running", return_value=True):
                (self.var / "mariadb").mkdir()
                (self.var / "mariadb" / "complete").touch()
                parts.start_database(self.house)
                parts._queue_ready(self.house)()
        self.assertGreaterEqual(len(ran), 2)
        told = " ".join(word for command in ran for word in command)
        for name, secret in self.house.secrets().items():
            self.assertNotIn(secret, told, name)

    def test_logs_are_kept_short(self):
        log = self.var / "log" / "web.log"
        with open(log, "ab") as writer:  # as the service has it open
            for number in range(6):
                writer.write(bytes([65 + number]) * 2000)
                writer.flush()
                logs.rotate(log.parent, longest=1500)
            writer.write(b"goes on")
        kept = {path.name: path.read_bytes()[:1] for path in log.parent.glob("web.log*")}
        self.assertEqual(kept, {"web.log": b"g", "web.log.1": b"F", "web.log.2": b"E", "web.log.3": b"D"})


class Told(unittest.TestCase):
    def test_parts_that_took_long_the_longest_first(self):
        clock = iter([0, 0, 0.4, 10, 12, 12, 16, 20, 21])
        with mock.patch.object(times, "time", mock.Mock(monotonic=lambda: next(clock))):
            taken = times.Times()
            for part in ("short", "database", "packages", "database"):
                with taken.of(part):
                    pass
        self.assertEqual(taken.in_words(), "packages 4 s, database 3 s")


class Installing(LauncherCase):
    def test_without_root_it_says_what_to_ask_for(self):
        with (
            mock.patch.object(install, "_has_program", return_value=False),
            mock.patch.object(install, "_can_build", return_value=True),
            mock.patch.object(install, "_python_packages"),
            mock.patch.object(install.os, "geteuid", return_value=1000),
            mock.patch.object(install.shutil, "which", lambda name: "/usr/bin/apt-get" if name == "apt-get" else None),
            self.assertRaisesRegex(Trouble, "Ask for: apt-get install mariadb-server-core"),
        ):
            install.install()

    def test_a_failed_install_shows_the_last_line(self):
        with self.assertRaisesRegex(Trouble, "It failed: no such package .*Check the connection"):
            install._logged(
                [sys.executable, "-c", "print('much'); raise SystemExit('no such package')"],
                self.var / "log" / "x",
                "It failed",
            )

    def test_the_locks_are_exact_and_within_the_ranges(self):
        project = tomllib.loads((houses.ROOT / "pyproject.toml").read_text())["project"]
        run = self.locked(install.LOCK)
        tests = self.locked(install.TEST_LOCK)
        self.assertEqual(set(run) & set(tests), set())  # what only tests need is not installed by `start`
        extras = project["optional-dependencies"]
        for wanted, locked in (([*project["dependencies"], *extras["web"]], run), (extras["test"], tests)):
            for text in wanted:
                name, least, beyond = re.fullmatch(r"([\w-]+)>=([\d.]+),<([\d.]+)", text).groups()
                version = parts_of(locked[name.lower()])
                self.assertTrue(parts_of(least) <= version < parts_of(beyond), text)

    def locked(self, lock):
        versions = {}
        for entry in install.entries_of(lock):
            self.assertRegex(entry, r"^[\w.-]+==[\w.]+( +--hash=sha256:[0-9a-f]{64})+\s*$")
            name, version = entry.split()[0].split("==")
            versions[name.lower().replace("_", "-")] = version
        return versions


def parts_of(version):
    return [int(part) for part in re.findall(r"\d+", version)]


class Verdict(unittest.TestCase):
    """What is said of a run of tests shared out among processes."""

    def verdict(self, *results, whole=True, codes=(0, 0)) -> int:
        with tempfile.TemporaryDirectory() as folder, mock.patch("builtins.print"):
            claims = Path(folder) / "claims"
            claims.mkdir()
            for number, done in enumerate(results):
                found = {"seconds": [[1.0, "a"]], "failed": 0, "carried_out": done, "kinds": ["look", "render"]}
                (claims / f"{number}.json").write_text(json.dumps(found))
            return tested._report(Path(folder), list(codes), 1.0, whole=whole)

    def test_every_kind_of_work_was_carried_out_by_some_process(self):
        self.assertEqual(self.verdict(["look"], ["render"]), 0)
        self.assertEqual(self.verdict(["look"], []), 1)
        self.assertEqual(self.verdict(["look"], [], whole=False), 0)

    def test_a_process_that_failed_fails_the_run(self):
        self.assertEqual(self.verdict(["look"], ["render"], codes=(0, -9)), 9)
