"""Over the local network: a server with its own certificate; who is let in, who is not, and who is sent out."""

import re
import ssl
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import ExitStack, closing, suppress
from datetime import timedelta
from http.client import HTTPResponse
from http.cookiejar import CookieJar
from ipaddress import ip_address
from pathlib import Path
from select import select
from socket import create_connection
from urllib.parse import urlencode

import pytest
from cryptography import x509

from deft_bench.core.times import stamp
from deft_bench.store import access
from deft_bench.store.database import Connection, connect
from deft_bench.web import create_app, serving, slow_senders
from deft_bench.web.access.certificates import Certificate, certificate, fingerprint, is_local
from deft_bench.web.access.gate import WRONG, LocalNetwork, close_gate
from deft_bench.web.access.passphrase import is_passphrase, set_passphrase
from deft_bench.web.serving import in_background
from harness import NOW

PASSPHRASE = "level crown polish"


class Device:
    """A browser of its own on the network: it trusts the bench's authority and keeps what it is given."""

    def __init__(self, url: str, authority: Path) -> None:
        self.url, self.token = url, ""
        trusting = urllib.request.HTTPSHandler(context=ssl.create_default_context(cafile=str(authority)))
        self.opener = urllib.request.build_opener(trusting, urllib.request.HTTPCookieProcessor(CookieJar()))
        self.opener.addheaders = [("Referer", f"{url}/")]

    def ask(self, path: str, fields: dict[str, str] | None = None) -> tuple[int, str, str]:
        """Status, the path that was come to, and the page."""
        data = None if fields is None else urlencode({"csrf_token": self.token, **fields}).encode()
        try:
            answer: HTTPResponse = self.opener.open(f"{self.url}{path}", data, timeout=20)
        except urllib.error.HTTPError as error:
            answer = error  # type: ignore[assignment]
        text = answer.read().decode()
        found = re.search(r'name="csrf_token" value="([^"]+)"', text)
        self.token = found[1] if found else self.token
        return answer.status, answer.geturl().removeprefix(self.url), text

    def enter(self, passphrase: str, name: str = "laptop") -> tuple[int, str, str]:
        self.ask("/door")
        return self.ask("/door", {"passphrase": passphrase, "name": name})


@pytest.fixture
def network(demo_path: Path, tmp_path: Path) -> Iterator[tuple[str, Path]]:
    folder = tmp_path / "tls"
    files = certificate(folder, (), [ip_address("127.0.0.1")], NOW.replace(year=2026))
    app = create_app(demo_path, now=lambda: NOW)
    with closing(connect(demo_path)) as db:
        set_passphrase(db, PASSPHRASE, stamp(NOW))
    with in_background(app, files) as server:
        url = f"https://127.0.0.1:{server.port}"
        close_gate(app, LocalNetwork(url, folder))
        yield url, folder / "authority.pem"


def test_nothing_is_open_without_entering(network: tuple[str, Path]) -> None:
    stranger = Device(*network)
    app_rules = [
        "/",
        "/instruments",
        "/jobs/1/level",
        "/settings",
        "/second-device",
        "/surveys/1/follow",
        "/devices/1/live",
    ]
    for path in app_rules:
        status, at, text = stranger.ask(path)
        assert (status, at.partition("?")[0]) == (200, "/door"), path
        assert "Curlew" not in text
        assert "% RH" not in text
    assert stranger.ask("/settings", {"system": "in"})[0] == 401
    assert stranger.ask("/nothing/here")[1].startswith("/door")
    for path in ("/trust", "/authority.crt", "/pair"):
        assert stranger.ask(path)[:2] == (200, path)
    with pytest.raises(urllib.error.URLError, match="CERTIFICATE_VERIFY_FAILED"):
        urllib.request.urlopen(network[0], timeout=20)
    with pytest.raises(urllib.error.HTTPError) as plain:
        urllib.request.urlopen(network[0].replace("https", "http"), timeout=20)
    assert "put https:// before" in plain.value.read().decode()


def test_a_slow_handshake_holds_nobody_up(network: tuple[str, Path]) -> None:
    port = int(network[0].rpartition(":")[2])
    silent = [create_connection(("127.0.0.1", port)) for _ in range(5)]
    assert Device(*network).ask("/door")[0] == 200
    for one in silent:
        one.close()


