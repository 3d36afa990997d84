"""`make corpus`: pictures that nobody here made, read by every verb, with independent readers beside; the table goes to docs/corpus.md.

The test pictures of the TIFF, PNG, Exif and HEIF libraries come from their Debian source packages, by apt-get, into the cache folder.
"""

from __future__ import annotations

import contextlib
import io
import json
import multiprocessing
import os
import subprocess
import sys
import tarfile
import time
from collections import Counter, defaultdict
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

PACKAGES = ("tiff", "libpng1.6", "libexif", "exiv2", "pillow", "libheif")
SUFFIXES = frozenset(
    (".tif", ".tiff", ".jpg", ".jpeg", ".png", ".apng", ".webp", ".avif", ".heic", ".heif", ".hif", ".jxl", ".mpo")
)
RAW_SUFFIXES = frozenset((".dng", ".cr2", ".cr3", ".nef", ".orf", ".raf", ".rw2", ".pef", ".arw"))
#: What a file may take, and what none may.
SECONDS, MEGABYTES, HANG, SMALL = 2.0, 500, 20.0, 4_000_000
#: Why a file is read otherwise than by another reader, each looked into.
EXPLAINED = {
    "Reagan.jxl": "a third reader, of libjxl as well, gives what Velkin gives, to the bit",
    "badcrc.png": "a chunk's checksum is wrong, and the other reader does not mind",
    "huge_IDAT.png": "a chunk of its data says it is longer than the file, and the other reader does not mind",
    "12bit.cropped.tif": "12 bits: Velkin spreads them over the whole range, the other leaves them as they are",
    "16bit.s.tif": "signed: Velkin moves them up by half, the other leaves them as they are",
    "crash-0da013a13571cc8eb457a39fee8db18f8a3c7127.tif": "its coding is damaged; the other gives a white page",
    "RGBa.tiff": "16 bits multiplied by alpha: the other divides in 8 bits",
    "syntax_num_frames_invalid.png": "a chunk says nonsense, which the other passes over",
}
OUT = Path(__file__).parent.parent / "docs" / "corpus.md"


# ---- fetching -----------------------------------------------------------------------------------------------------


def fetched(folder: Path) -> list[Path]:
    """The pictures, fetched where they are not there yet."""
    folder.mkdir(parents=True, exist_ok=True)
    apt = folder / "apt"
    for part in ("lists/partial", "cache/archives/partial"):
        (apt / part).mkdir(parents=True, exist_ok=True)
    release = next(
        (
            line.split("=")[1].strip().strip('"')
            for line in Path("/etc/os-release").read_text().splitlines()
            if line.startswith("VERSION_CODENAME=")
        ),
        "bookworm",
    )
    sources = apt / "sources.list"
    keys = "/usr/share/keyrings/debian-archive-keyring.gpg"
    sources.write_text(f"deb-src [signed-by={keys}] http://deb.debian.org/debian {release} main\n")
    options = [
        f"Dir::Etc::sourcelist={sources}",
        "Dir::Etc::sourceparts=-",
        f"Dir::State::lists={apt}/lists",
        f"Dir::Cache={apt}/cache",
    ]
    command = ["apt-get", *(word for o in options for word in ("-o", o))]
    found: list[Path] = []
    for package in PACKAGES:
        into = folder / package
        if not into.exists():
            print(f"fetching the source package {package}", flush=True)
            if not any((apt / "lists").glob("*Sources*")):
                subprocess.run([*command, "update"], check=True, capture_output=True)
            fresh = folder / f"{package}.part"
            fresh.mkdir(exist_ok=True)
            subprocess.run([*command, "source", "--download-only", package], cwd=fresh, check=True, capture_output=True)
            for archive in fresh.glob("*.orig.tar.*"):
                if not archive.name.endswith(".asc"):
                    _unpack(archive, fresh)
            fresh.rename(into)
        found += [p for p in into.rglob("*") if p.is_file() and p.suffix.lower() in SUFFIXES | RAW_SUFFIXES]
    return sorted(found)


