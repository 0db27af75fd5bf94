"""Destinations: each gets a run once, and says in one sentence what it does not take."""

import email
import json
import os
import socket
import ssl
import stat
from collections.abc import Iterator
from email.message import EmailMessage
from email.policy import default
from pathlib import Path

import pytest
import trustme
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session
from html5lib import HTMLParser
from msgspec import Struct, field
from pydantic import TypeAdapter, ValidationError

from northmoor.core.delivery.archive.run_folder import handed_over
from northmoor.core.delivery.destinations import mail_transport
from northmoor.core.delivery.destinations.destination import Destination
from northmoor.core.delivery.destinations.hand_over import hand_over
from northmoor.core.delivery.destinations.handing import Handed, UnitNotesInMemory
from northmoor.core.delivery.destinations.mail_message import header_text
from northmoor.core.errors import OutputError
from tests.delivery_helpers import bundle, delivery_library, execute, make, request, write_settings

PASSWORD, USER = "kittiwake", "desk"


@pytest.fixture
def root(tmp_path: Path) -> Path:
    return delivery_library(tmp_path / "library")


def send(root: Path, folder: Path, notes: UnitNotesInMemory | None = None, **destination: object) -> Handed:
    """Hand a run to a destination as an order says it."""
    found: Destination = TypeAdapter(Destination).validate_python(destination)
    return hand_over(root, folder, found, notes if notes is not None else UnitNotesInMemory())


# folders


def test_files_of_the_same_name_are_replaced_numbered_or_left(root: Path, tmp_path: Path) -> None:
    _, folder = make(root, request(root))
    out = tmp_path / "out"
    for how, names in (("number", ["Listing.pdf"]), ("number", ["Listing (2).pdf", "Listing.pdf"])):
        assert send(root, folder, kind="folder", path=str(out), if_exists=how).faults == ()
        assert sorted(path.name for path in out.iterdir()) == names
    for how, text in (("leave", b"mine"), ("replace", (folder / "files" / "Listing.pdf").read_bytes())):
        (out / "Listing.pdf").write_bytes(b"mine")
        send(root, folder, kind="folder", path=str(out), if_exists=how)
        assert (out / "Listing.pdf").read_bytes() == text
    assert len(list(out.iterdir())) == 2


def test_a_folder_that_was_interrupted_gets_each_file_once(root: Path, tmp_path: Path) -> None:
    """Whoever copied was ended before, in, or after putting the file in its place."""
    _, folder = make(root, request(root))
    target = tmp_path / "Listing.pdf"
    notes = UnitNotesInMemory()
    notes.note("Listing.pdf", "begun", str(target))
    for data in (None, b"of somebody else", (folder / "files" / "Listing.pdf").read_bytes()):
        if data is not None:
            target.write_bytes(data)
        notes.note("Listing.pdf", "begun", str(target))
        assert send(root, folder, notes, kind="folder", path=str(tmp_path)).files == (str(target),)
        assert [path.name for path in tmp_path.glob("*.pdf")] == ["Listing.pdf"]
    target.unlink()
    assert send(root, folder, notes, kind="folder", path=str(tmp_path)).files == (str(target),)
    assert not target.exists()  # a reader has taken it away: it does not come again


@pytest.mark.parametrize("fault", ["missing", "file", "full"])
def test_a_folder_that_cannot_be_used_says_so(root: Path, tmp_path: Path, fault: str) -> None:
    _, folder = make(root, request(root))
    out = tmp_path / "out"
    if fault == "missing":
        path, why = out / "deeper", "make it, or mount what it is on"
    elif fault == "file":
        out.write_text("", encoding="utf-8")
        path, why = out, "cannot be used"
    else:
        path, why = Path("/dev/full"), "cannot be used"
    (sentence,) = send(root, folder, kind="folder", path=str(path)).faults
    assert why in sentence
    (note,) = handed_over(folder)
    assert note.failed == sentence


