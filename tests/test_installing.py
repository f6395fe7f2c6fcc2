"""Peel outside its checkout: the launcher, icon and file type of a desktop, and a wheel and an sdist that run."""

import os
import shutil
import subprocess
import sys
import venv
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
SKIPS_WHEEL = pytest.mark.skipif(not (ROOT / "pyproject.toml").exists(), reason="not in a checkout")


def _run(*command: str, **env: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(command, env={**os.environ, **env}, check=True, capture_output=True, text=True)


def test_the_launcher_comes_and_goes(tmp_path: Path) -> None:
    data = tmp_path / "share"
    entry = str(ROOT / "tools" / "desktop-entry")
    _run(entry, "install", XDG_DATA_HOME=str(data), PEEL_COMMAND="/opt/peel here/bin/peel")
    launcher = data / "applications" / "peel.desktop"
    assert 'Exec="/opt/peel here/bin/peel" %F' in launcher.read_text()
    mime = data / "mime" / "packages" / "peel-mime.xml"
    assert "application/x-peel" in mime.read_text()
    assert (data / "icons" / "hicolor" / "scalable" / "apps" / "peel.svg").exists()
    if shutil.which("desktop-file-validate"):
        _run("desktop-file-validate", str(launcher))
    if shutil.which("appstreamcli"):
        _run("appstreamcli", "validate", "--no-net", str(data / "metainfo" / "io.peel.Peel.metainfo.xml"))
    if shutil.which("update-mime-database") and shutil.which("xdg-mime"):
        job = tmp_path / "a.peel"
        shutil.copy(ROOT / "tests" / "files" / "data" / "version-6.peel", job)
        found = _run(
            "xdg-mime", "query", "filetype", str(job), XDG_DATA_HOME=str(data), XDG_DATA_DIRS=f"{data}:/usr/share"
        )
        assert "peel" in found.stdout or "sqlite" in found.stdout
    _run(entry, "uninstall", XDG_DATA_HOME=str(data))
    assert not launcher.exists()
    assert not mime.exists()


@SKIPS_WHEEL
def test_a_wheel_from_the_sdist_runs_outside_the_checkout(tmp_path: Path) -> None:
    """Build the sdist, from it the wheel, and run that with this environment's libraries but not this checkout."""
    build = [sys.executable, "-m", "build", "--no-isolation", "--outdir", str(tmp_path / "dist"), str(ROOT)]
    if subprocess.run([sys.executable, "-c", "import hatchling"], check=False, capture_output=True).returncode:
        pytest.skip("what wheels are built with is fetched when they are made, not for tests")
    _run(*build)
    (wheel,) = (tmp_path / "dist").glob("*.whl")
    assert list((tmp_path / "dist").glob("*.tar.gz"))
    venv.create(tmp_path / "env", with_pip=True, system_site_packages=False)
    python = tmp_path / "env" / "bin" / "python"
    _run(str(python), "-m", "pip", "install", "--quiet", "--no-deps", str(wheel))
    libraries = next(path for path in map(Path, sys.path) if path.name == "site-packages")
    (site,) = (tmp_path / "env" / "lib").glob("python*/site-packages")
    (site / "libraries.pth").write_text(f"{libraries}\n")
    code = (
        "import peel.desk.guide as g, peel, peel.files.presets as p;"
        "print(peel.__file__); assert g.GUIDE.is_dir(), g.GUIDE; assert len(p.presets()) >= 7;"
        "from peel.demo.backings import backing_file; assert backing_file('stage-curtain').exists()"
    )
    found = _run(str(python), "-P", "-c", code, QT_QPA_PLATFORM="offscreen")
    assert str(site) in found.stdout
    listed = _run(str(tmp_path / "env" / "bin" / "peel"), "presets")
    assert "Shop, white" in listed.stdout