def _unpack(archive: Path, into: Path) -> None:
    with tarfile.open(archive) as tar:
        for member in tar:
            if member.isfile() and Path(member.name).suffix.lower() in SUFFIXES | RAW_SUFFIXES:
                tar.extract(member, into, filter="data")


# ---- one file -----------------------------------------------------------------------------------------------------


@dataclass
class Row:
    """What became of one file."""

    path: str
    format: str = ""
    verbs: dict[str, str] = field(default_factory=dict)
    seconds: dict[str, float] = field(default_factory=dict)
    read: str = ""
    exact: str = ""
    kept: dict[str, tuple[int, int, list[str]]] = field(default_factory=dict)
    megabytes: float = 0.0
    pixels: int = 0


def look(path: Path, scratch: Path) -> Row:
    """Every verb over one file, and what other readers say of it."""
    row = Row(str(path))
    with contextlib.suppress(OSError):
        Path("/proc/self/clear_refs").write_text("5")  # the most memory is counted from here (proc(5))
    begun = _memory("VmRSS")
    document = _run(row, "inspect", ["inspect", str(path), "--json", "--contents"])
    if document:
        row.format = document[0].get("format", "")
        row.pixels = document[0]["width"] * document[0]["height"]
    if row.format in ("", "raw", "dng"):
        return row
    untagged = document[0]["tag"]["state"] not in ("tagged", "claimed")
    model = document[0]["model"]
    said = ["--from", "srgb"] if untagged and model in ("rgb", "gray") else []
    tif = scratch / "o.tif"
    if not (untagged and not said):
        for kind in ("tif", "png", "jpg", "webp", "avif", "jxl"):
            if kind == "avif" and row.pixels > SMALL:
                continue  # its encoder takes a second for each million pixels
            out = scratch / f"o.{kind}"
            bits = ["--bits", "8"] if kind != "tif" else []
            if _run(
                row,
                f"convert to {kind}",
                ["convert", str(path), "--to", "oprgb", *said, *bits, "--no-dither", "--replace", "--out", str(out), "--json"],
            ):
                with contextlib.suppress(Exception):
                    row.kept[kind] = kept(path, out)
        with contextlib.suppress(Exception):
            row.exact = exact(path, tif, said)
        _run(row, "proof", ["proof", str(path), "--to", "srgb", *said, "--json"])
        _run(row, "ease", ["ease", str(path), "--to", "srgb", *said, "--replace", "--out", str(tif), "--json"])
    suffix = {"jpeg": "jpg", "tiff": "tif", "png": "png", "webp": "webp", "avif": "avif"}.get(row.format, "tif")
    space = "p3" if model in ("rgb", "gray") else ""
    if space:
        _run(
            row, "assign", ["assign", str(path), "--space", space, "--replace", "--out", str(scratch / f"a.{suffix}"), "--json"]
        )
    row.read = read_elsewhere(path)
    row.megabytes = _memory("VmHWM") - begun
    return row


def _memory(what: str) -> float:
    """Megabytes of this process, by proc(5)."""
    status = Path("/proc/self/status").read_text().splitlines()
    return int(next(line for line in status if line.startswith(what)).split()[1]) / 1024


def _run(row: Row, name: str, words: list[str]) -> Any:
    """A verb as the command line runs it; its document where it was done."""
    from velkin.cli import main

    out = io.BytesIO()
    wrapped = io.TextIOWrapper(out, encoding="utf-8")
    begun = time.perf_counter()
    said = io.StringIO()
    try:
        with contextlib.redirect_stdout(wrapped), contextlib.redirect_stderr(said):
            status = main(words)
    except BaseException as error:
        row.verbs[name] = f"crash {type(error).__name__}: {error}"
        return None
    row.seconds[name] = time.perf_counter() - begun
    wrapped.flush()
    try:
        document = json.loads(out.getvalue().decode("utf-8"))
    except ValueError:
        row.verbs[name] = "crash: no valid JSON"
        return None
    if status == 2:
        row.verbs[name] = f"status 2: {said.getvalue().strip()[:120]}"
        return None
    row.verbs[name] = "done" if status == 0 else f"refused: {said.getvalue().strip()[:120]}"
    return document if status == 0 else None


