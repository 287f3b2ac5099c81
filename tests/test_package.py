"""The Debian package: what it runs when it is installed and taken off."""

import importlib.util
import subprocess
import sys
import tomllib
from pathlib import Path
from types import ModuleType

import numpy as np
import pytest

ROOT = Path(__file__).parent.parent


@pytest.fixture(scope="module")
def deb() -> ModuleType:
    found = importlib.util.spec_from_file_location("deb", ROOT / "packaging" / "deb.py")
    assert found is not None and found.loader is not None
    made = importlib.util.module_from_spec(found)
    found.loader.exec_module(made)
    return made


@pytest.fixture
def control(deb: ModuleType, tmp_path: Path) -> Path:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["project"]
    deb.add_control(tmp_path, project, project["version"], "amd64")
    return tmp_path / "DEBIAN"


def test_its_scripts_can_be_run_and_read(control: Path) -> None:
    """Debian Policy Manual, chapter 6: maintainer scripts are executable, and end with the state of what failed."""
    for name in ("postinst", "prerm"):
        script = control / name
        assert script.stat().st_mode & 0o111 == 0o111
        assert script.read_text(encoding="utf-8").startswith("#!/bin/sh\nset -e\n")
        subprocess.run(["sh", "-n", str(script)], check=True)


@pytest.mark.slow
def test_modules_are_compiled_where_it_is_installed_and_nothing_is_left(control: Path, tmp_path: Path) -> None:
    library = tmp_path / "library"
    for version in ("3.11", "3.12", "3.13"):
        (library / version).mkdir(parents=True)
        (library / version / "module.py").write_text("ANSWER = 1\n")
    scripts = {n: (control / n).read_text().replace("/usr/lib/tempik", str(library)) for n in ("postinst", "prerm")}
    subprocess.run(["sh", "-c", scripts["postinst"], "postinst", "abort-upgrade"], check=True)
    assert not list(library.rglob("*.pyc"))
    subprocess.run(["sh", "-c", scripts["postinst"], "postinst", "configure"], check=True)
    made = list(library.rglob("*.pyc"))
    assert made and all(p.parent.parent.name in p.name.replace("cpython-3", "3.") for p in made)
    subprocess.run(["sh", "-c", scripts["prerm"], "prerm", "remove"], check=True)
    assert not list(library.rglob("__pycache__")) and len(list(library.rglob("module.py"))) == 3


def test_it_asks_for_the_libraries_that_the_setup_installs(control: Path) -> None:
    text = (control / "control").read_text(encoding="utf-8")
    needs = next(line for line in text.splitlines() if line.startswith("Depends:"))
    line = next(part for part in (ROOT / "run").read_text(encoding="utf-8").split("LIBRARIES=(")[1:])
    assert all(f"{name} | {name}t64" in needs for name in line.split(")")[0].split())


def test_its_program_runs_isolated_with_the_packages_libraries(deb: ModuleType, tmp_path: Path) -> None:
    """OpenCV does not load where its library lies first on the path; and nothing of the working folder is on it."""
    library, packages = tmp_path / "library", Path(np.__file__).parents[1]
    own = library / f"{sys.version_info.major}.{sys.version_info.minor}"
    own.mkdir(parents=True)
    for part in packages.iterdir():
        (own / part.name).symlink_to(part)
    (own / "tempik").unlink(missing_ok=True)
    (own / "tempik").symlink_to(ROOT / "src" / "tempik")
    (tmp_path / "tree").mkdir()
    deb.add_programs(tmp_path / "tree")
    program = tmp_path / "tree" / "usr/bin/tempik"
    text = (
        program.read_text()
        .replace("/usr/lib/tempik", str(library))
        .replace("/usr/bin/python3 ", f"{sys.executable} ", 1)
    )
    program.write_text(text)
    (tmp_path / "got").mkdir()
    (tmp_path / "got" / "json.py").write_text(f"open({str(tmp_path / 'ran')!r}, 'w')\n")
    done = subprocess.run([program, "about"], cwd=tmp_path / "got", capture_output=True, text=True, check=False)
    assert done.returncode == 0 and "av " in done.stdout, done.stderr
    assert not (tmp_path / "ran").exists()


def test_a_package_is_under_its_name_once_it_is_whole(
    deb: ModuleType, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An interrupted build left a broken one there."""
    half, made = tmp_path / "half", tmp_path / "dist" / "tempik.deb"
    made.parent.mkdir()
    made.write_bytes(b"the last one")
    half.write_bytes(b"x" * 1000)
    copying = deb.shutil.copyfileobj

    def interrupted(source: object, target: object) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(deb.shutil, "copyfileobj", interrupted)
    with pytest.raises(KeyboardInterrupt):
        deb.put(half, made)
    assert made.read_bytes() == b"the last one" and [p.name for p in made.parent.iterdir()] == ["tempik.deb"]
    monkeypatch.setattr(deb.shutil, "copyfileobj", copying)
    deb.put(half, made)
    assert made.read_bytes() == b"x" * 1000
