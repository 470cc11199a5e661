"""The page of words says what the program works by, and every test point that is asked for is in it."""

from pathlib import Path

import pytest

from irongauge.core.bench.actions import ACTIONS
from irongauge.core.diagnosis.catalogue import faults_of
from irongauge.core.diagnosis.faults import FAULT_WORDS
from irongauge.formats.vocabulary import vocabulary_page
from tests.subjects import SUBJECTS

PUBLISHED = Path(__file__).parents[2] / "docs" / "vocabulary.md"


def test_the_published_page_is_of_the_tables():
    assert PUBLISHED.read_text(encoding="utf-8") == vocabulary_page(), "run: python -m tools.vocabulary"


@pytest.mark.parametrize("name", [*ACTIONS, *FAULT_WORDS])
def test_every_word_is_on_it(name: str):
    assert f"| `{name}` |" in vocabulary_page()


@pytest.mark.parametrize("subject", SUBJECTS, ids=lambda s: str(s.family))
def test_every_fault_that_can_be_found_has_words(subject):
    assert set(faults_of(subject)) <= set(FAULT_WORDS)
