"""Installing what the project needs: Debian packages, the Python environment, the web build, the kernel cache."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from glob import glob

from .steps import PYTHON, ROOT, VAR, VENV, WEB, StepFailed, environment, only_when_changed, run, step

# What each Debian package is there for, told by a file it brings.
SERVER_PACKAGES = {
    "mariadb-server": "/usr/bin/my_print_defaults",
    "libmariadb-dev": "/usr/include/mariadb/mysql.h",
    "pkg-config": "/usr/bin/pkg-config",
    "gcc": "/usr/bin/gcc",
    "redis-server": "/usr/bin/redis-server",
    "libpango-1.0-0": "/usr/lib/*/libpango-1.0.so.0",  # sets the report's pages
    "libpangoft2-1.0-0": "/usr/lib/*/libpangoft2-1.0.so.0",
}
BROWSER_PACKAGES = {
    "chromium": "/usr/bin/chromium",
    "fonts-dejavu-core": "/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf",
    "fonts-noto-core": "/usr/share/fonts/truetype/noto/NotoSans-Regular.ttf",
}


def debian(packages: dict[str, str]) -> None:
    missing = [name for name, file in packages.items() if not glob(file)]
    if not missing:
        return
    remedy = f"install them by hand (as root): apt-get install {' '.join(missing)}"
    sudo = [] if os.geteuid() == 0 else ["sudo"]
    if sudo and not shutil.which("sudo"):
        raise StepFailed(f"Debian packages are missing: {', '.join(missing)}.", remedy)
    with step(f"Debian packages: {', '.join(missing)}"):
        env = environment() | {"DEBIAN_FRONTEND": "noninteractive"}
        # Debian's server packages would start services of their own; ours run privately under var/.
        env["RUNLEVEL"] = "1"
        run([*sudo, "apt-get", "update", "-q"], remedy, env=env)
        run([*sudo, "apt-get", "install", "-y", "-q", "--no-install-recommends", *missing], remedy, env=env)


def python_environment(lock: str) -> None:
    """Make .venv and install the pinned packages of requirements/`lock`.lock ('core' is a subset of 'full')."""
    stamps = VAR / "stamps"
    if lock == "core" and (stamps / "python-full").exists() and PYTHON.exists():
        lock = "full"
    file = ROOT / "requirements" / f"{lock}.lock"
    with only_when_changed(f"python-{lock}", [file, ROOT / "core" / "pyproject.toml"], PYTHON) as needed:
        if not needed:
            return
        if not PYTHON.exists():
            with step("Python environment in .venv"):
                if subprocess.run([sys.executable, "-c", "import ensurepip"], capture_output=True).returncode:
                    debian({"python3-venv": "/nonexistent"})
                run([sys.executable, "-m", "venv", str(VENV)], "check that python3 can make virtual environments")
        remedy = "check that PyPI can be reached, then run the same command again"
        with step(f"Python packages ({file.name})"):
            pip = [str(PYTHON), "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
            run([*pip, "--require-hashes", "-r", str(file)], remedy)
            run([*pip, "--no-deps", "--no-build-isolation", "-e", str(ROOT / "core")], remedy)


def web_packages() -> None:
    with only_when_changed("npm", [WEB / "package.json", WEB / "package-lock.json"], WEB / "node_modules") as needed:
        if needed:
            with step("Packages of the web interface"):
                run(
                    ["npm", "ci", "--no-audit", "--no-fund"],
                    "Node 20 with npm is needed, and the npm registry in reach; then run the same command again",
                    cwd=WEB,
                )


def web_build() -> None:
    web_packages()
    sources = [WEB / "src", WEB / "index.html", WEB / "package-lock.json", WEB / "vite.config.ts"]
    with only_when_changed("web", sources, WEB / "dist" / "index.html") as needed:
        if needed:
            with step("Building the web interface"):
                run(["npm", "run", "build"], "the log says which source does not build", cwd=WEB)


def kernel_cache() -> None:
    """Compile the Numba kernels once, so that the first rehearsal does not wait for it."""
    kernels = [p for p in sorted((ROOT / "core" / "bluntmirror").rglob("*.py")) if "kernel" in p.name]
    with only_when_changed("kernels", [*kernels, ROOT / "requirements" / "core.lock"], VAR / "kernels") as needed:
        if needed:
            with step("Compiling the kernels"):
                # The compiler's cache looks at a kernel's own file, not at the kernels it calls: what was compiled
                # against an older one would go on being used. So all of it goes when any of them changes.
                shutil.rmtree(VAR / "kernels", ignore_errors=True)
                (VAR / "kernels").mkdir(parents=True)
                run([str(PYTHON), "-m", "bluntmirror.warm"], "the log says what failed")


def byte_code() -> None:
    """Compile our own modules, which Python itself would do at every start where it may not write beside them."""
    core = ROOT / "core" / "bluntmirror"
    with only_when_changed("byte-code", [core, ROOT / "ops"], core / "__pycache__") as needed:
        if needed:
            own = [str(core), str(ROOT / "ops")]
            run([str(PYTHON), "-m", "compileall", "-q", *own], "the log says which file does not compile")


def core() -> None:
    python_environment("core")
    byte_code()
    kernel_cache()


def for_the_client() -> None:
    """What writing the web client's types needs: no web build, which may be waiting for just these types."""
    debian(SERVER_PACKAGES)
    python_environment("full")
    web_packages()


def for_a_worker() -> None:
    """What works for an installation elsewhere: no page is served from here."""
    debian(SERVER_PACKAGES)
    python_environment("full")
    byte_code()
    kernel_cache()


def everything(browser: bool = False) -> None:
    debian(SERVER_PACKAGES | (BROWSER_PACKAGES if browser else {}))
    with ThreadPoolExecutor(1, thread_name_prefix="web") as beside:  # the two wait for nothing of each other's
        web = beside.submit(web_build)
        python_environment("full")
        byte_code()
        kernel_cache()
        web.result()
