"""Build a Debian package that runs on Debian 12 and Ubuntu 24.04: `./run package [FOLDER]`.

The distributions have other Python versions and older libraries than Tempik needs, so the package carries its own, once for each
version of Python; files that are the same for several are one file on the disk. What Tempik never loads of Qt is left out.
"""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import subprocess
import sys
import tempfile
import tomllib
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PYTHONS = ("3.11", "3.12", "3.13")
# Wheels for any glibc from Debian 12's (2.36) down.
PLATFORMS = tuple(f"manylinux_2_{n}_x86_64" for n in range(36, 16, -1)) + ("manylinux2014_x86_64",)
QT_MODULES = ("Core", "Gui", "Widgets", "Multimedia", "Svg", "Network", "DBus")
QT_LIBRARIES = re.compile(
    r"lib(Qt6(Core|Gui|Widgets|Multimedia|Svg|Network|DBus|OpenGL|XcbQpa|Concurrent|Wayland\w*|WlShell\w*)|icu|av|sw)"
)
QT_PLUGINS = (
    "platforms", "imageformats", "iconengines", "multimedia", "xcbglintegrations", "wayland-decoration-client",
    "wayland-graphics-integration-client", "wayland-shell-integration", "platformthemes", "platforminputcontexts", "tls",
)  # fmt: skip
LIBRARY = "usr/lib/tempik"


def main(target: Path) -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    version, machine = project["version"], message(["dpkg", "--print-architecture"])
    if machine != "amd64":
        sys.exit(f"package: wheels are chosen for amd64, and this is {machine}; build it on an amd64 machine.")
    with tempfile.TemporaryDirectory(prefix="tempik-deb-") as name:
        tree = Path(name) / "tree"
        for python in PYTHONS:
            install(project["dependencies"], python, tree / LIBRARY / python)
        share_files(tree / LIBRARY)
        add_programs(tree)
        add_control(tree, project, version, machine)
        target.mkdir(parents=True, exist_ok=True)
        made = target / f"tempik_{version}_{machine}.deb"
        # Under its name only once it is whole: the build takes minutes, and may be interrupted.
        half = Path(name) / made.name
        run(["dpkg-deb", "--root-owner-group", "-Zxz", "--build", str(tree), str(half)])
        put(half, made)
    print(made)


def put(half: Path, made: Path) -> None:
    """Move a file that is whole to its name, which may be on another disk: a reader sees the old or the new one."""
    with tempfile.NamedTemporaryFile(dir=made.parent, prefix=f".{made.name}.", delete=False) as beside:
        try:
            with half.open("rb") as read:
                shutil.copyfileobj(read, beside)
            os.chmod(beside.fileno(), 0o644)
            os.fsync(beside.fileno())
            os.replace(beside.name, made)
        except BaseException:
            os.unlink(beside.name)
            raise


def run(command: list[str]) -> None:
    try:
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    except (subprocess.CalledProcessError, FileNotFoundError) as error:
        sys.exit(f"package: {command[0]} failed ({error}).")


def message(command: list[str]) -> str:
    return subprocess.run(command, check=True, capture_output=True, text=True).stdout.strip()


def install(wanted: list[str], python: str, folder: Path) -> None:
    """Install Tempik and what it needs for a version of Python, as it would find them, into a folder."""
    pip = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "-q",
        "--disable-pip-version-check",
        "--no-compile",
        "--target",
        str(folder),
    ]
    platforms = [part for name in PLATFORMS for part in ("--platform", name)]
    pins = ["-c", str(ROOT / "constraints.txt")]
    run([*pip, *pins, "--only-binary", ":all:", "--python-version", python, *platforms, *wanted])
    run([*pip, "--no-deps", str(ROOT)])
    shutil.rmtree(folder / "bin", ignore_errors=True)
    for cache in folder.rglob("__pycache__"):
        shutil.rmtree(cache, ignore_errors=True)
    prune_qt(folder / "PySide6")


def prune_qt(pyside: Path) -> None:
    """Take out of PySide6 what Tempik never loads: most of it is a browser and tools for developers."""
    for path in pyside.iterdir():
        module = re.match(r"Qt(\w+)\.(abi3\.so|pyi)$", path.name)
        if path.is_dir():
            if path.name not in ("Qt", "support"):
                shutil.rmtree(path)
        elif module is not None:
            if module[1] not in QT_MODULES or path.suffix == ".pyi":
                path.unlink()
        elif not path.name.startswith(("lib", "_", "py.typed")) or path.name.startswith("libpyside6qml"):
            path.unlink()
    qt = pyside / "Qt"
    for path in qt.iterdir():
        if path.name not in ("lib", "plugins"):
            shutil.rmtree(path) if path.is_dir() else path.unlink()
    for path in (qt / "lib").iterdir():
        if path.is_dir():
            shutil.rmtree(path)
        elif not QT_LIBRARIES.match(path.name):
            path.unlink()
    for path in (qt / "plugins").iterdir():
        if path.name not in QT_PLUGINS:
            shutil.rmtree(path)