def read_elsewhere(path: Path) -> str:
    """How what Velkin decodes compares with what Pillow (or libheif) does, upright, in 8 bits."""
    import numpy as np
    from PIL import Image, ImageOps

    from velkin.core.errors import VelkinError
    from velkin.core.files.picture import decode_picture

    theirs = None
    try:
        import pillow_heif

        pillow_heif.register_heif_opener()
        with Image.open(path) as opened:
            opened.load()  # what lies behind the picture is read with it
            mode = opened.mode
            turned = ImageOps.exif_transpose(opened)
            assert turned is not None
            theirs = _in_eight(turned, mode)
    except Exception:
        theirs = None
    try:
        picture = decode_picture(path)
    except VelkinError:
        return "both refuse" if theirs is None else "only the other reads it"
    if theirs is None:
        return "only Velkin reads it"
    ours: Any = picture.numbers
    if ours.dtype == np.uint16:
        ours = ours / 257.0
    elif ours.dtype == np.float32:
        ours = np.clip(ours, 0, 1) * 255.0
    ours = np.asarray(ours, dtype=np.float64)
    if ours.shape[2] == 1:
        ours = np.repeat(ours, 3, axis=2) if theirs.shape[2] == 3 else ours
    if ours.shape != theirs.shape:
        return f"another shape: {ours.shape} and {theirs.shape}"
    top = 1.0 if picture.alpha is None or picture.alpha.dtype.kind == "f" else _top(picture.alpha)
    # colours of what is next to transparent are noise where they are divided by it in 8 bits
    seen = np.ones(ours.shape[:2], bool) if picture.alpha is None else np.asarray(picture.alpha, dtype=np.float64) / top > 0.5
    apart = np.abs(ours - theirs)[seen]
    most = float(apart.max(initial=0.0))
    return "the same" if most <= 1.5 else f"apart by {most:.0f}"


def _top(numbers: Any) -> float:
    import numpy as np

    return float(np.iinfo(numbers.dtype).max)


def _in_eight(image: Any, mode: str) -> Any:
    import numpy as np

    if mode.startswith(("I", "F")):
        numbers = np.asarray(image, dtype=np.float64)
        return (numbers / 257.0 if mode.startswith("I") else np.clip(numbers, 0, 1) * 255.0)[..., None]
    if mode == "LAB":  # a and b as signed bytes
        return (np.asarray(image, dtype=np.uint8) ^ np.array([0, 128, 128], np.uint8)).astype(np.float64)
    if mode == "CMYK":
        return np.asarray(image, dtype=np.float64)
    if mode in ("RGBa", "La"):
        image = image.convert("RGBA")
    return np.asarray(image.convert("RGB"), dtype=np.float64)


