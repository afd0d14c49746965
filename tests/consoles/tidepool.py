"""Tidepool, an imaginary store for tide tables, as a small web service; it knows nothing of Tavolan."""

import base64
import hashlib
import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

MOST = {"name": 20, "story": 60}
USER, PASSWORD = "surfer", "moon-and-sun"


class _Handler(BaseHTTPRequestHandler):
    """Products with a revision, and images by their digest."""

    def log_message(self, *_):
        """Say nothing."""

    def _answer(self, status, body=b"", kind="application/json"):
        data = body if isinstance(body, bytes) else json.dumps(body).encode()
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(data)

    def _handle(self):
        shop = self.server.shop
        expected = "Basic " + base64.b64encode(f"{USER}:{PASSWORD}".encode()).decode()
        body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        kind, name = self.path.strip("/").split("/")
        if self.headers.get("Authorization") != expected:
            self._answer(401)
        elif kind == "images":
            self._image(shop, name, body)
        elif name not in shop.products:
            self._answer(404)
        elif self.command == "GET":
            self._answer(200, shop.products[name])
        else:
            self._product(shop, name, json.loads(body))

    do_GET = do_PUT = do_HEAD = _handle  # noqa: N815 - the names that the library calls

    def _image(self, shop, name, body):
        if self.command == "PUT":
            shop.images[hashlib.sha256(body).hexdigest()] = body
        self._answer(200 if name in shop.images else 404, shop.images.get(name, b""), "image/png")

    def _product(self, shop, name, wanted):
        with shop.lock:
            if wanted["revision"] != shop.products[name]["revision"]:
                self._answer(409)
                return
            for page in wanted["pages"].values():
                for field, most in MOST.items():
                    if len(page.get(field, "")) > most:
                        self._answer(400, {"field": field, "why": f"has over {most} letters"})
                        return
            for slabs in wanted["slabs"].values():
                if len(slabs) > 3 or any(slab not in shop.images for slab in slabs):
                    self._answer(400, {"field": "slabs", "why": "are too many, or not there"})
                    return
            shop.products[name] = {**wanted, "revision": wanted["revision"] + 1}
        self._answer(200)


class Tidepool:
    """The store; `with` ends it."""

    def __init__(self):
        self.products, self.images, self.lock = {}, {}, threading.Lock()
        self._server = ThreadingHTTPServer(("127.0.0.1", 0), _Handler)
        self._server.shop = self
        self.address = f"http://127.0.0.1:{self._server.server_port}"
        self.add("kilnary")
        self.add("throw-away")

    def add(self, name):
        """Add a product without pages."""
        self.products[name] = {"revision": 1, "pages": {}, "facts": {}, "slabs": {}}

    def __enter__(self):
        threading.Thread(target=self._server.serve_forever, daemon=True).start()
        return self

    def __exit__(self, *_):
        self._server.shutdown()
        self._server.server_close()
