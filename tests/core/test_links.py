"""Addresses: which are handed to the desktop, which lead inside, and which are none, on pages and in the PDF."""

import pytest

from northmoor.core.model.links import is_sound, is_web, place_named, report_named


@pytest.mark.parametrize(
    ("address", "is_one"),
    [
        ("https://tarrow.example/a?b=c#d", True), ("HTTP://tarrow.example", True), ("mailto:desk@tarrow.example", True),
        ("tel:+353-1-555", True), ("http://[::1]:8080/", True),
        ("http://x\njavascript:1", False), ("http://x\tjavascript:1", False), ("http:// x", False), ("http://", False),
        ("https:/x", False), ("http:x", False), ("http://x:port/", False), ("http://[x/", False), ("mailto:", False),
        ("tel:", False), ("tel:;ls", False), ("javascript:alert(1)", False), ("java\nscript:alert(1)", False),
        ("file:///etc/passwd", False), ("data:text/html,x", False), ("//tarrow.example", False), ("", False),
        ("\u2028http://x", False), (" https://x", False),
    ],
)  # fmt: skip
def test_only_addresses_of_the_web_mail_and_telephones_leave(address: str, is_one: bool) -> None:
    assert is_web(address) == is_one
    assert is_sound(address) == is_one


def test_places_and_reports_are_inside() -> None:
    assert place_named("#route%20IL-SK") == "route IL-SK"
    assert place_named("#a\nb") is None
    found = report_named("voyages/other.moor?season=summer&port=A&port=B")
    assert found is not None
    assert (found.file, found.values) == ("voyages/other.moor", {"season": "summer", "port": ["A", "B"]})
    assert report_named("http://x/other.moor") is None
    assert report_named("other.moor\n?a=b") is None
    assert report_named("other.moor?" + "&".join(f"a{n}=1" for n in range(2000))) is None
