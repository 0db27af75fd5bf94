"""Passwords go only where they were given for, and never unencrypted to another machine; certificates are checked."""

import json
import socket
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import ConnectionFault
from northmoor.core.model.data.connections import Connections, MariadbConnection, PostgresqlConnection
from northmoor.core.sources.drivers import server as servers
from northmoor.core.sources.drivers.credentials import Credential, Secrets, address
from northmoor.core.sources.drivers.server import encryption_of, is_this_machine
from northmoor.core.sources.library import Library
from tests.servers import PASSWORD, Server

FREIGHT = PostgresqlConnection(name="db", host="db.tarrow.example", database="tarrow", user="reader")
NAMES = st.text(st.sampled_from("ab@:/%.-_ é"), min_size=1, max_size=6)


@given(st.tuples(NAMES, NAMES, NAMES), st.tuples(NAMES, NAMES, NAMES))
def test_no_two_addresses_are_written_alike(one: tuple[str, ...], other: tuple[str, ...]) -> None:
    made = [
        address(FREIGHT.model_copy(update={"user": user, "host": host, "database": database}))
        for user, host, database in (one, other)
    ]
    assert (made[0] == made[1]) == (one == other)


def test_the_environment_has_passwords_by_address(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    found = {address(FREIGHT): "tide", "postgresql://other@elsewhere:1/x": {"password": "ebb", "unencrypted": True}}
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", json.dumps(found))
    assert Secrets().credential(FREIGHT) == Credential("tide")
    assert Secrets().credential(FREIGHT.but(host="evil.example")) == Credential()
    file = tmp_path / "passwords.json"
    file.write_text(json.dumps({address(FREIGHT): {"password": "flood", "unencrypted": True}}))
    file.chmod(0o600)
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", str(file))
    assert Secrets().credential(FREIGHT) == Credential("flood", True)
    file.chmod(0o644)
    with pytest.raises(ConnectionFault, match="Others can read the passwords"):
        Secrets().credential(FREIGHT)


@pytest.mark.parametrize("given", ["/nowhere.json", "{", '{"a": 1}', '{"a": {"word": "x"}}', "{}]", "/"])
def test_what_is_no_list_of_passwords_is_reported(given: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", given)
    with pytest.raises(ConnectionFault, match="NORTHMOOR_PASSWORDS"):
        Secrets().credential(FREIGHT)


@pytest.mark.parametrize(
    ("host", "is_here"),
    [("localhost", True), ("127.0.0.1", True), ("127.8.0.1", True), ("[::1]", True), ("/run/postgresql", True),
     ("db.tarrow.example", False), ("10.0.0.7", False), ("localhost.evil.example", False), ("127.0.0.1.nip.example", False)],
)  # fmt: skip
def test_only_this_machine_is_asked_unencrypted(host: str, is_here: bool) -> None:
    connection = FREIGHT.but(host=host)
    known = Credential(PASSWORD)
    assert is_this_machine(host) == is_here
    assert encryption_of(connection, known) == ("if offered" if is_here else "verified")
    assert encryption_of(connection.but(encryption="if offered"), known) == ("if offered" if is_here else "required")
    assert encryption_of(connection.but(encryption="off"), Credential(PASSWORD, True)) == "off"
    if not is_here:
        with pytest.raises(ConnectionFault, match="the password of reader is not sent"):
            encryption_of(connection.but(encryption="off"), known)


class Recorder:
    """A server that says what one of a kind says first, asks for the password in clear, and records what it is given."""

    def __init__(self, greeting: bytes, answer: Callable[[bytes], bytes]) -> None:
        self.given = b""
        self._greeting, self._answer = greeting, answer
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self._listening.accept()
            except OSError:
                return
            with connection:
                connection.settimeout(1)
                try:
                    connection.sendall(self._greeting)
                    while said := connection.recv(4096):
                        self.given += said
                        connection.sendall(self._answer(said))
                except OSError:
                    continue

    def close(self) -> None:
        self._listening.close()


def mysql_packet(number: int, body: bytes) -> bytes:
    return len(body).to_bytes(3, "little") + bytes([number]) + body


GREETING = mysql_packet(
    0, b"\x0a11.4.0\0" + b"\1\0\0\0" + b"saltsalt\0" + b"\xff\xf7" + b"\x21\2\0" + b"\xff\x01" + b"\x15" + b"\0" * 10
    + b"saltsaltsalt\0mysql_native_password\0",
)  # fmt: skip
CLEAR = mysql_packet(2, b"\xfemysql_clear_password\0")
ASKED_FOR_TLS = b"\0\0\0\x08\x04\xd2\x16\x2f"
KINDS = {
    "postgresql": (PostgresqlConnection, b"", lambda said: b"N" if said == ASKED_FOR_TLS else b"R\0\0\0\x08\0\0\0\x03"),
    "mariadb": (MariadbConnection, GREETING, lambda _: CLEAR),
}


@pytest.fixture(params=KINDS)
def recorder(request: pytest.FixtureRequest) -> Iterator[tuple[str, Recorder]]:
    """A recording server of each kind."""
    _, greeting, answer = KINDS[request.param]
    made = Recorder(greeting, answer)
    yield request.param, made
    made.close()


def tried(connection: PostgresqlConnection | MariadbConnection, secrets: Secrets, root: Path) -> None:
    with pytest.raises(ConnectionFault):
        Library(root, Connections(connections=(connection,)), secrets).catalog("db", CancelToken())


@pytest.mark.slow
def test_a_strangers_library_is_sent_no_password(
    recorder: tuple[str, Recorder], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kind, server = recorder
    model = KINDS[kind][0]
    own = model(name="db", host="localhost", database="tarrow", user="reader")
    theirs = own.but(host="127.0.0.1", port=server.port, encryption="off")
    secrets = Secrets()
    secrets.remember(own, PASSWORD)
    monkeypatch.setenv("NORTHMOOR_PASSWORD_DB", PASSWORD)
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", json.dumps({address(own): PASSWORD}))
    tried(theirs, secrets, tmp_path)
    assert server.given
    assert PASSWORD.encode() not in server.given
    secrets.remember(theirs, PASSWORD)  # the recorder does record: on this machine, its owner may have it
    tried(theirs, secrets, tmp_path)
    assert PASSWORD.encode() in server.given


@pytest.mark.parametrize("encryption", [None, "off", "if offered", "required", "verified"])
def test_another_machine_without_encryption_is_sent_no_password(
    recorder: tuple[str, Recorder], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, encryption: str | None
) -> None:
    kind, server = recorder
    monkeypatch.setattr(servers, "is_this_machine", lambda _: False)
    there = KINDS[kind][0](name="db", host="127.0.0.1", port=server.port, database="tarrow", user="reader")
    there = there.but(encryption=encryption)
    secrets = Secrets()
    secrets.remember(there, PASSWORD)
    tried(there, secrets, tmp_path)
    assert PASSWORD.encode() not in server.given


@pytest.mark.xdist_group("servers")
def test_certificates_are_checked(server: Server, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    authority = tmp_path / "authority.pem"
    authority.write_bytes(server.authority.certificate)
    verified = server.library(tmp_path, host="localhost", encryption="verified")

    def message() -> str:
        server.reload()
        try:
            verified.catalog("db", CancelToken(), refresh=True)
        except ConnectionFault as fault:
            return fault.message
        return ""

    assert "cannot be encrypted as the connection asks" in message()  # nobody has said that the authority is trusted
    monkeypatch.setenv("SSL_CERT_FILE", str(authority))
    try:
        assert message() == ""
        server.certify("localhost", days=-1)
        assert "expired" in message() or "certificate verify failed" in message()
        server.certify("elsewhere.example")
        assert "elsewhere.example" in message() or "Hostname mismatch" in message()
        assert server.library(tmp_path, host="localhost", encryption="required").catalog("db", CancelToken()).tables
    finally:
        server.certify("localhost")
        server.reload()
