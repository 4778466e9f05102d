"""A plain browser engine as somebody's call program: it joins a page of ours on loopback, without a screen."""

import json
import shutil
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import urlencode

ENGINES = ("chromium", "chromium-browser")
PAGE = Path(__file__).parent / "page.html"


def engine():
    """Where one is installed, None where none is."""
    return next((found for name in ENGINES if (found := shutil.which(name))), None)


class Browser:
    """In a call with itself from the beginning: takes `microphone`, plays the far side into `output`."""

    def __init__(self, desktop, folder, microphone, output, does=""):
        said = self.said = []

        class Page(BaseHTTPRequestHandler):
            def do_GET(self):
                self.send_response(200)
                self.send_header("Content-Type", "text/html; charset=utf-8")
                self.end_headers()
                self.wfile.write(PAGE.read_bytes())

            def do_POST(self):
                said.append(json.loads(self.rfile.read(int(self.headers["Content-Length"]))))
                self.send_response(204)
                self.end_headers()

            def log_message(self, *_):
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Page)
        threading.Thread(target=self._server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{self._server.server_port}/?" + urlencode(
            {"microphone": microphone, "output": output, "does": does}
        )
        self.process = desktop.run(
            engine(), "--headless=new", "--no-sandbox", "--disable-gpu", "--no-first-run",
            f"--user-data-dir={folder}/browser",
            "--use-fake-ui-for-media-stream", "--autoplay-policy=no-user-gesture-required",
            "--disable-features=AudioServiceSandbox,WebRtcHideLocalIpsWithMdns", address,
        )  # fmt: skip

    def joined(self, seconds=60):
        until = time.monotonic() + seconds
        while not self.said:
            assert self.process.poll() is None, "the browser has ended"
            assert time.monotonic() < until, "the browser did not join"
            time.sleep(0.1)
        assert self.said[0]["what"] == "joined", self.said
        return self.said[0]

    def end(self):
        self.process.kill()
        self.process.wait()
        self._server.shutdown()
