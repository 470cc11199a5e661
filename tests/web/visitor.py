"""A visitor of the served application: reads pages, fills in their forms, follows what comes back."""

from __future__ import annotations

from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import Any
from uuid import UUID

import httpx


@dataclass
class Form:
    action: str
    method: str = "get"
    fields: dict[str, str] = field(default_factory=dict)
    files: list[str] = field(default_factory=list)


class _Reader(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.forms: list[Form] = []
        self.texts: list[str] = []
        self.links: list[str] = []
        self.sources: list[str] = []
        self._by_id: dict[str, Form] = {}
        self._select: tuple[Form, str] | None = None
        self._quiet = False
        self._area: tuple[Form, str] | None = None
        self._fieldsets: list[bool] = []  # whether each that is open is disabled: what is in it is not sent

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:  # noqa: C901  a branch for each tag
        a = {name: value or "" for name, value in attrs}
        if tag == "form":
            self.forms.append(Form(a["action"], a.get("method", "get")))
            self._by_id[a.get("id", "")] = self.forms[-1]
        if tag == "fieldset":
            self._fieldsets.append("disabled" in a)
        owner = self._by_id.get(a["form"]) if "form" in a else (self.forms[-1] if self.forms else None)
        if any(self._fieldsets):
            owner = None
        if tag == "input" and owner is not None and "name" in a:
            if a.get("type") == "file":
                owner.files.append(a["name"])
            elif a.get("type") not in {"radio", "checkbox"} or "checked" in a:
                owner.fields[a["name"]] = a.get("value", "")
        elif tag == "textarea" and owner is not None:
            self._area = (owner, a["name"])
            owner.fields[a["name"]] = ""
        elif tag == "select" and owner is not None and "name" in a:
            self._select = (owner, a["name"])
        elif tag == "option" and self._select is not None:
            owner, name = self._select
            if "selected" in a or name not in owner.fields:
                owner.fields[name] = a.get("value", "")
        elif tag == "a":
            self.links.append(a.get("href", ""))
        self.sources += [a[k] for k in ("src", "href", "action") if k in a]
        self._quiet = tag in {"script", "style"}

    def handle_endtag(self, tag: str) -> None:
        if tag == "fieldset":
            self._fieldsets.pop()
        if tag == "select":
            self._select = None
        if tag == "textarea":
            self._area = None
        self._quiet = False

    def handle_data(self, data: str) -> None:
        if self._area is not None:
            self._area[0].fields[self._area[1]] += data
        if not self._quiet:
            self.texts.append(data)


@dataclass
class Page:
    response: httpx.Response

    def __post_init__(self) -> None:
        self.reader = _Reader()
        self.reader.feed(self.response.text)
        self.text = " ".join(" ".join(self.reader.texts).split())

    @property
    def status(self) -> int:
        return self.response.status_code

    def form(self, part: str) -> Form:
        return next(f for f in self.reader.forms if part in f.action)

    def link(self, part: str) -> str:
        return next(href for href in self.reader.links if part in href)


class Visitor:
    def __init__(self, address: str) -> None:
        self.client = httpx.Client(base_url=address, follow_redirects=True, timeout=60)

    def get(self, path: str) -> Page:
        return Page(self.client.get(path))

    def send(self, form: Form, **fields: str) -> Page:
        return Page(self.client.post(form.action, data=form.fields | fields))


def circuit(visitor: Visitor, name: str) -> str:
    uid: str = next(
        c["uid"] for j in visitor.client.get("/api/v1/jobs").json() for c in j["circuits"] if c["name"] == name
    )
    return uid


def plan(visitor: Visitor, vehicle: UUID) -> dict[str, Any]:
    """The vehicle's modules, functions and wires, as the API gives them."""
    answer: dict[str, Any] = visitor.client.get(f"/api/v1/vehicles/{vehicle}/plan").json()
    return answer
