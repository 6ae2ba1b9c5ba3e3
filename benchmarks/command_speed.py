"""How long commands take that a person waits for, beside the bare import of what each needs."""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np


def bench_commands(row):
    """A command's answer, beside importing what it needs."""
    saltus = [str(Path(sys.executable).with_name("saltus"))]
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def seconds(command):
        def act():
            subprocess.run(command, check=True, capture_output=True, env=environment)

        act()
        times = []
        for _run in range(5):
            begun = time.perf_counter()
            act()
            times.append(time.perf_counter() - begun)
        return float(np.median(times))

    table = Path(tempfile.mkdtemp()) / "motion.csv"
    rows = [f"A,{n},{n / 60:.6f},{0.6 * (n / 60) ** 2:.6f},0.7,0.001,0.001" for n in range(60)]
    head = "body,frame,t [s],x [m],y [m],u(x) [m],u(y) [m]"
    table.write_text("\n".join([head, *rows, ""]), encoding="utf-8")
    segment = ["segment", str(table), "--model", "constant-acceleration", "--of", "x", "--json"]
    for what, arguments, needs in (
        ("segment", segment, "click, numpy, scipy.special"),
        ("--help", ["--help"], "click"),
        ("repeats", ["repeats", "1.00 1.10 0.90 1.05"], "click, numpy, scipy.special"),
        ("investigate --list", ["investigate", "--list"], "click, numpy"),
    ):
        ours = seconds([*saltus, *arguments])
        row(
            f"command {what}, beside importing {needs}",
            ours,
            seconds([sys.executable, "-c", f"import {needs}"]),
            "≤ 1.5 ×",
        )
