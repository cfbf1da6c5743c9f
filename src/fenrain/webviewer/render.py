"""Has headless Chromium draw a kit's converted GLB. A small server on loopback hands out page, scene and light, and takes the picture."""

from __future__ import annotations

import mimetypes
import os
import shutil
import signal
import subprocess
import tempfile
import threading
from contextlib import suppress
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.errors import EngineError, InputError
from fenrain.core.maps.image import write_linear
from fenrain.core.outside.kit import CONVERTED, LIGHT, open_kit
from fenrain.core.outside.picture import read_picture
from fenrain.webviewer import VIEWERS

WEB = Path(__file__).parents[3] / "web" / "dist"
CHROMIUM = ("chromium", "chromium-browser", "google-chrome")
FLAGS = (
    "--headless", "--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist",
)  # fmt: skip
PATIENCE = 600.0
"""Seconds that a picture may take, drawn without graphics hardware."""
LARGEST_SIDE = 4096
PIXEL_BYTES = 8


def take_picture(folder: Path, path: Path, width: int = 0, viewer: str = "three") -> None:
    """Draw the converted materials of a kit and write the picture (OpenEXR). width: in pixels, the kit's own where 0; viewer: see VIEWERS.

    Raises InputError for an unknown viewer or a kit without a GLB of converted materials, EngineError where no browser draws it, and what
    `open_kit` raises.
    """
    if viewer not in VIEWERS:
        raise InputError(f"There is no web viewer “{viewer}”.", remedy=f"There are {', '.join(VIEWERS)}.")
    kit = open_kit(folder)
    glb = folder / CONVERTED / f"{CONVERTED}.glb"
    if not glb.is_file():
        raise InputError("This kit holds no glTF to show.", place=str(folder), remedy="Make a kit whose target is written as glTF.")
    wide = min(width or kit.stated.width, LARGEST_SIDE)
    size = wide, round(wide / kit.layout.frame.aspect)
    with tempfile.TemporaryDirectory(prefix="fenrain-light-") as scratch:
        # Not every viewer reads OpenEXR.
        radiance = Path(scratch) / "light.hdr"
        write_linear(radiance, read_picture(folder / LIGHT).pixels)
        sent = _drawn({"/scene.glb": glb, "/light.exr": folder / LIGHT, "/light.hdr": radiance}, size, viewer)
    if len(sent) != PIXEL_BYTES * size[0] * size[1]:
        raise EngineError("The web renderer sent a picture of another size.", remedy="Try a smaller width.")
    pixels = np.frombuffer(sent, "<f2").reshape(size[1], size[0], 4)[::-1, :, :3]
    write_linear(path, np.nan_to_num(pixels.astype(np.float32), posinf=65504.0))


def _drawn(files: dict[str, Path], size: tuple[int, int], viewer: str) -> bytes:
    browser = next((found for name in CHROMIUM if (found := shutil.which(name))), None)
    if browser is None or not (WEB / "viewer.html").is_file():
        raise EngineError("Nothing here draws web pages.", remedy="Install Chromium and build the web pages: `make setup` does both.")
    # What is left of the browser may still write to its folder when that is removed.
    with _Server(files) as server, tempfile.TemporaryDirectory(prefix="fenrain-browser-", ignore_cleanup_errors=True) as profile:
        address = f"http://127.0.0.1:{server.port}/viewer.html?viewer={viewer}&width={size[0]}&height={size[1]}"
        command = [browser, *FLAGS, f"--user-data-dir={profile}", address]
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
        try:
            return server.answer()
        finally:
            # With the processes that it has started.
            with suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait(20)


class _Server:
    """Use as a context; `answer` waits for what the page sends back."""

    def __init__(self, files: dict[str, Path]) -> None:
        self._came = threading.Event()
        self._answer: tuple[str, bytes] = ("", b"")
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                asked = self.path.partition("?")[0]
                path = files.get(asked) or (WEB / asked.lstrip("/")).resolve()
                if not path.is_file() or (asked not in files and not path.is_relative_to(WEB.resolve())):
                    self.send_error(404)
                    return
                data = path.read_bytes()
                self.send_response(200)
                self.send_header("Content-Type", mimetypes.guess_type(path.name)[0] or "application/octet-stream")
                self.send_header("Content-Length", str(len(data)))
                self.end_headers()
                self.wfile.write(data)

            def do_POST(self) -> None:
                data = self.rfile.read(int(self.headers["Content-Length"]))
                self.send_response(204)
                self.end_headers()
                outer._answer = (self.path.strip("/"), data)
                outer._came.set()

            def log_message(self, *_: Any) -> None:
                """Nothing is said of single requests."""

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.port = int(self._server.server_address[1])

    def __enter__(self) -> _Server:
        threading.Thread(target=self._server.serve_forever, name="pages for the web viewer", daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self._server.shutdown()
        self._server.server_close()

    def answer(self) -> bytes:
        """The picture. Raises EngineError."""
        if not self._came.wait(PATIENCE):
            raise EngineError(f"The web renderer drew nothing in {PATIENCE:.0f} s.", remedy="Try a smaller width.")
        kind, data = self._answer
        if kind != "picture":
            raise EngineError(f"The web renderer could not draw it ({data.decode(errors='replace')[:200]}).", remedy="Look at the GLB.")
        return data