def test_the_silent_take_up_no_thread(network: tuple[str, Path]) -> None:
    port = int(network[0].rpartition(":")[2])
    with ExitStack() as stack:
        for _ in range(60):
            stack.enter_context(create_connection(("127.0.0.1", port)))
        assert Device(*network).ask("/door")[0] == 200


def test_one_device_does_not_take_up_all_threads(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    # as if this machine were another, which alone is not counted
    monkeypatch.setattr(serving, "ip_address", lambda _: ip_address("10.0.0.7"))
    with in_background(create_app(path)) as server, ExitStack() as stack:
        url = f"http://127.0.0.1:{server.port}/help"
        for _ in range(serving.MOST_OF_A_DEVICE):
            half = stack.enter_context(create_connection(("127.0.0.1", server.port)))
            half.sendall(b"GET / HTTP/1.1\r\n")
        statuses = set()
        while 503 not in statuses:
            try:
                statuses.add(urllib.request.urlopen(url, timeout=20).status)
            except urllib.error.HTTPError as error:
                statuses.add(error.status)
        stack.close()
        while 200 not in statuses:
            with suppress(urllib.error.HTTPError):
                statuses.add(urllib.request.urlopen(url, timeout=20).status)
    assert statuses <= {200, 503}


def cut_off_after(port: int, said: bytes) -> float:
    """Seconds until one who goes on by single bytes is cut off."""
    with create_connection(("127.0.0.1", port), timeout=20) as slow:
        slow.sendall(said)
        since = time.monotonic()
        with suppress(BrokenPipeError, ConnectionResetError):
            while not select([slow], [], [], 0.02)[0]:
                slow.sendall(b"a")
        return time.monotonic() - since


def test_who_sends_a_byte_at_a_time_is_not_waited_for(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with in_background(create_app(path)) as server:
        host = f"Host: 127.0.0.1:{server.port}\r\n".encode()
        for said in (b"GET / HTTP/1.1\r\n" + host, b"POST / HTTP/1.1\r\nContent-Length: 9000\r\n" + host + b"\r\n"):
            for patience in (0.3, 0.9):
                monkeypatch.setattr(slow_senders, "PATIENCE_SECONDS", patience)
                assert cut_off_after(server.port, said) >= patience
        with create_connection(("127.0.0.1", server.port), timeout=20) as steady:
            for _ in range(3):
                steady.sendall(b"GET /help HTTP/1.1\r\n")
                for _ in range(40):
                    steady.sendall(b"X-Word: " + b"a" * 200 + b"\r\n")
                    time.sleep(0.03)
                steady.sendall(host + b"\r\n")
                assert steady.recv(12) == b"HTTP/1.1 200"
                while select([steady], [], [], 0.2)[0]:
                    steady.recv(65536)


def test_the_passphrase_lets_in_and_guesses_are_limited(network: tuple[str, Path]) -> None:
    laptop = Device(*network)
    assert laptop.enter("wrong horse")[0] == 401
    status, at, text = laptop.enter(PASSPHRASE)
    assert (status, at) == (200, "/")
    assert "Curlew" in text
    assert "laptop</strong>, this one" in laptop.ask("/second-device")[2]
    assert laptop.ask("/door", {"passphrase": PASSPHRASE, "after": "//elsewhere.test/"})[1] == "/"
    guesser = Device(*network)
    told = [guesser.enter(f"guess number {i}")[0] for i in range(WRONG + 1)]
    assert told == [401] * (WRONG - 1) + [429] * 2  # one was wrong before
    assert guesser.enter(PASSPHRASE)[0] == 429
    assert laptop.ask("/")[0] == 200


def test_a_code_lets_one_device_in_and_it_can_be_sent_out(network: tuple[str, Path], demo: Connection) -> None:
    laptop, phone, other = (Device(*network) for _ in range(3))
    laptop.enter(PASSPHRASE)
    page = laptop.ask("/second-device", {"hours": "2"})[2]
    assert "<svg" in page
    code = re.sub(r"\s", "", re.findall(r'class="code">([^<]+)<', page)[0])
    assert phone.ask(f"/pair?code={code}")[1] == f"/pair?code={code}"
    assert phone.ask("/")[1].startswith("/door"), "to look at a code is not to use it"
    phone.ask("/pair")
    status, at, _ = phone.ask("/pair", {"code": f"{code[:3]} {code[3:].lower()}", "name": "phone"})
    assert (status, at) == (200, "/")
    other.ask("/pair")
    assert other.ask("/pair", {"code": code})[0] == 401, "a code lets one device in"
    [entry] = [one for one in access.entries(demo, stamp(NOW)) if one.name == "phone"]
    assert entry.until == stamp(NOW + timedelta(hours=2))
    followed = phone.opener.open(f"{network[0]}/surveys/1/follow", timeout=10)  # sooner than the next sign of life
    assert b"still here" in followed.readline()
    laptop.ask(f"/second-device/{entry.id}/end", {})
    assert phone.ask("/")[1].startswith("/door")
    followed.read()  # it ends, and does not wait until it is too late


def test_a_device_named_after_somebody_enters_in_their_name(network: tuple[str, Path]) -> None:
    for name, named in (("Mara", True), ("laptop", False)):
        device = Device(*network)
        device.enter(PASSPHRASE, name)
        assert ("Entered by Mara" in device.ask("/stock")[2]) == named
        device.ask("/settings/person", {"person": "Ilo", "back": "/stock"})
        assert "Entered by Ilo" in device.ask("/stock")[2]


def test_guessing_spoils_the_code(network: tuple[str, Path]) -> None:
    laptop, guesser = Device(*network), Device(*network)
    laptop.enter(PASSPHRASE)
    code = re.findall(r'class="code">([^<]+)<', laptop.ask("/second-device", {"hours": "2"})[2])[0]
    guesser.ask("/pair")
    assert [guesser.ask("/pair", {"code": f"AAAAA{i}"})[0] for i in range(WRONG)] == [401] * WRONG
    laptop.ask("/pair", {"code": code})
    assert laptop.ask("/pair", {"code": code})[0] in (401, 429)


def test_sessions_end_with_the_passphrase_and_in_time(db: Connection) -> None:
    set_passphrase(db, PASSPHRASE, stamp(NOW))
    assert is_passphrase(db, f" {PASSPHRASE} ")
    assert not is_passphrase(db, "")
    access.enter(db, "token", "phone", "192.168.1.9", stamp(NOW), stamp(NOW + timedelta(hours=2)))
    assert access.entry_of(db, "token", stamp(NOW)) is not None
    assert access.entry_of(db, "other", stamp(NOW)) is None
    assert access.entry_of(db, "token", stamp(NOW + timedelta(hours=3))) is None
    set_passphrase(db, "another one now", stamp(NOW))
    assert access.entry_of(db, "token", stamp(NOW)) is None
    with pytest.raises(ValueError, match="10 to 200"):
        set_passphrase(db, "short", stamp(NOW))


def test_the_certificate_is_for_local_names_and_made_again_in_time(tmp_path: Path) -> None:
    home, away = ip_address("192.168.4.2"), ip_address("10.0.0.9")

    def made(when: int, *addresses: object) -> Certificate:
        return certificate(tmp_path, ("bench.local", "shop.example"), list(addresses), NOW + timedelta(days=when))  # type: ignore[arg-type]

    files, first = made(0, home), (tmp_path / "server.pem").read_bytes()
    found = x509.load_pem_x509_certificate(first)
    named = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    assert set(named.get_values_for_type(x509.DNSName)) == {"localhost", "bench.local"}
    assert files.key.stat().st_mode & 0o077 == 0
    of = fingerprint(tmp_path)
    made(300, home)
    assert (tmp_path / "server.pem").read_bytes() == first
    made(365, home)
    made(365, home, away)
    assert (tmp_path / "server.pem").read_bytes() != first
    assert fingerprint(tmp_path) == of, "whoever trusts it need not do so again"
    assert [is_local(ip_address(text)) for text in ("192.168.4.2", "::ffff:10.1.1.1", "fe80::1", "8.8.8.8")] == [
        *(True, True, True, False)
    ]
