"""A small application of the standard library: pages out of a folder, and one that it makes itself."""
import sys
from datetime import datetime, timezone
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

port, folder = int(sys.argv[1]), Path(sys.argv[2])


class Site(SimpleHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def __init__(self, *rest):
        super().__init__(*rest, directory=folder)

    def do_GET(self):
        if self.path == "/hello":
            # Whom Dorlin stands before: the address comes from it, and cannot be made up by a visitor.
            text = f"Hello, {self.headers['X-Forwarded-For']}, it is {datetime.now(timezone.utc):%H:%M} UTC.\n"
            self.answer(200, "text/plain; charset=utf-8", text.encode())
        else:
            super().do_GET()

    def translate_path(self, path):
        found = Path(super().translate_path(path))
        page = found.with_suffix(".html")
        return str(page if not found.exists() and page.exists() else found)

    def send_error(self, code, *_):
        body = (folder / "404.html").read_bytes() if code == 404 else f"{code}\n".encode()
        self.answer(code, "text/html; charset=utf-8", body)

    def answer(self, code, kind, body):
        self.send_response(code)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(body)

    def log_message(self, *_):
        """What is asked for, Dorlin's journal tells."""


ThreadingHTTPServer(("127.0.0.1", port), Site).serve_forever()
