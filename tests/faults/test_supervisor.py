"""Parts that survive each other, and none that outlives its supervisor."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

from running import supervisor as module
from running.lock import AlreadyRunningError, FolderLock
from running.settings import SettingsError, read_settings
from running.supervisor import Part, Supervisor

ROOT = Path(__file__).resolve().parents[2]
SLEEPS = [sys.executable, "-c", "import time; print('up', flush=True); time.sleep(60)"]
DIES = [sys.executable, "-c", "raise SystemExit('no plant')"]


def alive(pid):
    """Whether a process runs, a dead one nobody waited for not counted."""
    try:
        return (
            Path(f"/proc/{pid}/stat").read_text(encoding="ascii", errors="replace").rpartition(")")[2].split()[0] != "Z"
        )
    except OSError:
        return False


def until(true, seconds=15.0):
    """Wait until something holds."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if true():
            return True
        time.sleep(0.05)
    return False


class Together(TestCase):
    def setUp(self):
        self.enterContext(mock.patch.object(module, "FIRST_WAIT_S", 0.1))
        self.enterContext(mock.patch.object(module, "GRACE_S", 2.0))
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.said = []

    def start(self, *parts):
        one = Supervisor(parts, self.folder, {}, ROOT, self.said.append)
        one.start()
        for run in one.runs:
            run.wait_s = 0.1
        self.addCleanup(one.stop)
        return one

    def look(self, one):
        for run in one.runs:
            one._look(run)
        one.note()

    def test_a_killed_part_is_started_again_and_the_others_run_on(self):
        one = self.start(Part("web", "The application", SLEEPS), Part("plant", "The plant", SLEEPS))
        web, plant = (run.process.pid for run in one.runs)
        os.kill(plant, signal.SIGKILL)
        self.assertTrue(until(lambda: self.look(one) or (one.runs[1].restarts == 1 and one.runs[1].process)))
        self.assertNotEqual(one.runs[1].process.pid, plant)
        self.assertEqual(one.runs[0].process.pid, web)
        self.assertIn("The plant ended by signal 9; it is started again", self.said[0])
        told = json.loads(one.state_file.read_text(encoding="utf-8"))
        self.assertEqual([part["running"] for part in told["parts"]], [True, True])

    def test_a_part_that_cannot_stay_up_is_tried_with_growing_waits(self):
        one = self.start(Part("plant", "The plant", DIES))
        self.assertTrue(until(lambda: self.look(one) or one.runs[0].restarts >= 3))
        self.assertGreaterEqual(one.runs[0].wait_s, 0.8)
        log = (self.folder / "logs" / "plant.log").read_text(encoding="utf-8")
        self.assertIn("no plant", log)
        self.assertIn("ended with status 1", log)

    def test_a_command_that_is_not_there_ends_nothing(self):
        one = self.start(Part("web", "The application", SLEEPS), Part("gone", "The other", ["/nowhere/at/all"]))
        self.assertTrue(until(lambda: self.look(one) or one.runs[1].restarts >= 1))
        self.assertTrue(alive(one.runs[0].process.pid))

    def test_stopping_leaves_no_process_and_no_state(self):
        stubborn = [
            sys.executable,
            "-c",
            "import signal, time; signal.signal(signal.SIGTERM, lambda *_: None); time.sleep(60)",
        ]
        one = self.start(Part("web", "The application", SLEEPS), Part("plant", "The plant", stubborn))
        pids = [run.process.pid for run in one.runs]
        time.sleep(0.5)
        one.stop()
        self.assertTrue(until(lambda: not any(map(alive, pids))))
        self.assertFalse(one.state_file.exists())

    def test_signals_end_it_in_order_and_a_kill_takes_its_parts_along(self):
        words = (
            "import sys, time; from pathlib import Path; from running.supervisor import Part, Supervisor;"
            "s = Supervisor([Part('a', 'A', [sys.executable, '-c', 'import time; time.sleep(60)'])], Path(sys.argv[1]), {}, Path('.'));"
            "s.listen(); s.start(); print(s.runs[0].process.pid, flush=True); s.watch()"
        )
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP, signal.SIGKILL):
            with (
                self.subTest(number),
                subprocess.Popen(
                    [sys.executable, "-c", words, str(self.folder)], cwd=ROOT, stdout=subprocess.PIPE
                ) as top,
            ):
                pid = int(top.stdout.readline())
                time.sleep(0.4)  # the part is tied by then
                top.send_signal(number)
                top.wait(timeout=15)
                self.assertTrue(until(lambda pid=pid: not alive(pid)))


