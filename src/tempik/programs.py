"""The one way in which processes are started: ours and others', with nothing of the folder they are started in.

A program that is started with a stranger's folder as its working folder can be made to run what lies there: Python puts that folder
first on the path of modules for `-m`, and an empty entry of PATH, PYTHONPATH or LD_LIBRARY_PATH means it too. So every process
gets a folder of nobody's, an environment without such entries, and is named by its whole path; ours are isolated besides
(Python's documentation, "Command line and environment", -I).
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

NEUTRAL = "/"
# Where our own packages lie: an isolated Python does not look there by itself unless it is installed.
_OURS = str(Path(__file__).resolve().parent.parent)
# Second, where OpenCV puts its own folder ahead of it.
_BEGIN = (
    "import sys; where, module = sys.argv[1:3]; del sys.argv[1:3]; where in sys.path or sys.path.insert(1, where); "
    "from runpy import run_module; run_module(module, None, '__main__', True)"
)
# Folders of our own that may be given relative to the folder that the window was started in.
_FOLDERS = ("TEMPIK_CACHE", "TEMPIK_STATE")


def ours(module: str, *arguments: str) -> list[str]:
    """Return the command that runs one of our modules with arguments, isolated. Names of files among them must be whole: the
    process runs in another folder."""
    return [sys.executable, "-I", "-c", _BEGIN, _OURS, module, *arguments]


def environment() -> dict[str, str]:
    """Return the environment of what is started: ours without what leads to the working folder or changes Python."""
    out = {}
    for name, value in os.environ.items():
        if name.startswith("PYTHON"):
            continue
        if name.endswith("PATH"):
            value = os.pathsep.join(p for p in value.split(os.pathsep) if os.path.isabs(p))
            if not value:
                continue
        out[name] = os.path.abspath(value) if name in _FOLDERS and value else value
    return out


def begun(command: Sequence[str], **wishes: Any) -> subprocess.Popen[bytes]:
    """Start a process, as `subprocess.Popen` does, in a session of its own: what ends the terminal does not end it. Raises OSError."""
    whole = {"stdin": subprocess.DEVNULL, "start_new_session": True, **wishes}
    return subprocess.Popen(command, cwd=NEUTRAL, env=environment(), **whole)


def ran(command: Sequence[str]) -> subprocess.CompletedProcess[str]:
    """Run a process to its end and return what it said. Raises OSError."""
    return subprocess.run(
        command, cwd=NEUTRAL, env=environment(), stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False
    )


def fed(command: Sequence[str], data: bytes, most_s: float) -> tuple[int, bytes]:
    """Run a process on some input and return its exit code and what it wrote; it is killed after so many seconds. Raises OSError."""
    try:
        done = subprocess.run(
            command, cwd=NEUTRAL, env=environment(), input=data, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            timeout=most_s, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return -9, b""
    return done.returncode, done.stdout


def leave_folder() -> None:
    """Go to a folder of nobody's: what a library starts or looks for by a relative name is not found in a stranger's."""
    for name in _FOLDERS:
        if os.environ.get(name):
            os.environ[name] = os.path.abspath(os.environ[name])
    os.chdir(Path.home() if Path.home().is_dir() else NEUTRAL)


def found(name: str) -> str | None:
    """Return the whole path of a program of the system, None where there is none; nothing of the working folder is one."""
    return shutil.which(name, path=environment().get("PATH", os.defpath))
