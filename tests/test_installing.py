"""The wheel holds all that a fresh environment needs, and the desktop gets its launcher, icon and file type."""

import os
import site
import subprocess
import sys
import venv
import zipfile
from pathlib import Path

import pytest
from PIL import Image

ROOT = Path(__file__).parents[1]


@pytest.mark.timeout(600)
def test_a_wheel_installs_into_a_fresh_environment_and_renders(tmp_path):
    build = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-index", "--no-deps", "--no-build-isolation"]
    done = subprocess.run([*build, "-w", str(tmp_path), str(ROOT)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    (wheel,) = tmp_path.glob("estompe-*.whl")
    with zipfile.ZipFile(wheel) as archive:
        names = set(archive.namelist())
    assert {"estompe/app/estompe.svg", "estompe/py.typed", "estompe/document/scene.schema.json"} <= names
    assert sum(name.startswith("estompe/app/pictures/") for name in names) > 40

    home = tmp_path / "fresh"
    venv.create(home, with_pip=False)
    packages = next((home / "lib").glob("python3*")) / "site-packages"
    # The libraries are those of this environment, since there may be no network; the product itself comes from the wheel.
    found = [path for path in site.getsitepackages() if Path(path).is_dir()]
    (packages / "libraries.pth").write_text("\n".join(found) + "\n")
    install = [sys.executable, "-m", "pip", "install", "--quiet", "--no-index", "--no-deps", "--target", str(packages)]
    subprocess.run([*install, str(wheel)], check=True)
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
    # Kernels are compiled anew where the product lies elsewhere: not optimized, that takes half the time.
    environment["NUMBA_OPT"] = "0"

    def run(*words: str) -> str:
        command = [str(home / "bin" / "python"), "-m", "estompe.cli", *words]
        return subprocess.run(command, env=environment, cwd=tmp_path, capture_output=True, text=True, check=True).stdout

    where = subprocess.run(
        [str(home / "bin" / "python"), "-c", "import estompe; print(estompe.__file__)"],
        env=environment, cwd=tmp_path, capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    assert str(packages) in where
    run("sample", "moon-swell", "--save", "moon.estompe")
    run("render", "moon.estompe", "--frame", "60", "--size", "160x120", "--out", "moon.png")
    with Image.open(tmp_path / "moon.png") as picture:
        assert picture.size == (160, 120)


def test_the_desktop_gets_its_files_and_gives_them_back(tmp_path):
    environment = {**os.environ, "XDG_DATA_HOME": str(tmp_path)}
    command = [sys.executable, str(ROOT / "scripts" / "install_desktop.py")]
    subprocess.run(command, env=environment, check=True, capture_output=True)
    launcher = (tmp_path / "applications" / "estompe.desktop").read_text()
    assert "MimeType=application/x-estompe" in launcher
    assert "*.estompe" in (tmp_path / "mime" / "packages" / "estompe.xml").read_text()
    assert (tmp_path / "icons" / "hicolor" / "scalable" / "apps" / "estompe.svg").read_text().startswith("<svg")
    assert (tmp_path / "man" / "man1" / "estompe.1").read_text().startswith(".TH ESTOMPE 1")
    assert "complete" in (tmp_path / "bash-completion" / "completions" / "estompe").read_text()
    subprocess.run([*command, "--remove"], env=environment, check=True, capture_output=True)
    assert not [path for path in tmp_path.rglob("*estompe*") if path.is_file()]


def test_the_version_is_said_alike_everywhere():
    import importlib.metadata
    import tomllib

    import estompe

    project = tomllib.loads((Path(__file__).parents[1] / "pyproject.toml").read_text())["project"]
    assert estompe.__version__ == project["version"] == importlib.metadata.version("estompe")