def share_files(folder: Path) -> None:
    """Make files that are the same in several places one file."""
    known: dict[tuple[int, int, str], Path] = {}
    for path in sorted(p for p in folder.rglob("*") if p.is_file() and not p.is_symlink()):
        facts = path.stat()
        key = (facts.st_size, facts.st_mode & 0o777, hashlib.sha256(path.read_bytes()).hexdigest())
        first = known.setdefault(key, path)
        if first is not path:
            path.unlink()
            os.link(first, path)


# Nobody but root can write beside the modules, so they are compiled once, when they are installed: read from source at each
# start they would take longer than all else.
COMPILE = """#!/bin/sh
set -e
[ "$1" = configure ] || exit 0
for python in python3 python3.13 python3.12 python3.11; do
  version=$("$python" -I -c 'import sys; print("%d.%d" % sys.version_info[:2])' 2>/dev/null) || continue
  folder="/usr/lib/tempik/$version"
  [ -d "$folder" ] || continue
  "$python" -I -m compileall -q "$folder" >/dev/null || true
done
"""
FORGET = """#!/bin/sh
set -e
find /usr/lib/tempik -name __pycache__ -prune -exec rm -rf {} +
"""

LAUNCH = """#!/bin/sh
# Start Tempik with the first Python that there are libraries for.
for python in /usr/bin/python3 /usr/bin/python3.13 /usr/bin/python3.12 /usr/bin/python3.11; do
  version=$("$python" -I -c 'import sys; print("%d.%d" % sys.version_info[:2])' 2>/dev/null) || continue
  if [ -d "/usr/lib/tempik/$version" ]; then
    # Isolated: nothing of the folder that it is started in is on the path of modules. OpenCV puts its own folder second, and must find it
    # before ours.
    exec "$python" -I -B -c 'import sys; sys.path.insert(1, sys.argv.pop(1)); from MODULE import main; sys.exit(main())' \
      "/usr/lib/tempik/$version" "$@"
  fi
done
echo "tempik: no Python that this package has libraries for (VERSIONS) is installed." >&2
exit 1
"""


def add_programs(tree: Path) -> None:
    programs = tree / "usr/bin"
    programs.mkdir(parents=True)
    for name, module in (("tempik", "tempik.cli.main"), ("tempik-desktop", "tempik.desktop.app")):
        path = programs / name
        path.write_text(LAUNCH.replace("MODULE", module).replace("VERSIONS", ", ".join(PYTHONS)))
        path.chmod(0o755)
    share = ROOT / "src/tempik/share"
    for name, place in (
        ("tempik.desktop", "applications"),
        ("tempik.svg", "icons/hicolor/scalable/apps"),
        ("tempik.xml", "mime/packages"),
    ):
        (tree / "usr/share" / place).mkdir(parents=True)
        shutil.copy(share / name, tree / "usr/share" / place / name)
    docs = tree / "usr/share/doc/tempik"
    docs.mkdir(parents=True)
    shutil.copy(ROOT / "LICENSE", docs / "copyright")
    shutil.copy(ROOT / "CHANGELOG.md", docs / "CHANGELOG.md")


def add_control(tree: Path, project: dict[str, object], version: str, machine: str) -> None:
    libraries = re.search(r"^LIBRARIES=\(([^)]*)\)", (ROOT / "run").read_text(), re.MULTILINE)
    assert libraries is not None
    # Newer releases rename some libraries with a t64 ending.
    needs = [f"{name} | {name}t64" for name in libraries[1].split()]
    size = sum({p.stat().st_ino: p.stat().st_size for p in tree.rglob("*") if p.is_file()}.values()) // 1024
    control = tree / "DEBIAN"
    control.mkdir()
    (control / "control").write_text(
        f"Package: tempik\nVersion: {version}\nArchitecture: {machine}\nMaintainer: Tempik <tempik@localhost>\n"
        f"Installed-Size: {size}\nSection: video\nPriority: optional\n"
        f"Depends: python3 (>= 3.11), {', '.join(needs)}\n"
        f"Description: {project['description']}\n"
        " It finds the rhythm of a song, and cuts, retimes, reverses and speed-ramps footage so that\n"
        " clips, flashes and shakes land on it, measured in the exported file.\n"
    )
    for name, text in (("postinst", COMPILE), ("prerm", FORGET)):
        (control / name).write_text(text)
        (control / name).chmod(0o755)


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "dist")