class OneFolder(TestCase):
    def test_two_cannot_run_in_one_folder_and_a_dead_one_does_not_hold_it(self):
        with TemporaryDirectory() as name:
            folder = Path(name) / "desk"
            with FolderLock(folder), self.assertRaisesRegex(AlreadyRunningError, "already runs in"), FolderLock(folder):
                self.fail("two at once")
            words = "import sys; from pathlib import Path; from running.lock import FolderLock; FolderLock(Path(sys.argv[1])).__enter__(); print(1, flush=True); input()"
            with subprocess.Popen(
                [sys.executable, "-c", words, str(folder)], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE
            ) as other:
                other.stdout.readline()
                with self.assertRaises(AlreadyRunningError), FolderLock(folder):
                    self.fail("two at once")
                other.kill()
                other.wait()
            with FolderLock(folder):
                pass


class MillSettings(TestCase):
    def read(self, text):
        with TemporaryDirectory() as name:
            path = Path(name) / "fox.toml"
            path.write_text(text.replace("HERE", name), encoding="utf-8")
            return read_settings(path)

    GOOD = '[desk]\nfolder = "HERE/desk"\nhosts = ["desk.mill.example"]\n'

    def test_good_ones_are_read_and_become_the_parts_environment(self):
        found = self.read(self.GOOD + 'idle_min = 5\n[[lines]]\nworld = "live"\nendpoint = "opc.tcp://10.0.0.1:4840"\n')
        self.assertEqual(found.env()["FOX_IDLE_MIN"], "5")
        self.assertEqual(found.lines[0].world, "live")

    def test_what_is_unsafe_or_unknown_is_refused_with_its_reason(self):
        for text, words in (
            ("[desk]\n", "folder is missing"),
            (self.GOOD.replace("desk.mill.example", "*"), "a star lets anybody pretend"),
            (self.GOOD + 'host = "0.0.0.0"\nbehind_tls = false\n', "passwords would travel readable"),
            (self.GOOD + "port = 80000\n", "outside 1 to 65535"),
            (self.GOOD + 'port = "8000"\n', "of the wrong kind"),
            (self.GOOD + "debug = true\n", "no entry called debug"),
            (self.GOOD + "workers = true\n", "of the wrong kind"),
            (self.GOOD + 'backup_folder = "HERE/desk/copies"\n', "what loses one loses the other"),
            (self.GOOD + "encrypt = true\n", "FOX_BACKUP_PASSPHRASE is not"),
            (self.GOOD + '[[lines]]\nendpoint = "x"\n', "world is missing"),
            (self.GOOD + '[[lines]]\nworld = "a"\n[[lines]]\nworld = "a"\n', "given twice"),
            ("[desk", "not readable as TOML"),
        ):
            with self.subTest(words), self.assertRaisesRegex(SettingsError, words):
                self.read(text)

    def test_a_folder_others_can_read_is_refused(self):
        with TemporaryDirectory() as name:
            (Path(name) / "desk").mkdir(mode=0o755)
            (Path(name) / "fox.toml").write_text(self.GOOD.replace("HERE", name), encoding="utf-8")
            with self.assertRaisesRegex(SettingsError, "chmod 700"):
                read_settings(Path(name) / "fox.toml")
