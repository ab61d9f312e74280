"""What a newcomer does first, as the README says it: `make demo` in a folder with a space in its name, and what the README's commands say."""

import json
import os
import re
import shutil
import signal
import subprocess
import tempfile
import time
import unittest
from fractions import Fraction
from pathlib import Path

import httpx
import numpy as np

from oskren.core.audio import files
from tests.films import write_film
from tests.support import PATIENCE_S, RATE, noise, struck

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text()


WITHIN_S, LIBRARIES_S = 5.0, 0.9
"""A later start takes less than the first, on a machine that loads the bare libraries in the second; a slower one has as many times longer."""


class FirstMinute(unittest.TestCase):
    """A copy of the tracked files; installed packages and the built front end are shared with it, nothing else."""

    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name) / "Oskren, a first look"
        listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, check=True).stdout.decode().split("\0")
        for name in listed:
            # a file that is to be deleted by the present change is listed until it is committed
            if name and (ROOT / name).exists():
                (cls.folder / name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(ROOT / name, cls.folder / name)
        (cls.folder / ".venv").symlink_to(ROOT / ".venv")
        (cls.folder / "web" / "dist").symlink_to(ROOT / "web" / "dist")
        (cls.folder / ".stamps").mkdir()
        for stamp in ("python", "npm", "web"):
            (cls.folder / ".stamps" / stamp).touch()

    def start(self, *command: str, within_s: float) -> tuple["subprocess.Popen[str]", str]:
        """Start a command of the README; its process and the address it prints."""
        process = subprocess.Popen(command, cwd=self.folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, start_new_session=True)
        self.addCleanup(self.end, process)
        said, deadline = "", time.monotonic() + within_s
        assert process.stdout is not None
        for line in process.stdout:
            said += line
            found = re.search(r"Oskren is at (http://127\.0\.0\.1:\d+/)", line)
            if found:
                return process, found[1]
            self.assertLess(time.monotonic(), deadline, said)
        self.fail(f"{' '.join(command)} ended without an address:\n{said}")

    def end(self, process: "subprocess.Popen[str]") -> None:
        if process.poll() is None:
            os.killpg(process.pid, signal.SIGTERM)
        process.wait(PATIENCE_S)
        if process.stdout is not None:
            process.stdout.close()

    def test_make_demo_starts_with_its_sounds_and_the_second_time_at_once(self) -> None:
        self.assertIn("make demo", README)
        process, address = self.start("make", "demo", within_s=400)
        page = httpx.get(address, timeout=90)
        self.assertIn('<div id="root">', page.text)
        asset = re.search(r'src="(/assets/[^"]+\.js)"', page.text)
        assert asset is not None
        self.assertEqual(httpx.get(address.rstrip("/") + asset[1], timeout=90).status_code, 200)
        (library,) = httpx.get(f"{address}api/state", timeout=90).json()["libraries"]
        self.assertGreater(library["sounds"], 100)
        here = f"{address}api/lib/{library['slug']}"
        row = httpx.get(f"{here}/sounds", params={"q": "Bolt drop"}, timeout=90).json()["rows"][0]
        opened = httpx.post(f"{here}/open", json={"sound": row["id"]}, timeout=60).json()
        raw = httpx.get(f"{address}api/heard/{opened['digest']}/block", params={"start": 0, "frames": 4800}, timeout=60).content
        self.assertGreater(float(np.abs(np.frombuffer(raw, np.float32)).max()), 0.01)
        watched = httpx.get(f"{here}/watched", timeout=90).json()
        self.assertEqual([Path(one["path"]) for one in watched], [self.folder.resolve() / "demo-home" / "recordings" / "Field takes"])
        # a second one on the same home is told who holds it
        other = subprocess.run([".venv/bin/python", "-m", "oskren.cli", "demo"], cwd=self.folder, capture_output=True, text=True, timeout=60)
        self.assertEqual(other.returncode, 2)
        self.assertIn(f"in use by the Oskren at {address}", other.stderr)
        self.end(process)
        took, alone = zip(*((self.start_again(), self.libraries_alone()) for _ in range(3)), strict=True)
        self.assertLess(min(took), WITHIN_S * max(1.0, min(alone) / LIBRARIES_S), f"the libraries alone take {min(alone):.2f} s to load here")

    def libraries_alone(self) -> float:
        """How long this machine takes now to load what the server is built on, without a line of ours, in s."""
        begun = time.monotonic()
        subprocess.run([self.folder / ".venv" / "bin" / "python", "-c", "import numpy, fastapi, sqlalchemy.orm, uvicorn"], check=True)
        return time.monotonic() - begun

    def start_again(self) -> float:
        """How long a later start takes until its page answers, in s; the shortest of a few is the app's own time, whatever else runs."""
        begun = time.monotonic()
        process, address = self.start("make", "demo", within_s=60)
        self.assertIn('<div id="root">', httpx.get(address, timeout=90).text)
        took = time.monotonic() - begun
        self.end(process)
        return took

    def test_every_command_of_the_readme_runs_as_it_stands(self) -> None:
        block = README.split("## Without a browser")[1].split("```")[1]
        commands = [line.strip() for line in block.splitlines() if line.strip()]
        self.assertGreaterEqual(len(commands), 7)
        take = noise(3.0, -62)
        for k, at in enumerate((1.2, 2.0)):
            take[round(at * RATE) : round(at * RATE) + RATE // 2] += 0.4 * struck(seed=k)
        work = self.folder / "a script's folder"
        files.write(work / "take.wav", take, RATE, 24)
        files.write(work / "recordings" / "glass creak.wav", struck(0.5), RATE, 24)
        (work / "chain.json").write_text(json.dumps({"steps": [{"kind": "high_pass", "params": {"cutoff_hz": 90}}]}))
        (work / "sheet.json").write_text(json.dumps({"items": [{"sound": "glass creak"}]}))
        write_film(work / "dome.mov", Fraction(24), 48)
        (work / "scene.json").write_text(json.dumps({"film": "dome.mov", "placements": [{"sound": "glass creak", "frame": 24}]}))
        environment = {**os.environ, "PATH": f"{self.folder / '.venv' / 'bin'}:{os.environ['PATH']}", "PYTHONPATH": str(self.folder)}
        for command in commands:
            if command.startswith("oskren serve"):
                continue  # it runs until it is ended: the demo's test starts and ends one
            if command.startswith("oskren vary"):
                self.design(work)
            done = subprocess.run(["bash", "-c", command], cwd=work, capture_output=True, text=True, env=environment, timeout=180)
            with self.subTest(command=command):
                self.assertEqual(done.returncode, 0, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(len(list((work / "variations").glob("*.wav"))), 8)
        self.assertEqual([path.name for path in (work / "shipped").rglob("*.wav")], ["glass creak.wav"])
        handed = {path.name for path in (work / "handed-over" / "scene").iterdir()}
        self.assertLessEqual({"scene.wav", "scene.mov", "scene cues.csv", "scene.otio", "scene.xml", "sounds", "stems"}, handed)

    def design(self, work: Path) -> None:
        from oskren.core import bundle
        from oskren.core.nodes import Member, Mix, Source

        path = work / "recordings" / "glass creak.wav"
        key = files.audio_hash(path)
        node = Source(audio=key, rate=RATE, channels=1, frames=files.probe(path).frames)
        bundle.save(work / "design.zip", "Creak", Mix(members=(Member(id="a", node=node),)), lambda _: path)

    def test_what_make_dev_starts_is_the_demo(self) -> None:
        makefile = (ROOT / "Makefile").read_text()
        dev = re.search(r"(?m)^dev:.*\n\t(.*)", makefile)
        assert dev is not None
        self.assertIn("oskren.cli demo --port 4747", dev[1])
        targets = set(re.findall(r"`make (\w+)`", README))
        self.assertLessEqual({"check", "bench", "screenshots", "dev", "types"}, targets)
        for target in targets:
            planned = subprocess.run(["make", "--dry-run", target], cwd=self.folder, capture_output=True, text=True, timeout=60)
            with self.subTest(target=target):
                self.assertEqual(planned.returncode, 0, planned.stderr)
                self.assertNotIn(str(ROOT), planned.stdout)


if __name__ == "__main__":
    unittest.main()
