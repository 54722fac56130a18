"""One thread for small matrices, also of libraries that are loaded late."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

COUNTED = """
def counted():
    import scipy.linalg, scipy.spatial
    import threadpoolctl
    return [each["num_threads"] for each in threadpoolctl.threadpool_info()]
"""
IN_PLACE = """
from counted import counted
from belltone.system.threads import numpy_threads
with numpy_threads(many=False):
    print(counted())
"""
ON_A_WORKER = """
from counted import counted
from belltone.sweep.pool import start_workers
if __name__ == "__main__":
    with start_workers(1) as workers:
        print(workers.submit(counted).result())
"""


@pytest.mark.skipif((os.cpu_count() or 1) < 2, reason="one processor has one thread anyhow")
@pytest.mark.parametrize("script", [IN_PLACE, ON_A_WORKER])
def test_all_of_linear_algebra_keeps_to_one_thread(script: str, tmp_path: Path) -> None:
    (tmp_path / "counted.py").write_text(COUNTED, encoding="utf-8")
    (tmp_path / "script.py").write_text(script, encoding="utf-8")
    free = {name: value for name, value in os.environ.items() if "NUM_THREADS" not in name}
    found = subprocess.run(
        [sys.executable, "script.py"],
        cwd=tmp_path,
        env=free,
        capture_output=True,
        text=True,
        check=True,
        timeout=60,
    )
    counts = json.loads(found.stdout)
    assert len(counts) >= 2  # numpy's own, and that of scipy
    assert set(counts) == {1}
