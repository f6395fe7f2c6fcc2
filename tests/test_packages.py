"""What people install, tried where there is nothing else: `make package` builds it into dist/ and runs these."""

import os
import shutil
import subprocess
import sys
import venv
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PIL import Image

ROOT = Path(__file__).parent.parent
PHOTOS = ROOT / "src" / "peel" / "demo" / "photos"
DEB = next((ROOT / "dist").glob("*.deb"), None)
WHEEL = next((ROOT / "dist").glob("*.whl"), None)
LIBRARIES = ("python3", "xvfb", "xauth", "xdotool")

# Peel opened, until there is a bench to work at, and closed again.
WINDOW = """
import time
from peel.desk.app import make_app
from peel.desk.window import Window
app = make_app()
window = Window()
window.show_welcome()
window.show()
def wait(done):
    end = time.monotonic() + 120
    while not done():
        assert time.monotonic() < end
        app.processEvents()
        time.sleep(0.01)
wait(lambda: window.bench is not None)
window.close()
wait(lambda: window.is_closed)
"""

Run = Callable[..., subprocess.CompletedProcess[str]]


def _run(*command: str, **env: str) -> subprocess.CompletedProcess[str]:
    done = subprocess.run(command, env={**os.environ, **env}, check=False, capture_output=True, text=True)
    assert done.returncode == 0, f"{' '.join(command)}\n{done.stdout}\n{done.stderr}"
    return done


def _files_of(root: Path) -> set[str]:
    """Return what lies in a root, but what the package manager itself writes."""
    own = ("var/lib/dpkg", "var/lib/apt", "var/cache", "var/log", "proc", "sys", "dev", "tmp", "run")
    found = set()
    for folder, folders, names in os.walk(root):
        here = Path(folder).relative_to(root)
        folders[:] = [name for name in folders if str(here / name) not in own]
        found |= {str(here / name) for name in names}
    return found


@pytest.fixture(scope="module")
def clean_root(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """A Debian of its own packages alone, with a screen that is none, and somebody who is not root."""
    if DEB is None:
        pytest.skip("no Debian package has been built: make package")
    if os.getuid() or not shutil.which("mmdebstrap"):
        pytest.skip("a clean root takes mmdebstrap and root's rights")
    root = tmp_path_factory.mktemp("debian") / "root"
    depends = _run("dpkg-deb", "--field", str(DEB), "Depends").stdout
    needed = [part.split("|")[0].split("(")[0].strip() for part in depends.split(",")]
    _run("mmdebstrap", "--variant=apt", f"--include={','.join({*needed, *LIBRARIES})}", "bookworm", str(root))
    shutil.copy(DEB, root / "tmp")
    _run("chroot", str(root), "useradd", "--create-home", "somebody")
    for name in ("proc", "dev"):
        _run("mount", "--rbind", f"/{name}", str(root / name))
    yield root
    for name in ("proc", "dev"):
        subprocess.run(["umount", "-l", "-R", str(root / name)], check=False)


def test_the_debian_package_is_installed_used_and_removed_without_a_trace(clean_root: Path) -> None:
    def inside(*command: str) -> subprocess.CompletedProcess[str]:
        return _run("chroot", str(clean_root), *command, DEBIAN_FRONTEND="noninteractive", LC_ALL="C.UTF-8")

    def somebody(command: str) -> str:
        return inside("su", "-", "somebody", "-c", command).stdout

    before = _files_of(clean_root)
    assert DEB is not None
    inside("dpkg", "--install", f"/tmp/{DEB.name}")
    home = clean_root / "home" / "somebody"
    shutil.copy(PHOTOS / "lamplighter.jpg", home)
    shutil.copy(next(PHOTOS.glob("lamplighter*zones*.png")), home / "zones.png")

    said = inside(
        "su", "-", "somebody", "-c",
        "peel cut lamplighter.jpg --zones zones.png --matte matte.png --cutout cutout.png 2>&1",
    )  # fmt: skip
    with Image.open(home / "cutout.png") as cutout, Image.open(home / "lamplighter.jpg") as photo:
        assert cutout.size == photo.size
        assert cutout.mode == "RGBA"
        assert set(cutout.getchannel("A").getextrema()) == {0, 255}
    assert "getting ready" not in said.stdout, "kernels were compiled when the package was installed"
    assert not (home / ".cache" / "peel" / "kernels").exists()
    shown = somebody(
        "xvfb-run -a sh -c 'peel lamplighter.jpg & peel=$!; "
        "timeout 120 xdotool search --sync --onlyvisible --name lamplighter getwindowname; kill $peel; wait $peel'; true"
    )
    assert "lamplighter" in shown
    (home / "kept.peel").write_bytes(b"a job")

    inside("dpkg", "--purge", "peel")

    left = {name for name in _files_of(clean_root) - before if not name.startswith("home/somebody/")}
    assert not left
    assert (home / "kept.peel").exists()
    assert not list((clean_root / "usr" / "lib").glob("peel*"))


def test_the_wheel_works_in_an_environment_of_its_own(tmp_path: Path) -> None:
    if WHEEL is None:
        pytest.skip("no wheel has been built: make package")
    venv.create(tmp_path / "env", with_pip=True)
    python, peel = tmp_path / "env" / "bin" / "python", tmp_path / "env" / "bin" / "peel"
    needed = tmp_path / "needed.txt"
    needed.write_text(_run(sys.executable, str(ROOT / "tools" / "runtime-requirements")).stdout)
    _run(str(python), "-m", "pip", "install", "--quiet", "--no-deps", "-r", str(needed), str(WHEEL))
    _run(str(python), "-m", "pip", "check")
    matte = tmp_path / "matte.png"
    zones = next(PHOTOS.glob("lamplighter*zones*.png"))

    _run(str(peel), "cut", str(PHOTOS / "lamplighter.jpg"), "--zones", str(zones), "--matte", str(matte))

    with Image.open(matte) as made:
        assert made.getextrema() == (0, 65_535)
    _run(str(python), "-c", WINDOW, QT_QPA_PLATFORM="offscreen")