def exact(path: Path, out: Path, said: list[str]) -> str:
    """Whether a conversion is within one code of 8 bits of closed forms in 64 bits, or LittleCMS's floating point for tables."""
    import numpy as np

    from velkin.core.files.picture import decode_picture
    from velkin.core.icc.space import profile_of
    from velkin.core.icc.transform import device_values
    from velkin.core.spaces.rgb import OPRGB, SRGB, RGBSpace
    from velkin.core.tags.inspect import inspect

    start = SRGB if said else inspect(path).said
    source, made = decode_picture(path), decode_picture(out)
    if start is None or start.model != "rgb" or source.model != "rgb" or source.numbers.dtype == np.float32:
        return ""
    top = _top(source.numbers)
    flat = source.numbers.reshape(-1, 3)
    pick = np.linspace(0, len(flat) - 1, min(len(flat), 4000)).astype(int)
    if isinstance(start, RGBSpace):  # closed form in 64 bits: profiles round matrices, which shows in the darkest codes
        light = start.decode(flat[pick] / top) @ start.to_xyz.T @ OPRGB.from_xyz.T
        meant = OPRGB.encode(np.clip(light, 0, 1))
    else:
        meant = np.clip(device_values(flat[pick] / top, profile_of(start), "rgb", profile_of(OPRGB), "rgb"), 0, 1)
    got = made.numbers.reshape(-1, 3)[pick] / _top(made.numbers)
    most = float(np.abs(got - meant).max() * 255.0)
    return "within a code" if most <= 1.0 else f"{most:.1f} codes"


#: What follows from the file itself, and what is said of pictures that are left behind.
_OWN: tuple[str, ...] = (
    "Exif.Image.Orientation",
    "Exif.Photo.ColorSpace",
    "Exif.Photo.Pixel",
    "Exif.Image.XRes",
    "Exif.Image.YRes",
    "Exif.Image.ResolutionUnit",
)
_OWN += (
    "Exif.Thumbnail",
    "Exif.SubImage",
    "Exif.SubThumb",
    "Exif.Image2",
    "Exif.Image3",
    "Exif.MakerNote.Offset",
    "Exif.Photo.MakerNote",
)
_OWN += (
    "Exif.Iop.",
    "Exif.Image.ExifTag",
    "Exif.Image.GPSTag",
    "Exif.Photo.InteroperabilityTag",
    "Xmp.tiff.",
    "Xmp.exif.ColorSpace",
    "Xmp.exif.Pixel",
)
_OWN += (
    "Xmp.photoshop.ICCProfile",
    "Xmp.photoshop.ColorMode",
    "Xmp.xmpNote",
    "Exif.Image.InterColorProfile",
    "Exif.Image.XMLPacket",
    "Exif.Image.IPTCNAA",
)
_LAYOUT = frozenset(
    [
        "NewSubfileType",
        "ImageWidth",
        "ImageLength",
        "BitsPerSample",
        "Compression",
        "PhotometricInterpretation",
        "StripOffsets",
        "SamplesPerPixel",
        "RowsPerStrip",
        "StripByteCounts",
        "PlanarConfiguration",
        "ImageResources",
        "Predictor",
        "TileWidth",
        "TileLength",
        "TileOffsets",
        "TileByteCounts",
        "ColorMap",
        "ExtraSamples",
        "SampleFormat",
        "FillOrder",
        "YCbCrPositioning",
        "YCbCrSubSampling",
        "JPEGTables",
        "JPEGProc",
        "ReferenceBlackWhite",
        "PageNumber",
        "T4Options",
        "T6Options",
        "SubIFDs",
        "ImageSourceData",
        "InkSet",
        "DotRange",
        "YCbCrCoefficients",
        "WhitePoint",
        "PrimaryChromaticities",
        "TransferFunction",
        "JPEGInterchangeFormat",
        "JPEGInterchangeFormatLength",
        "0x0000",
    ]
)


def _tags(path: Path) -> dict[str, str]:
    from velkin.core.files.exiv2_files import open_metadata

    image = open_metadata(path)
    image.readMetadata()
    found: dict[str, str] = {}
    for datum in (*image.exifData(), *image.iptcData(), *image.xmpData()):
        key = datum.key()
        if key.startswith(_OWN) or (key.startswith("Exif.Image.") and key.split(".")[-1] in _LAYOUT):
            continue
        found[key] = found.get(key, "") + "|" + datum.toString()
    return found


def kept(source: Path, out: Path) -> tuple[int, int, list[str]]:
    """How many tags that exiv2 finds in a source are the same in what was written of it, of how many, and those that are not."""
    before, after = _tags(source), _tags(out)
    lost = [k for k, v in before.items() if after.get(k) != v]
    return len(before) - len(lost), len(before), lost[:40]


