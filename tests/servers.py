"""Private database servers for the tests: started from the system's packages, loaded with the demo's tables."""

import csv
import os
import re
import shutil
import signal
import socket
import sqlite3
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import psycopg
import pymysql
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from northmoor.core.model.data.connections import Connections, MariadbConnection, PostgresqlConnection, ServerConnection
from northmoor.core.sources.drivers.credentials import Secrets
from northmoor.core.sources.library import Library
from northmoor.demo.data.ferries import FERRIES_SCHEMA

PASSWORD = "wheelhouse"
USER = "reader"
DATABASE = "tarrow"
TABLES = ("ports", "vessels", "routes", "sailings", "fares", "bookings")
_PATIENCE = 60
_CARELESS = ("--skip-log-bin", "--innodb-flush-log-at-trx-commit=0", "--innodb-flush-method=nosync",
             "--innodb-doublewrite=0", "--innodb-buffer-pool-size=256M", "--innodb-log-file-size=128M")  # fmt: skip


class Authority:
    """An authority of certificates that nobody else trusts."""

    def __init__(self) -> None:
        self._key = ec.generate_private_key(ec.SECP256R1())
        self._name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Tarrow harbour office")])
        self.certificate = self._signed(self._name, self._key, 30, x509.BasicConstraints(ca=True, path_length=None))

    def issue(self, host: str, days: int) -> tuple[bytes, bytes]:
        """A certificate for a host and its key, as PEM."""
        key = ec.generate_private_key(ec.SECP256R1())
        name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, host)])
        made = self._signed(name, key, days, x509.SubjectAlternativeName([x509.DNSName(host)]))
        plain = serialization.NoEncryption()
        form = serialization.PrivateFormat.PKCS8
        return made, key.private_bytes(serialization.Encoding.PEM, form, plain)

    def _signed(self, subject: x509.Name, key: Any, days: int, extension: x509.ExtensionType) -> bytes:
        now = datetime.now(UTC)
        made = x509.CertificateBuilder().subject_name(subject).issuer_name(self._name).public_key(key.public_key())
        made = made.serial_number(x509.random_serial_number()).add_extension(extension, critical=True)
        made = made.not_valid_before(now - timedelta(days=60)).not_valid_after(now + timedelta(days=days))
        return made.sign(self._key, hashes.SHA256()).public_bytes(serialization.Encoding.PEM)


class Server:
    """A running server with the database ``tarrow``, which the user ``reader`` may read."""

    connection: ServerConnection

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="nm-"))
        self.folder.chmod(0o755)
        self.port = _free_port()
        self._process: subprocess.Popen[bytes] | None = None
        self.authority = Authority()
        self.certify("localhost")

    def library(self, root: Path, **changes: Any) -> Library:
        """A library whose connection ``db`` is this server."""
        secrets = Secrets()
        connection = self.connection.but(**changes)
        secrets.remember(connection, PASSWORD)
        return Library(root, Connections(connections=(connection,)), secrets)

    def certify(self, host: str, days: int = 30) -> None:
        """Give it a certificate for a host, which ends in so many days."""
        for name, text in zip(("cert.pem", "key.pem"), self.authority.issue(host, days), strict=True):
            path = self.folder / name
            path.write_bytes(text)
            path.chmod(0o600)
            if self.user():
                shutil.chown(path, self.user())

    def reload(self) -> None:
        """Have it read its certificate again."""
        raise NotImplementedError

    def start(self) -> None:
        """Start it and wait until it answers."""
        self._process = subprocess.Popen(
            self.command(), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, user=self.user()
        )
        deadline = time.monotonic() + _PATIENCE
        while True:
            try:
                socket.create_connection(("127.0.0.1", self.port), 1).close()
                self.admin().close()
                return
            except (OSError, psycopg.Error, pymysql.Error):
                assert self._process.poll() is None, f"{self.command()[0]} ended"
                assert time.monotonic() < deadline, "the server does not answer"
                time.sleep(0.1)

    @contextmanager
    def frozen(self) -> Iterator[None]:
        """Let it neither answer nor end meanwhile."""
        assert self._process is not None
        processes = [self._process.pid]
        for process in processes:  # it grows meanwhile
            with suppress(FileNotFoundError, ProcessLookupError):  # the last client's process may end just now
                for task in Path(f"/proc/{process}/task").iterdir():
                    processes += map(int, (task / "children").read_text().split())
        try:
            for process in processes:
                with suppress(ProcessLookupError):
                    os.kill(process, signal.SIGSTOP)
            yield
        finally:
            for process in processes:
                with suppress(ProcessLookupError):
                    os.kill(process, signal.SIGCONT)

    def stop(self) -> None:
        """Stop it at once."""
        if self._process is not None:
            self._process.terminate()
            try:
                self._process.wait(15)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()

    def close(self) -> None:
        """Stop it and take its files away."""
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)

    def command(self) -> list[str]:
        """The server's command."""
        raise NotImplementedError

    def user(self) -> str | None:
        """The system's user it runs as, where it must not be root."""
        return None

    def admin(self, database: str | None = None) -> Any:
        """A connection that may do anything."""
        raise NotImplementedError

    def run(self, sql: str) -> None:
        """Run statements in the database as its owner."""
        raise NotImplementedError