def test_what_is_published_is_listed_for_readers(root: Path, tmp_path: Path) -> None:
    for least in ("0", "1", "<b>"):
        _, folder = make(root, request(root, values={"least": least}, formats=("pdf", "html")))
        if least != "<b>":
            assert send(root, folder, kind="published", path=str(tmp_path / "site"), keep=2).faults == ()
    _, third = make(root, request(root, values={"least": "2"}, formats=("pdf", "html")))
    for _ in range(2):  # twice is once
        send(root, third, kind="published", path=str(tmp_path / "site"), keep=2)
    page = (tmp_path / "site" / "index.html").read_text(encoding="utf-8")
    HTMLParser(strict=True).parse(page)
    assert page.count("least 2") == page.count("least 1") == 1
    assert "least 0" not in page
    links = [part.partition('"')[0] for part in page.split('href="')[1:]]
    assert len(links) == 4
    assert all((tmp_path / "site" / link).is_file() for link in links)


# printers and commands


def test_a_folder_of_prints_gets_a_job_once(root: Path, tmp_path: Path) -> None:
    record, folder = make(root, request(root))
    notes = UnitNotesInMemory()
    for state in ("begun", "begun", "done"):
        send(root, folder, notes, kind="printer", printer=f"folder:{tmp_path / 'prints'}", copies=2)
        notes.note("Listing.pdf", state)
    assert [path.name for path in (tmp_path / "prints").iterdir()] == [f"Listing {record.id}.pdf"]


