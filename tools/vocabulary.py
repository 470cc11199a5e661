"""Write the page of action and fault names: `python -m tools.vocabulary`, after a change of either table."""

from __future__ import annotations

from pathlib import Path

from irongauge.formats.vocabulary import vocabulary_page

if __name__ == "__main__":
    target = Path(__file__).resolve().parent.parent / "docs" / "vocabulary.md"
    target.write_text(vocabulary_page(), encoding="utf-8")