class PrivatePostgresql(Server):
    """PostgreSQL."""

    def __init__(self) -> None:
        super().__init__()
        self.connection = PostgresqlConnection(
            name="db", host="localhost", port=self.port, database=DATABASE, user=USER, encryption="off"
        )
        found = sorted(Path("/usr/lib/postgresql").glob("*/bin")) or [Path("/usr/bin")]
        self._programs = found[-1]
        if self.user():
            shutil.chown(self.folder, self.user())
        secret = self.folder / "secret"
        secret.write_text("harbour")
        arguments = ["-D", str(self.folder / "data"), "-U", "postgres", "-A", "scram-sha-256", "--pwfile", str(secret)]
        made = [str(self._programs / "initdb"), *arguments, "-N", "-E", "UTF8", "--locale=C"]
        subprocess.run(made, check=True, stdout=subprocess.DEVNULL, user=self.user())

    def command(self) -> list[str]:
        settings = {"fsync": "off", "listen_addresses": "127.0.0.1,::1", "max_connections": "40", "ssl": "on",
                    "ssl_cert_file": str(self.folder / "cert.pem"), "ssl_key_file": str(self.folder / "key.pem")}  # fmt: skip
        options = [part for name, value in settings.items() for part in ("-c", f"{name}={value}")]
        data = ["-D", str(self.folder / "data"), "-p", str(self.port), "-k", str(self.folder)]
        return [str(self._programs / "postgres"), *data, *options]

    def reload(self) -> None:
        with self.admin() as connection:
            connection.execute("select pg_reload_conf()")

    def user(self) -> str | None:
        return "postgres" if os.geteuid() == 0 else None

    def admin(self, database: str | None = None) -> Any:
        return psycopg.connect(
            host="localhost",
            port=self.port,
            user="postgres",
            password="harbour",
            dbname=database or "postgres",
            autocommit=True,
        )

    def run(self, sql: str) -> None:
        with self.admin(DATABASE) as connection:
            connection.execute(sql)

    def prepare(self) -> None:
        """Make the database and its user."""
        with self.admin() as connection:
            connection.execute(f"create database {DATABASE}")
            connection.execute(f"create role {USER} login password '{PASSWORD}'")

    def load(self, demo: sqlite3.Connection) -> None:
        """Make the database and its user, and bring in the demo's tables."""
        self.prepare()
        with self.admin(DATABASE) as connection:
            connection.execute(FERRIES_SCHEMA)
            connection.execute("set session_replication_role = replica")  # foreign keys need no check here
            for table in TABLES:
                with connection.cursor().copy(f"copy {table} from stdin") as copy:
                    for row in demo.execute(f"select * from {table}"):
                        copy.write_row(row)
            connection.execute(POSTGRESQL_EXTRAS)
            connection.execute(f"grant select on all tables in schema public to {USER}")
            connection.execute("analyze")


