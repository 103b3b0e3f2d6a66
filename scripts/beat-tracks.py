#!/usr/bin/env python3
"""Music with known beats for `make beat-tracks`: freely licensed game music of Debian's packages.

The tracks are tracker modules. Such a file says row by row when which note is played, so that its beats are
known to the sample: a beat is four rows, as is the custom,
or six where the composer or the notes say so, or twice as many in the fastest ones.
They are rendered with libopenmpt, which ffmpeg brings along, to mono sound of 22050 samples a second.

    scripts/beat-tracks.py FOLDER [--fresh]      fetches the packages, renders, writes FOLDER/tracks.json

Nothing of it is committed.
"""

import ctypes
import json
import pathlib
import subprocess
import sys
import wave

PACKAGES = ["pingus-data", "tecnoballz-data", "rafkill-data", "biniax2-data", "solarwolf", "gltron", "criticalmass-data"]
# Not listened to until decision 37; `--fresh` takes these instead.
FRESH = [
    "ironseed-data", "pekka-kana-2-data", "heroes-sound-tracks", "gl-117-data", "freedroid-data", "bomberclone-data",
    "pachi-data", "madbomber-data", "circuslinux-data", "ri-li-data", "njam-data", "tuxmath-data",
]
KINDS = {".xm", ".it", ".mod", ".s3m"}
RATE = 22050
STEP = 32  # samples from one look at the row to the next: 1.5 ms
LONGEST = 75.0  # seconds of a track that are used
ROWS = 4  # of a beat, where the file says nothing else
NOTES = 121  # of a channel's notes from 1; what is above ends one
FASTEST = 215.0  # beats a minute; where four rows are shorter, a beat is eight or more


def library():
    try:
        lib = ctypes.CDLL("libopenmpt.so.0")
    except OSError:
        sys.exit("libopenmpt is missing: apt-get install libopenmpt0")
    lib.openmpt_module_create_from_memory.restype = ctypes.c_void_p
    lib.openmpt_module_read_mono.restype = ctypes.c_size_t
    lib.openmpt_module_read_mono.argtypes = [ctypes.c_void_p, ctypes.c_int32, ctypes.c_size_t, ctypes.c_void_p]
    for name in ("row", "pattern", "order"):
        function = getattr(lib, f"openmpt_module_get_current_{name}")
        function.restype, function.argtypes = ctypes.c_int32, [ctypes.c_void_p]
    for name, many in (("pattern_num_rows", 1), ("order_pattern", 1), ("num_orders", 0), ("num_channels", 0),
                       ("pattern_row_channel_command", 4)):
        getattr(lib, f"openmpt_module_get_{name}").argtypes = [ctypes.c_void_p] + many * [ctypes.c_int32]
    lib.openmpt_module_destroy.argtypes = [ctypes.c_void_p]
    return lib


def fetch(folder, packages):
    """Modules of all packages that can be had."""
    found = []
    for package in packages:
        place = folder / package
        if not place.exists():
            got = subprocess.run(["apt-get", "download", "-qq", package], cwd=folder, capture_output=True)
            files = list(folder.glob(f"{package}_*.deb"))
            if got.returncode != 0 or not files:
                print(f"{package} cannot be had", file=sys.stderr)
                continue
            subprocess.run(["dpkg", "-x", files[0], place], check=True)
        found += sorted(p for p in place.rglob("*") if p.suffix.lower() in KINDS)
    return found


def rows_of_a_beat(lib, module, data):
    """As the composer set them off; else, where patterns are made of threes, six if no fewer notes begin on every
    sixth row than on every fourth; else four."""
    if data[:4] == b"IMPM" and (data[0x1E], data[0x1F]) != (4, 16) and data[0x1E] >= 3:
        return data[0x1E]
    played = {lib.openmpt_module_get_order_pattern(module, o) for o in range(lib.openmpt_module_get_num_orders(module))}
    rows = {p: lib.openmpt_module_get_pattern_num_rows(module, p) for p in sorted(played)[:12]}
    rows = {pattern: many for pattern, many in rows.items() if many > 0}  # without what only marks a place in the order
    if sum(r % 3 == 0 for r in rows.values()) * 2 <= len(rows):
        return ROWS
    channels = range(lib.openmpt_module_get_num_channels(module))
    begins = [
        row
        for pattern, many in rows.items()
        for row in range(many)
        for channel in channels
        if 0 < lib.openmpt_module_get_pattern_row_channel_command(module, pattern, row, channel, 0) < NOTES
    ]
    on = {every: sum(row % every == 0 for row in begins) for every in (4, 6)}
    return 6 if on[6] >= on[4] else ROWS


def play(lib, path):
    """Samples, and the moments of the beats, seconds."""
    data = path.read_bytes()
    module = lib.openmpt_module_create_from_memory(data, ctypes.c_size_t(len(data)), None, None, None)
    if not module:
        return b"", []
    module = ctypes.c_void_p(module)
    sound, beats, last, rows = bytearray(), [], None, rows_of_a_beat(lib, module, data)
    buffer = (ctypes.c_int16 * STEP)()
    while len(sound) < 2 * RATE * LONGEST:
        n = lib.openmpt_module_read_mono(module, RATE, STEP, buffer)
        if n == 0:
            break
        # What is read begins where the one before ended; the row is that of its end.
        now = (lib.openmpt_module_get_current_order(module), lib.openmpt_module_get_current_row(module))
        if now != last:
            last = now
            if now[1] % rows == 0:
                beats.append((len(sound) / 2 + n / 2) / RATE)
        sound += bytes(buffer)[: 2 * n]
    lib.openmpt_module_destroy(module)
    return bytes(sound), beats


def tempo(beats):
    steps = sorted(b - a for a, b in zip(beats, beats[1:]))
    return 60.0 / steps[len(steps) // 2]


def broken(beats):
    """Share of steps from beat to beat that are none, where patterns end in the middle of a beat."""
    if len(beats) < 2:
        return 1.0
    step = 60.0 / tempo(beats)
    odd = sum(abs(b - a - step) > 0.2 * step for a, b in zip(beats, beats[1:]))
    return odd / (len(beats) - 1)


def main():
    fresh = "--fresh" in sys.argv
    folder = pathlib.Path(sys.argv[1]).resolve()
    folder.mkdir(parents=True, exist_ok=True)
    lib, tracks = library(), []
    for i, path in enumerate(fetch(folder, FRESH if fresh else PACKAGES)):
        sound, beats = play(lib, path)
        if len(beats) >= 24:
            while tempo(beats) > FASTEST:
                beats = beats[::2]
        if len(beats) < 24 or broken(beats) > 0.05:
            print(f"{path.name}: {len(beats)} beats, {broken(beats):.0%} uneven, left out", file=sys.stderr)
            continue
        wav = folder / f"{i:03}.wav"
        with wave.open(str(wav), "wb") as out:
            out.setnchannels(1)
            out.setsampwidth(2)
            out.setframerate(RATE)
            out.writeframes(sound)
        tracks.append({"name": path.name, "wav": str(wav), "beats": beats, "bpm": tempo(beats)})
    if not tracks:
        sys.exit("No track could be had: apt-get update, then again.")
    (folder / "tracks.json").write_text(json.dumps(tracks))
    print(f"{len(tracks)} tracks in {folder / 'tracks.json'}")


main()
