"""A stand-in web service: what many of them do to a picture, deterministically; in the process, on loopback, or from folder to folder.

It makes every picture 8-bit RGB as a program does that knows nothing of profiles, brings it to its longest side by the encoded
numbers, recompresses it strongly and drops everything but the pixels. Simulated.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from io import BytesIO
from pathlib import Path

from PIL import Image, ImageOps, UnidentifiedImageError

from velkin.core.errors import UnreadableFile
from velkin.core.files.safely import write_whole

_LARGEST = 96 * 1024 * 1024


@dataclass(frozen=True)
class Service:
    """How a service treats pictures: its longest side in pixels, and its JPEG quality (colour is halved in both directions)."""

    longest: int = 1600
    quality: int = 76

    def processed(self, data: bytes) -> bytes:
        """What it shows of a picture file: a JPEG without tag and metadata.

        Raises
        ------
        UnreadableFile
            For what it does not take: other than JPEG, PNG, WebP and TIFF of 8 bits.
        """
        try:
            with Image.open(BytesIO(data)) as opened:
                if opened.format not in ("JPEG", "PNG", "WEBP", "TIFF"):
                    raise UnreadableFile(f"the web service takes no {opened.format} files")
                upright = ImageOps.exif_transpose(opened)
                if upright.mode in ("RGBA", "LA", "PA"):
                    ground = Image.new("RGBA", upright.size, "white")
                    ground.alpha_composite(upright.convert("RGBA"))
                    upright = ground
                picture = upright.convert("RGB")
        except (OSError, UnidentifiedImageError, Image.DecompressionBombError, ValueError) as error:
            raise UnreadableFile(f"the web service cannot read it ({error})") from error
        picture.thumbnail((self.longest, self.longest), Image.Resampling.LANCZOS)
        stream = BytesIO()
        picture.save(stream, "JPEG", quality=self.quality, subsampling=2)
        return stream.getvalue()

    def take_folder(self, inbox: Path, outbox: Path) -> list[Path]:
        """Treat every picture of a folder; what it cannot read is passed over. The written files."""
        outbox.mkdir(parents=True, exist_ok=True)
        made = []
        for path in sorted(p for p in inbox.iterdir() if p.is_file()):
            try:
                data = self.processed(path.read_bytes())
            except UnreadableFile:
                continue
            out = outbox / f"{path.stem}.jpg"
            write_whole(out, data, True)
            made.append(out)
        return made

    @contextmanager
    def served(self) -> Iterator[str]:
        """Serve on loopback while in use: POST /pictures takes a file and answers with where it is shown, GET shows it.

        Gives the address, as ``http://127.0.0.1:PORT``.
        """
        server = ThreadingHTTPServer(("127.0.0.1", 0), _handler(self))
        worker = threading.Thread(target=server.serve_forever, daemon=True)
        worker.start()
        try:
            yield f"http://127.0.0.1:{server.server_port}"
        finally:
            server.shutdown()
            server.server_close()
            worker.join()


def _handler(service: Service) -> type[BaseHTTPRequestHandler]:
    shown: dict[str, bytes] = {}

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = int(self.headers.get("Content-Length") or 0)
            if self.path != "/pictures" or not 0 < length <= _LARGEST:
                self._answer(400, b"a picture is wanted", "text/plain")
                return
            try:
                data = service.processed(self.rfile.read(length))
            except UnreadableFile as error:
                self._answer(415, error.message.encode(), "text/plain")
                return
            place = f"/pictures/{len(shown) + 1}.jpg"
            shown[place] = data
            self._answer(201, place.encode(), "text/plain")

        def do_GET(self) -> None:
            data = shown.get(self.path)
            if data is None:
                self._answer(404, b"not here", "text/plain")
            else:
                self._answer(200, data, "image/jpeg")

        def _answer(self, status: int, body: bytes, kind: str) -> None:
            self.send_response(status)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, format: str, *args: object) -> None:
            """Nothing is logged."""

    return Handler