class PrivateMariadb(Server):
    """MariaDB."""

    def __init__(self) -> None:
        super().__init__()
        self.connection = MariadbConnection(
            name="db", host="127.0.0.1", port=self.port, database=DATABASE, user=USER, encryption="off"
        )
        (self.folder / "data").mkdir()
        scripts = [_mariadb_script(part) for part in ("", "_data")]
        text = "create database mysql;\nuse mysql;\nset @auth_root_socket = null;\n" + "\n".join(
            map(Path.read_text, scripts)
        )
        made = [*self._program(), "--bootstrap"]
        subprocess.run(made, check=True, input=text.encode(), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def _program(self) -> list[str]:
        program = shutil.which("mariadbd") or "/usr/sbin/mariadbd"
        apart = f"--tmpdir={self.folder}"  # a server that starts removes temporary tables of others in the same folder
        return [program, "--no-defaults", f"--datadir={self.folder / 'data'}", apart, *self._as_root()]

    def _as_root(self) -> list[str]:
        return ["--user=root"] if os.geteuid() == 0 else []

    def command(self) -> list[str]:
        reached = [f"--port={self.port}", "--bind-address=127.0.0.1", f"--socket={self.folder / 'socket'}"]
        certificate = [f"--ssl-cert={self.folder / 'cert.pem'}", f"--ssl-key={self.folder / 'key.pem'}"]
        return [*self._program(), *reached, *certificate, *_CARELESS]

    def reload(self) -> None:
        with self.admin() as connection, connection.cursor() as cursor:
            cursor.execute("flush ssl")

    def admin(self, database: str | None = None) -> Any:
        socket = str(self.folder / "socket")
        return pymysql.connect(unix_socket=socket, user="root", database=database, autocommit=True, ssl_disabled=True)

    def run(self, sql: str) -> None:
        with self.admin(DATABASE) as connection, connection.cursor() as cursor:
            cursor.execute(sql)

    def load(self, demo: sqlite3.Connection) -> None:
        """Make the database and its user, and bring in the demo's tables."""
        with self.admin() as connection, connection.cursor() as cursor:
            cursor.execute(f"create database {DATABASE} character set utf8mb4")
            cursor.execute(f"create user {USER}@'%' identified by '{PASSWORD}'")
            cursor.execute(f"grant select, execute on {DATABASE}.* to {USER}@'%'")
        with self.admin(DATABASE) as connection, connection.cursor() as cursor:
            for statement in _in_mariadbs_words(FERRIES_SCHEMA).split(";\n"):
                if statement.strip():
                    cursor.execute(statement)
            cursor.execute("set foreign_key_checks = 0, unique_checks = 0")
            for table in TABLES:
                file = self.folder / f"{table}.csv"
                rows = demo.execute(f"select * from {table}")
                with file.open("w", newline="") as written:
                    csv.writer(written).writerows(["\\N" if v is None else v for v in row] for row in rows)
                cursor.execute(
                    f"load data infile '{file}' into table {table} character set utf8mb4 "
                    "fields terminated by ',' optionally enclosed by '\"' lines terminated by '\r\n'"
                )
            for statement in MARIADB_EXTRAS.split("//\n"):
                cursor.execute(statement)


POSTGRESQL_EXTRAS = """
create function season_totals(wanted text) returns table (route text, fares numeric)
language sql as $$
  select r.code, sum(b.quantity * b.unit_price) from bookings b join sailings s using (sailing_id)
  join routes r using (route_id) where r.season = wanted and b.status = 'paid' group by r.code
$$;
create table odd (n integer, at timestamptz, big numeric(38,10), loose numeric, note varchar(20), doc jsonb, code uuid,
  gap interval, paid boolean);
insert into odd values (1, '2025-03-30 00:59:59+00', 1234567890123456789012345678.0123456789, 1.25, 'ö''"; drop', '{"a": [1]}',
  '11111111-2222-3333-4444-555555555555', '1 day 02:00', true);
insert into odd values (2, '2025-03-30 01:00:00+00', null, null, null, null, null, null, null);
insert into odd values (3, '2025-10-26 00:59:59+00', 0.1, 3, '', '1', null, '00:05', false);
comment on table odd is 'What is rarely seen';
comment on column odd.gap is 'How long it took';
create table far (n integer, day date);
insert into far values (1, '2025-01-01'), (2, 'infinity');
create schema archive;
create table archive.old_ports (port_id integer primary key, name text);
create table "Port.log" ("entry.no" integer primary key, "at.Port" integer references ports);
insert into "Port.log" values (1, 2), (2, null);
create schema "old.books";
create table "old.books"."Port.s" ("port.id" integer primary key, held date);
create table "old.books".calls ("of.port" integer references "old.books"."Port.s");
create function "old.books"."Doubled.port"(port integer) returns setof integer language sql as 'select port * 2';
insert into "old.books"."Port.s" values (7, '2019-05-01'), (8, '2020-01-01');
insert into "old.books".calls values (7), (7), (8);
grant usage on schema archive, "old.books" to reader;
grant select on archive.old_ports, "Port.log" to reader;
grant select on all tables in schema "old.books" to reader;
"""
MARIADB_EXTRAS = """
create procedure season_totals(in wanted varchar(20)) reads sql data
  select r.code as route, sum(b.quantity * b.unit_price) as fares from bookings b join sailings s using (sailing_id)
  join routes r using (route_id) where r.season = wanted and b.status = 'paid' group by r.code
//
create procedure naughty() modifies sql data begin insert into odd (n) values (9); select 1 as done; end
//
create table odd (n integer, at timestamp null, big decimal(38,10), note varchar(20), doc json,
  gap time comment 'How long it took', paid boolean, many bigint unsigned) comment 'What is rarely seen'
//
set time_zone = '+00:00'
//
insert into odd values (1, '2025-03-30 00:59:59', 1234567890123456789012345678.0123456789, 'ö''"; drop', '{"a": [1]}', '02:00', true,
  18446744073709551615), (2, '2025-03-30 01:00:00', null, null, null, null, null, null),
  (3, '2025-10-26 00:59:59', 0.1, '', '1', '00:05', false, 0)
//
set sql_mode = ''
//
create table far (n integer, day date)
//
insert into far values (1, '2025-01-01'), (2, '0000-00-00')
//
create table `Port.log` (`entry.no` integer primary key, `at.Port` integer, foreign key (`at.Port`) references ports (port_id))
//
insert into `Port.log` values (1, 2), (2, null)
"""


def _in_mariadbs_words(schema: str) -> str:
    text = re.sub(r"\btext\b", "varchar(120)", schema).replace("timestamp", "datetime")
    return re.sub(r"references (\w+?)s\b(?! \()", r"references \1s (\1_id)", text)


def _mariadb_script(part: str) -> Path:
    """A script of the server's own tables; packages lay it in a folder and under a name of their time."""
    found = [
        path for kind in ("mysql", "mariadb") for path in Path("/usr/share").glob(f"m*/{kind}_system_tables{part}.sql")
    ]
    return found[0]


def _free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


@contextmanager
def running(server: Any, demo: sqlite3.Connection | None = None) -> Iterator[Any]:
    """A server that runs, with the demo's tables if they are given."""
    try:
        server.start()
        if demo is not None:
            server.load(demo)
        yield server
    finally:
        server.close()