def test_a_printer_without_paper_is_tried_again_and_one_that_may_have_it_is_not(
    root: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    _, folder = make(root, request(root))
    lp = tmp_path / "lp"
    lp.write_text(
        f"#!/bin/sh\necho job >> {tmp_path}/jobs\n[ -f {tmp_path}/paper ] || {{ echo 'lp: out of paper' >&2; exit 1; }}\n"
    )
    lp.chmod(lp.stat().st_mode | stat.S_IXUSR)
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    notes = UnitNotesInMemory()
    (fault,) = send(root, folder, notes, kind="printer", printer="quay").faults
    assert "out of paper" in fault
    (tmp_path / "paper").touch()
    assert send(root, folder, notes, kind="printer", printer="quay") == Handed(("Listing.pdf",))
    assert send(root, folder, notes, kind="printer", printer="quay") == Handed()
    notes.note("Listing.pdf", "begun")  # whoever printed was ended just then
    assert send(root, folder, notes, kind="printer", printer="quay").uncertain == ("Listing.pdf",)
    assert (tmp_path / "jobs").read_text().count("job") == 2


def test_only_listed_commands_run_and_without_a_shell(
    root: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    record, folder = make(root, request(root, file_name="; touch {report_title()}"))
    script = tmp_path / "quay"
    script.write_text(f'#!/bin/sh\nprintf "%s\\n" "$NORTHMOOR_RUN_KEY" "$@" >> {tmp_path}/got\nexit ${{CODE:-0}}\n')
    script.chmod(0o755)
    listed = {"quay": {"program": str(script), "arguments": ["--for", "{key}", "{files}"]}, "odd": {"program": "quay"}}
    (tmp_path / "commands.json").write_text(json.dumps(listed), encoding="utf-8")
    monkeypatch.setenv("NORTHMOOR_COMMANDS", str(tmp_path / "commands.json"))
    notes = UnitNotesInMemory()
    assert send(root, folder, notes, kind="command", command="quay") == Handed(("quay",))
    assert send(root, folder, notes, kind="command", command="quay") == Handed(("quay",))
    path = folder / "files" / record.files[0].name
    assert (tmp_path / "got").read_text().splitlines() == [record.id, "--for", record.id, str(path)]
    monkeypatch.setenv("CODE", "3")
    assert "ended with 3" in send(root, folder, kind="command", command="quay").faults[0]
    assert "Did you mean quay?" in send(root, folder, kind="command", command="quays").faults[0]
    assert "is not complete" in send(root, folder, kind="command", command="odd").faults[0]


# mail


class Desk(Struct):
    """A mail server's mind: what it has got, and whom it refuses."""

    got: list[Envelope] = field(default_factory=list)
    refuses: set[str] = field(default_factory=set)
    breaks_off: bool = False

    async def handle_RCPT(
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        if address in self.refuses:
            return "550 No such person on the sound"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        self.got.append(envelope)
        if self.breaks_off:
            server.transport.close()
        return "250 Taken"

    @property
    def mails(self) -> list[EmailMessage]:
        return [email.message_from_bytes(each.content, policy=default) for each in self.got]  # type: ignore[misc]


@pytest.fixture
def desk(root: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Desk]:
    """A mail server with TLS and log-in that the library knows."""
    authority, mind = trustme.CA(), Desk()
    certificate = authority.issue_cert("localhost")
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    certificate.configure_cert(context)
    authority.cert_pem.write_to_path(str(root / "authority.pem"))

    def check(server: SMTP, session: Session, envelope: Envelope, mechanism: str, data: LoginPassword) -> AuthResult:
        is_right = (data.login, data.password) == (USER.encode(), PASSWORD.encode())
        return AuthResult(success=is_right, handled=False)

    with socket.socket() as found:
        found.bind(("localhost", 0))
        port = found.getsockname()[1]
    controller = Controller(
        mind, hostname="localhost", port=port, tls_context=context, require_starttls=True, authenticator=check,
        auth_required=True, server_hostname="localhost",
    )  # fmt: skip
    controller.start()
    known = {"name": "desk", "sender": "reports@tarrow.example", "host": "localhost", "port": port,
             "security": "starttls", "user": USER, "authority": "authority.pem"}  # fmt: skip
    write_settings(root, [known])
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", json.dumps({f"smtp://{USER}@localhost:{port}": PASSWORD}))
    yield mind
    controller.stop()


def test_a_mail_has_text_first_page_and_files(root: Path, desk: Desk) -> None:
    text = "Freight from {:least; 0.00} on.\nDetails are attached."
    record, folder = make(root, request(root, formats=("pdf", "xlsx"), texts=("{report_title()} – today", text)))
    handed = send(
        root,
        folder,
        kind="mail",
        to=["quay@tarrow.example"],
        subject="{report_title()} – today",
        text=text,
        first_page=True,
    )
    assert handed == Handed(("quay@tarrow.example",))
    (mail,) = desk.mails
    assert (mail["From"], mail["To"], mail["Subject"]) == (
        "reports@tarrow.example",
        "quay@tarrow.example",
        "Listing – today",
    )
    assert mail.get_body(("plain",)).get_content().startswith("Freight from 0.00 on.")
    body = mail.get_body(("html",)).get_content()
    assert 'src="cid:page"' in body
    parts = {part.get_filename(): part for part in mail.walk() if part.get_filename()}
    assert set(parts) == {"page.png", "Listing.pdf", "Listing.xlsx"}
    assert parts["page.png"].get_payload(decode=True).startswith(b"\x89PNG")
    for file in record.files:
        assert parts[file.name].get_payload(decode=True) == (folder / "files" / file.name).read_bytes()


def test_each_record_gets_its_own_mail_and_one_that_is_refused_holds_up_no_other(root: Path, desk: Desk) -> None:
    execute(root, "update lines set mail = 'a@b.example\nBcc: all@tarrow.example' where route = 'Oxholm'")
    record, folder = make(root, bundle(root))
    assert record.records is not None
    desk.refuses.add("skarholm@tarrow.example")
    notes = UnitNotesInMemory()
    handed = send(root, folder, notes, kind="mail", to_records=True)
    assert handed.recipients == ("inverlang@tarrow.example",)
    assert len(handed.faults) == 2
    assert "is no mail address" in handed.faults[0]
    assert (
        "Skarholm: The mail server refuses skarholm@tarrow.example (550 No such person on the sound)."
        in handed.faults[1]
    )
    desk.refuses.clear()
    assert send(root, folder, notes, kind="mail", to_records=True).recipients == ("skarholm@tarrow.example",)
    assert [mail["To"] for mail in desk.mails] == ["inverlang@tarrow.example", "skarholm@tarrow.example"]
    names = [[part.get_filename() for part in mail.iter_attachments()] for mail in desk.mails]
    assert names == [["Inverlang.pdf"], ["Skarholm.pdf"]]


def test_a_server_that_breaks_off_after_the_mail_does_not_get_it_again(root: Path, desk: Desk) -> None:
    _, folder = make(root, request(root))
    notes, to = UnitNotesInMemory(), ["quay@tarrow.example", "hub@tarrow.example"]
    desk.breaks_off = True
    handed = send(root, folder, notes, kind="mail", to=to)
    assert len(handed.uncertain) == 2
    desk.breaks_off = False
    assert send(root, folder, notes, kind="mail", to=to) == Handed()
    assert sorted(mail["To"] for mail in desk.mails) == sorted(to)
    assert "may have gone already" in handed_over(folder)[0].failed


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({"authority": None}, "does not answer"), ({"user": "other"}, "There is no password for other"), ({"port": 1, "user": ""}, "does not answer"),
        ({"host": "mail.tarrow.example"}, "There is no password"),
    ],
)  # fmt: skip
def test_a_server_that_cannot_be_used_says_why(root: Path, desk: Desk, changes: dict[str, object], why: str) -> None:
    """A password goes to no other address than the one that it was given for."""
    known = json.loads((root / "delivery.json").read_text(encoding="utf-8"))["mail_servers"][0]
    if "host" in changes:
        changes |= {"host": "127.0.0.1", "security": "none"}
    write_settings(root, [{**known, **changes}])
    _, folder = make(root, request(root))
    (fault,) = send(root, folder, kind="mail", to=["quay@tarrow.example"]).faults
    assert why in fault
    assert desk.got == []


def test_a_server_that_says_nothing_is_left_after_a_while(root: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(mail_transport, "_PATIENCE", 0.5)
    with socket.create_server(("127.0.0.1", 0)) as silent:
        port = silent.getsockname()[1]
        known = {"name": "desk", "sender": "a@b.example", "host": "127.0.0.1", "port": port, "security": "none"}
        write_settings(root, [known])
        _, folder = make(root, request(root))
        notes = UnitNotesInMemory()
        (fault,) = send(root, folder, notes, kind="mail", to=["quay@tarrow.example"]).faults
    assert "does not answer" in fault
    assert "timed out" in fault
    assert notes.notes == {}  # nothing was begun: it is tried again


def test_a_wrong_password_is_refused_in_words(root: Path, desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    known = json.loads(os.environ["NORTHMOOR_PASSWORDS"])
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", json.dumps(dict.fromkeys(known, "gannet")))
    _, folder = make(root, request(root))
    (fault,) = send(root, folder, kind="mail", to=["quay@tarrow.example"]).faults
    assert fault == "localhost refuses the password of desk; give it the right one."


def test_mail_goes_into_a_folder_in_place_of_a_server_once(root: Path) -> None:
    write_settings(root, [{"name": "desk", "sender": "reports@tarrow.example", "folder": "mail"}])
    _, folder = make(root, request(root))
    notes, seen = UnitNotesInMemory(), set()
    for state in ("begun", "begun", "done"):
        assert send(root, folder, notes, kind="mail", to=["quay@tarrow.example"]).faults == ()
        (path,) = (root / "mail").glob("*.eml")
        seen.add(path.read_bytes())
        notes.note("quay@tarrow.example", state)
    assert len(seen) == 1
    assert email.message_from_bytes(seen.pop(), policy=default)["To"] == "quay@tarrow.example"


@pytest.mark.parametrize("text", ["a\r\nBcc: all@tarrow.example", "a\nb", "a\x00", "a\u2028b", "a\x85b"])
def test_a_subject_begins_no_other_header(text: str) -> None:
    with pytest.raises(OutputError, match="line end or control character"):
        header_text(text, "subject")


@pytest.mark.parametrize(
    "address", ["", "quay", "quay@", "@tarrow.example", "a b@c.example", "a@b.example,c@d.example", "a@b\n.example",
                "<a@b.example>", "a@b.example\r\nBcc: x", "ä@b.example", "a@.b", "x" * 250 + "@b.example"],
)  # fmt: skip
def test_what_is_no_address_is_refused_where_it_is_written(address: str) -> None:
    with pytest.raises(ValidationError, match="is no mail address"):
        TypeAdapter(Destination).validate_python({"kind": "mail", "to": [address]})


def test_mail_to_another_machine_goes_encrypted(root: Path) -> None:
    write_settings(root, [{"name": "desk", "sender": "a@b.example", "host": "mail.tarrow.example", "security": "none"}])
    _, folder = make(root, request(root))
    (fault,) = send(root, folder, kind="mail", to=["quay@tarrow.example"]).faults
    assert "mail to mail.tarrow.example would go unencrypted; use tls or starttls" in fault
