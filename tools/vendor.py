"""Refresh the fonts, styles, scripts and icons that ship with the application.

Run by hand (`python -m tools.vendor`, needs npm) when a version below is changed; the result is committed, so neither
a set-up nor a page ever fetches anything. The version stands in each folder's name, and each licence beside its files.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SHIPPED = ROOT / "irongauge" / "web" / "static" / "vendor"
TEST_ONLY = ROOT / "tests" / "browser" / "vendor"

MIT = """MIT License

Copyright (c) {holder}

Permission is hereby granted, free of charge, to any person obtaining a copy of this software and associated
documentation files (the "Software"), to deal in the Software without restriction, including without limitation the
rights to use, copy, modify, merge, publish, distribute, sublicense, and/or sell copies of the Software, and to permit
persons to whom the Software is furnished to do so, subject to the following conditions:

The above copyright notice and this permission notice shall be included in all copies or substantial portions of the
Software.

THE SOFTWARE IS PROVIDED "AS IS", WITHOUT WARRANTY OF ANY KIND, EXPRESS OR IMPLIED, INCLUDING BUT NOT LIMITED TO THE
WARRANTIES OF MERCHANTABILITY, FITNESS FOR A PARTICULAR PURPOSE AND NONINFRINGEMENT. IN NO EVENT SHALL THE AUTHORS OR
COPYRIGHT HOLDERS BE LIABLE FOR ANY CLAIM, DAMAGES OR OTHER LIABILITY, WHETHER IN AN ACTION OF CONTRACT, TORT OR
OTHERWISE, ARISING FROM, OUT OF OR IN CONNECTION WITH THE SOFTWARE OR THE USE OR OTHER DEALINGS IN THE SOFTWARE.
"""

# npm package, version, folder name, files to keep, where
PACKAGES = (
    ("bootstrap", "5.3.9", "bootstrap", ("dist/css/bootstrap.min.css",), SHIPPED),
    ("@alpinejs/csp", "3.17.4", "alpine-csp", ("dist/cdn.min.js",), SHIPPED),
    ("@alpinejs/morph", "3.17.4", "alpine-morph", ("dist/cdn.min.js",), SHIPPED),
    (
        "@fontsource-variable/atkinson-hyperlegible-next",
        "5.3.0",
        "hyperlegible-next",
        (
            "files/atkinson-hyperlegible-next-latin-wght-normal.woff2",
            "files/atkinson-hyperlegible-next-latin-ext-wght-normal.woff2",
        ),
        SHIPPED,
    ),
    (
        "@fontsource-variable/atkinson-hyperlegible-mono",
        "5.3.0",
        "hyperlegible-mono",
        ("files/atkinson-hyperlegible-mono-latin-wght-normal.woff2",),
        SHIPPED,
    ),
    ("axe-core", "4.14.1", "axe-core", ("axe.min.js",), TEST_ONLY),
)
ICON_PACKAGE = ("lucide-static", "1.62.0")
ICONS = [
    "arrow-right",
    "chevron-right",
    "circle-help",
    "download",
    "history",
    "keyboard",
    "pencil",
    "plus",
    "printer",
    "sun-moon",
    "triangle-alert",
    "undo-2",
    "upload",
    "user-round",
    "wrench",
]
ALPINE = MIT.format(holder="2019 Caleb Porzio and contributors")
NO_LICENCE_FILE = {"alpine-csp": ALPINE, "alpine-morph": ALPINE}


def install(folder: Path, *names: str) -> None:
    subprocess.run(["npm", "install", "--ignore-scripts", "--no-audit", "--no-fund", *names], cwd=folder, check=True)


def keep(package: Path, target: Path, files: tuple[str, ...]) -> None:
    target.mkdir(parents=True)
    for name in files:
        shutil.copy(package / name, target / Path(name).name)
    licences = [p for p in package.iterdir() if p.name.upper().startswith("LICENSE")]
    for licence in licences:
        shutil.copy(licence, target / licence.name)
    if not licences:
        stem = target.name.rsplit("-", 1)[0]
        (target / "LICENSE").write_text(NO_LICENCE_FILE[stem], encoding="utf-8")


def icon_sprite(package: Path) -> str:
    """One SVG of `<symbol>`s, so that a page names an icon and the browser loads a single small file."""
    symbols = []
    for name in ICONS:
        text = (package / "icons" / f"{name}.svg").read_text(encoding="utf-8")
        inner = re.sub(r"<!--.*?-->", "", text, flags=re.DOTALL)
        inner = re.sub(r".*?<svg.*?>", "", inner, count=1, flags=re.DOTALL).replace("</svg>", "")
        symbols.append(f'<symbol id="{name}" viewBox="0 0 24 24">{" ".join(inner.split())}</symbol>')
    return '<svg xmlns="http://www.w3.org/2000/svg">' + "\n".join(symbols) + "</svg>\n"


def main() -> int:
    for folder in (SHIPPED, TEST_ONLY):
        shutil.rmtree(folder, ignore_errors=True)
    with tempfile.TemporaryDirectory() as scratch:
        work = Path(scratch)
        (work / "package.json").write_text('{"private": true}', encoding="utf-8")
        install(work, *(f"{name}@{version}" for name, version, *_ in PACKAGES), "@".join(ICON_PACKAGE))
        modules = work / "node_modules"
        for name, version, short, files, where in PACKAGES:
            keep(modules / name, where / f"{short}-{version}", files)
        icons = modules / ICON_PACKAGE[0]
        target = SHIPPED / f"lucide-{ICON_PACKAGE[1]}"
        keep(icons, target, ())
        (target / "icons.svg").write_text(icon_sprite(icons), encoding="utf-8")
    # A source map is not shipped, so the reference to it would only be a request that fails.
    for css in SHIPPED.glob("bootstrap-*/*.css"):
        css.write_text(re.sub(r"/\*# sourceMappingURL=.*?\*/", "", css.read_text(encoding="utf-8")), encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
