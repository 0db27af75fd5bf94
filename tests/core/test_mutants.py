"""Reports, data files and pictures that no program wrote are opened, refused in a sentence, or laid out with findings;
nothing else happens."""

import pytest

from tests.fuzz import data_files, mutants

pytestmark = pytest.mark.slow


@pytest.mark.parametrize("seed", [1, 2])
def test_changed_reports_end_in_pages_sentences_or_findings(seed: int) -> None:
    assert mutants.run(150, seed) == []


def test_changed_data_files_and_pictures_end_in_rows_sentences_or_findings() -> None:
    assert data_files.run(100, 1) == []


def test_what_goes_wrong_is_reported_in_its_smallest_part() -> None:
    value = {"a": [1, {"b": "bad", "c": [2, 3]}], "d": {"e": "good"}}
    assert mutants.minimised(value, lambda each: "bad" in str(each)) == {"a": [{"b": "bad"}]}
