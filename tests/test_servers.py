"""Servers on this machine answer those alone who mean it: host, port, site, size of what's sent, and who knows the address."""

import http.client
import socket
from collections.abc import Iterator
from contextlib import contextmanager, suppress

import httpx
import pytest

from tavolan.reports.live import Live
from tavolan.standins import translator
from tavolan.standins.console.server import ConsoleServer


@contextmanager
def preview_server(tmp_path) -> Iterator[tuple[str, int]]:
    """The server of `preview --live`: gives the path of its page and its port."""
    (tmp_path / "page.html").write_text("<html><body>Mine</body></html>")
    live = Live(tmp_path / "page.html", 0)
    try:
        path = live.address.split("/", 3)[3]
        yield f"/{path}", int(live.address.split(":")[2].split("/")[0])
    finally:
        live.close()


@contextmanager
def console_server(tmp_path) -> Iterator[tuple[str, int]]:
    made = ConsoleServer()
    made.start()
    try:
        yield made.page.removeprefix(made.address), int(made.address.rpartition(":")[2])
    finally:
        made.close()


@contextmanager
def translator_server(tmp_path) -> Iterator[tuple[str, int]]:
    made = translator.Server(0)
    made.start()
    try:
        yield "/translate", int(made.address.split(":")[2].split("/")[0])
    finally:
        made.close()


SERVERS = (preview_server, console_server, translator_server)


def ask(port, method, path, headers, body=b""):
    """One request as given, without headers of a library's own."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    connection.putrequest(method, path, skip_host=True, skip_accept_encoding=True)
    for name, value in headers:
        connection.putheader(name, value)
    connection.endheaders(body)
    answer = connection.getresponse()
    content = answer.read()
    connection.close()
    return answer.status, {name.lower(): value for name, value in answer.getheaders()}, content


@pytest.mark.parametrize("serve", SERVERS)
def test_every_server_answers_those_alone_who_mean_this_machine_and_port(tmp_path, serve):
    with serve(tmp_path) as (path, port):
        method = "POST" if serve is translator_server else "GET"
        length = ("Content-Length", "0")
        for host in (f"127.0.0.1:{port}", f"localhost:{port}"):
            status, headers, _ = ask(port, method, path, [("Host", host), length])
            assert status in (200, 400)
            assert (
                headers["x-frame-options"] == "DENY" and "frame-ancestors 'none'" in headers["content-security-policy"]
            )
            assert headers["cross-origin-resource-policy"] == "same-origin" and headers["cache-control"] == "no-store"
        own = ("Host", f"127.0.0.1:{port}")
        for wrong in (
            [("Host", "evil.example")], [("Host", f"evil.example:{port}")], [("Host", f"127.0.0.1:{port + 1}")],
            [("Host", "127.0.0.1")], [("Host", f"127.0.0.1.evil.example:{port}")], [], [own, ("Host", "evil.example")],
            [own, ("Origin", "http://evil.example")], [own, ("Origin", "null")], [own, ("Sec-Fetch-Site", "cross-site")],
            [own, ("Origin", f"http://127.0.0.1:{port + 1}")],
        ):  # fmt: skip
            status, headers, content = ask(port, method, path, [*wrong, length])
            assert status in (400, 403) and b"Mine" not in content and b"console" not in content.lower(), wrong


@pytest.mark.parametrize("serve", [console_server, translator_server])
@pytest.mark.parametrize("chunked", [False, True])
def test_bodies_have_a_limit_while_they_are_read(tmp_path, serve, chunked):
    with serve(tmp_path) as (_, port), socket.create_connection(("127.0.0.1", port), timeout=30) as connection:
        path = "/translate" if serve is translator_server else "/uploads"
        how = "Transfer-Encoding: chunked" if chunked else "Content-Length: 200000000"
        connection.sendall(
            f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n"
            f"Content-Type: application/json\r\n{how}\r\n\r\n".encode()
        )
        piece = b"x=" + b"y" * 999_998
        with suppress(OSError):
            for _ in range(80 if chunked else 1):
                connection.sendall(b"%x\r\n%b\r\n" % (len(piece), piece) if chunked else piece)
        assert connection.recv(1000).split()[1] in (b"411", b"413")


def test_a_page_is_known_to_whom_its_address_was_shown(tmp_path):
    first, second = ConsoleServer(), ConsoleServer()
    assert first.secret != second.secret and first.page != second.page
    for made in (first, second):
        made.start()
    with httpx.Client() as client:
        assert client.get(first.page).status_code == 200
        for path in ("/", "/page/", f"/page/{second.secret}", "/page/x/files/" + "0" * 64):
            assert client.get(f"{first.address}{path}").status_code == 404
    for made in (first, second):
        made.close()
    with preview_server(tmp_path) as (path, port):
        own = [("Host", f"127.0.0.1:{port}")]
        assert b"Mine" in ask(port, "GET", path, own)[2]
        for wrong in ("/", "/changes", path[:-2] + "/"):
            assert ask(port, "GET", wrong, own)[0] == 404