# ---- all files ----------------------------------------------------------------------------------------------------


def _worker(tasks: Any, results: Any, scratch: Path) -> None:
    os.environ["VELKIN_THREADS"] = "1"
    quiet = os.open(os.devnull, os.O_WRONLY)
    os.dup2(quiet, 2)
    while (path := tasks.get()) is not None:
        results.put(look(path, scratch))


class Reader:
    """A process that reads files, one after the other, and is begun anew when one of them hangs or ends it."""

    def __init__(self, scratch: Path) -> None:
        self._scratch = scratch
        scratch.mkdir(parents=True, exist_ok=True)
        self._begin()

    def _begin(self) -> None:
        self._tasks: Any = multiprocessing.Queue()
        self._results: Any = multiprocessing.Queue()
        self._process = multiprocessing.Process(target=_worker, args=(self._tasks, self._results, self._scratch), daemon=True)
        self._process.start()

    def read(self, path: Path) -> Row:
        """What became of a file."""
        self._tasks.put(path)
        until = time.monotonic() + 10 * HANG
        while time.monotonic() < until:
            try:
                found: Row = self._results.get(timeout=1.0)
                return found
            except Exception:
                if not self._process.is_alive():
                    break
        why = "hang" if self._process.is_alive() else "ended the process"
        self._process.kill()
        self._begin()
        return Row(str(path), verbs={"all": f"crash: {why}"})

    def end(self) -> None:
        """No more files."""
        self._tasks.put(None)
        self._process.join(10)


def _group(key: str) -> str:
    """The group of a tag; the many of makers' notes are one."""
    family, group = key.split(".")[:2]
    standard = ("Image", "Photo", "GPSInfo", "Iop")
    return "maker's notes" if family == "Exif" and group not in standard else f"{family}.{group}"


