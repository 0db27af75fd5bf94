"""Web pages in a real browser: nothing that keeps a reader out, on a wide screen and on a phone, and nothing is loaded
from anywhere else."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, sync_playwright

import northmoor
from tests.core.test_tagged_pdf import DEMO
from tests.core.test_web_pages import html_of

pytestmark = pytest.mark.slow

FEWER = {"freight-statement": {"shippers": [1, 2, 3]}}
"""Values by which the longest report is short; axe takes a minute for all of it."""


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    """A browser without a window."""
    with sync_playwright() as automation:
        started = automation.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        yield started
        started.close()


@pytest.mark.parametrize(("name", "edition"), DEMO)
def test_axe_finds_nothing_and_nothing_is_wider_than_a_phone(
    demo: Path, browser: Browser, name: str, edition: str | None
) -> None:
    document = northmoor.render(demo / "reports" / f"{name}.moor", values=FEWER.get(name, {}), edition=edition)
    with browser.new_page(viewport={"width": 1280, "height": 800}) as page:
        asked: list[str] = []
        page.on("request", lambda request: asked.append(request.url))
        page.set_content(html_of(document))
        found = Axe().run(page).response
        assert [(each["id"], each["nodes"][0]["html"]) for each in found["violations"]] == []
        page.set_viewport_size({"width": 390, "height": 800})
        assert page.evaluate("document.documentElement.scrollWidth") == 390
        assert [url for url in asked if not url.startswith(("data:", "about:"))] == []
