"""The pages of the guide, read once from `docs/guide`: as HTML, and in pieces for the search."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from markdown_it import MarkdownIt
from markdown_it.token import Token

from irongauge.errors import NotFoundError

__all__ = ["DOCS", "GROUPS", "Found", "GuidePage", "guide_page", "guide_pages", "picture_path", "search_guide"]

DOCS = Path(__file__).resolve().parents[3] / "docs"
# What the guide holds, in the order in which it is read.
GROUPS = (
    (
        "Rooms",
        ("floor", "job", "bench", "curve", "pulse", "vehicle", "plan", "trace", "handover", "shelf", "people", "drill"),
    ),
    ("Worked jobs", ("dead-sensor", "calibration", "swap", "speed-off", "new-harness", "log")),
    ("Words", ("words", "findings", "figures")),
)
_MOST_FOUND = 20


@dataclass(frozen=True)
class GuidePage:
    """One page: its name in addresses, its title, its HTML, and its pieces of plain text."""

    name: str
    title: str
    html: str
    pieces: tuple[str, ...]


@dataclass(frozen=True)
class Found:
    """A page that holds what was looked for, and the first piece of it that does."""

    page: GuidePage
    piece: str


@cache
def guide_pages() -> dict[str, GuidePage]:
    """Every page by its name, in the order of `GROUPS`."""
    return {name: _read(name) for _, names in GROUPS for name in names}


def guide_page(name: str) -> GuidePage:
    """Raises `NotFoundError` for a name that is none."""
    found = guide_pages().get(name)
    if found is None:
        raise NotFoundError("page of the guide", name)
    return found


def picture_path(name: str) -> Path:
    """A picture that stands in the guide; `NotFoundError` for any other file."""
    if not any(f'src="/guide/pictures/{name}"' in page.html for page in guide_pages().values()):
        raise NotFoundError("picture", name)
    return DOCS / "screenshots" / name


def search_guide(asked: str) -> tuple[Found, ...]:
    """Pages that hold every word, those first that have them in one piece; a page's title counts as its first piece.

    A word is found by its beginning, so that an answer comes while one types.
    """
    words = asked.casefold().split()
    if not words:
        return ()
    ranked = []
    for order, page in enumerate(guide_pages().values()):
        together = next((at for at, piece in enumerate(page.pieces) if _holds(piece, words)), None)
        if together is not None:
            ranked.append(((0, min(together, 1), order), Found(page, page.pieces[together])))
        elif _holds(" ".join(page.pieces), words):
            first = next(piece for piece in page.pieces if _holds(piece, words[:1]))
            ranked.append(((1, 0, order), Found(page, first)))
    return tuple(found for _, found in sorted(ranked, key=lambda r: r[0])[:_MOST_FOUND])


def _holds(piece: str, words: Sequence[str]) -> bool:
    there = "".join(c if c.isalnum() else " " for c in piece.casefold()).split()
    return all(any(word.startswith(w) for word in there) for w in ("".join(filter(str.isalnum, w)) for w in words))


def _read(name: str) -> GuidePage:
    markdown = MarkdownIt("commonmark", {"html": False}).enable("table")
    tokens = markdown.parse((DOCS / "guide" / f"{name}.md").read_text("utf-8"))
    for token in tokens:
        for child in token.children or ():
            _point_inside(child)
    pieces = tuple(_pieces(tokens))
    html = markdown.renderer.render(tokens, markdown.options, {})
    return GuidePage(name, pieces[0], html, pieces)


def _point_inside(token: Token) -> None:
    """Pictures and links lead to the application instead of the repository's files."""
    source = str(token.attrGet("src") or "")
    if source:
        token.attrSet("src", f"/guide/pictures/{Path(source).name}")
        token.attrSet("loading", "lazy")
    link = str(token.attrGet("href") or "")
    if link.endswith(".md"):
        token.attrSet("href", f"/guide/{Path(link).stem}")


def _pieces(tokens: Sequence[Token]) -> Iterator[str]:
    """The text of every heading, paragraph, line of a list and row of a table."""
    row: list[str] = []
    for token in tokens:
        if token.type == "inline":
            text = "".join(
                c.content if c.type != "softbreak" else " " for c in token.children or () if c.type != "image"
            )
            row.append(text.strip())
        if token.type in {"tr_close", "paragraph_close", "heading_close"} and any(row):
            yield ": ".join(filter(None, row))
            row = []
        elif token.type in {"tr_open", "paragraph_open", "heading_open"}:
            row = []