def report(rows: list[Row], folder: Path) -> str:
    """The table, as Markdown."""
    formats = Counter(r.format or "not read" for r in rows)
    crashes = [(r, v, w) for r in rows for v, w in r.verbs.items() if w.startswith("crash")]
    twos = [(r, v, w) for r in rows for v, w in r.verbs.items() if w.startswith("status 2")]
    small = [r for r in rows if r.pixels < SMALL]
    slow = [(r, v, s) for r in small for v, s in r.seconds.items() if s > SECONDS]
    heavy = [r for r in small if r.megabytes > MEGABYTES]
    read = Counter(r.read.split(" by ")[0].split(":")[0] for r in rows if r.read)
    odd = [r for r in rows if r.read.startswith(("apart", "another", "only the other"))]
    exactly = Counter("within a code" if r.exact == "within a code" else "further" for r in rows if r.exact)
    share: dict[tuple[str, str], list[int]] = defaultdict(lambda: [0, 0])
    lost: Counter[str] = Counter()
    for r in rows:
        for kind, (same, all_of_them, gone) in r.kept.items():
            share[r.format, kind][0] += same
            share[r.format, kind][1] += all_of_them
            lost.update(f"{kind}: {_group(k)}" for k in gone)
    places: dict[str, str] = {}
    for package in PACKAGES:
        own = [r.path for r in rows if Path(r.path).is_relative_to(folder / package)]
        places |= {path: f"{package}, picture {i}" for i, path in enumerate(own, start=1)}

    def name(r: Row) -> str:
        """A file by its number in its package: many are called by a maker's name."""
        return f"{places.get(r.path, r.path)} ({r.format or Path(r.path).suffix})"

    lines = [
        "# Other people's pictures",
        "",
        "Written by `make corpus`: the test pictures of libraries, from their Debian source packages "
        f"({', '.join(PACKAGES)}), most of them made to be awkward and many to be broken.",
        "",
        f"{len(rows)} files: " + ", ".join(f"{n} {f}" for f, n in formats.most_common()) + ".",
        "",
        "| what | figure |",
        "|---|---|",
        f"| verbs run | {sum(len(r.verbs) for r in rows)} |",
        f"| crashes and hangs | {len(crashes)} |",
        f"| told to be wrong use, where a file was to blame | {len(twos)} |",
        f"| verbs of more than {SECONDS:g} s, of pictures under {SMALL / 1e6:g} MP | {len(slow)} |",
        f"| pictures under {SMALL / 1e6:g} MP that took more than {MEGABYTES} MB | {len(heavy)} |",
        *(f"| read as by another reader: {k} | {n} |" for k, n in read.most_common()),
        f"| conversions to opRGB within one code | {exactly['within a code']} of {sum(exactly.values())} |",
        "",
        "## Metadata kept",
        "",
        "Share of the tags that exiv2 finds in a source (Exif, IPTC, XMP, maker's notes; not those that follow from the file itself) which are the same "
        "in what was written of it, by format of the source and of the file.",
        "",
    ]
    kinds = ["tif", "png", "jpg", "webp", "avif", "jxl"]
    lines += ["| from | " + " | ".join(kinds) + " |", "|---|" + "---|" * len(kinds)]
    for source in sorted({a for a, _ in share}):
        cells = [f"{100 * share[source, k][0] / share[source, k][1]:.1f} %" if share[source, k][1] else "" for k in kinds]
        lines.append(f"| {source} | " + " | ".join(cells) + " |")
    lines += [
        "",
        "What is not the same, by group, the most frequent first: "
        + (", ".join(f"{k} {n}" for k, n in lost.most_common(24)) or "nothing")
        + ".",
    ]
    for title, found in (
        ("Crashes and hangs", [f"{name(r)}, {v}: {w}" for r, v, w in crashes]),
        ("Told to be wrong use", [f"{name(r)}, {v}: {w}" for r, v, w in twos]),
        (
            "Slow or large",
            [f"{name(r)}: {r.megabytes:.0f} MB" for r in heavy] + [f"{name(r)}, {v}: {s:.1f} s" for r, v, s in slow],
        ),
        (
            "Read otherwise than by another reader",
            [f"{name(r)}: {r.read}; {next((w for k, w in EXPLAINED.items() if k in r.path), 'NOT EXPLAINED')}" for r in odd],
        ),
        ("Conversions further than one code", [f"{name(r)}: {r.exact}" for r in rows if r.exact not in ("", "within a code")]),
    ):
        lines += ["", f"## {title}", "", *(f"- {f}" for f in found[:80])]
        if not found:
            lines.append("None.")
    return "\n".join(lines) + "\n"


def main() -> int:
    """Fetch, read, write the table."""
    folder = Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "velkin" / "corpus"
    files = fetched(folder)
    only = sys.argv[1] if len(sys.argv) > 1 else ""
    files = [f for f in files if only in str(f)]
    rows: list[Row] = []
    import threading

    lock = threading.Lock()
    queue = list(reversed(files))

    def go(number: int) -> None:
        reader = Reader(folder / "scratch" / str(number))
        while True:
            with lock:
                if not queue:
                    break
                path = queue.pop()
            row = reader.read(path)
            with lock:
                rows.append(row)
                if len(rows) % 100 == 0:
                    print(f"{len(rows)} of {len(files)}", flush=True)
        reader.end()

    threads = [threading.Thread(target=go, args=(i,)) for i in range(2)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    rows.sort(key=lambda r: r.path)
    text = report(rows, folder)
    (folder / "rows.json").write_text(json.dumps([r.__dict__ for r in rows]))
    if only:
        print(text)
    else:
        OUT.write_text(text)
        print(f"written {OUT}")
    return 1 if any(w.startswith("crash") for r in rows for w in r.verbs.values()) else 0


if __name__ == "__main__":
    raise SystemExit(main())
