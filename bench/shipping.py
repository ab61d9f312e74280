"""600 one-shots of a 20 minute take at 96 kHz by the command line, verified, beside a plain command-line converter doing the same without verifying.

``python bench/shipping.py [items] [minutes] [peer]`` prints seconds and their ratio; ``peer`` is a command that takes the words of
``peer in.wav -b 24 out.wav trim START LENGTH highpass 60 equalizer 2500 1q 3 remix - norm -1``, two of them run at a time. Without it the
same parts are rendered by the core in one process.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from bench.rows import take
from oskren.core.audio import files

RATE = 96_000


def main(count: int, minutes: float, peer: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        source = root / "take.wav"
        files.write(source, take(60 * minutes, RATE, 2, 1.7), RATE, 24)
        random = np.random.default_rng(3)
        last = 60 * minutes - 4
        parts = [(float(start), float(start + 0.2 + 2.8 * random.random() ** 2)) for start in np.linspace(1, last, count)]
        chain = [{"kind": "high_pass", "params": {"cutoff_hz": 60.0}}, {"kind": "band", "params": {"gain_db": 3.0, "frequency_hz": 2500.0}}]
        sheet = {
            "name": "bench",
            "items": [{"file": str(source), "name": f"hit {i:04d}", "start_s": a, "end_s": b, "chain": chain} for i, (a, b) in enumerate(parts)],
            "targets": [{"name": "wav", "bits": 24, "channels": "mono", "peak_dbfs": -1.0}],
        }
        (root / "sheet.json").write_text(json.dumps(sheet))
        command = [sys.executable, "-m", "oskren.cli", "ship", str(root / "sheet.json"), "--home", str(root / "home")]
        subprocess.run([sys.executable, "-m", "oskren.cli", "import", str(source), "--home", str(root / "home")], capture_output=True, check=True)
        for name in ("first", "again", "unchanged"):
            out = root / ("out" if name == "unchanged" else f"out {name}")
            if name == "unchanged":
                out = root / "out again"
            begun = time.perf_counter()
            done = subprocess.run([*command, "--out", str(out), "--json"], capture_output=True, text=True, check=False)
            took = time.perf_counter() - begun
            if done.returncode:
                sys.exit(done.stderr)
            answer = json.loads(done.stdout)
            assert len(answer["files"]) + len(answer["unchanged"]) >= count, done.stdout[:400]
            print(f"oskren ship, {name:<10} {took:7.2f} s")
        if peer:
            (root / "peer").mkdir()

            def one(i: int) -> None:
                a, b = parts[i]
                words = ["trim", f"{a}", f"{b - a}", "highpass", "60", "equalizer", "2500", "1q", "3", "remix", "-", "norm", "-1"]
                subprocess.run([peer, str(source), "-b", "24", str(root / "peer" / f"{i}.wav"), *words], check=True, capture_output=True)

            begun = time.perf_counter()
            with ThreadPoolExecutor(2) as two:
                list(two.map(one, range(count)))
            print(f"{Path(peer).name}, two at a time    {time.perf_counter() - begun:7.2f} s")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 600, float(sys.argv[2]) if len(sys.argv) > 2 else 20.0, sys.argv[3] if len(sys.argv) > 3 else "")
