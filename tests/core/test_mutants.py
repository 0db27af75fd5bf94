"""Reports that no program wrote are opened, refused in a sentence, or laid out with findings; nothing else happens."""

import pytest

from tests.fuzz.mutants import run


@pytest.mark.parametrize("seed", [1, 2])
def test_changed_reports_end_in_pages_sentences_or_findings(seed: int) -> None:
    assert run(150, seed) == []
