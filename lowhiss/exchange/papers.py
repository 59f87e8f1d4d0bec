"""Reports and lists as PDF: our own face embedded, tagged, A4 or letter, with a code to check a seal by."""

from __future__ import annotations

import html
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, Literal

import segno

from lowhiss.static import FONTS

Size = Literal["A4", "letter"]
_NO_FOOT = r"[^\w .,:;·–/()+'-]"
"""What a name may hold and a style sheet may not."""
_FACE = "archivo-latin-standard-normal"
_STYLE = """
@page { size: %(size)s; margin: 16mm 15mm 18mm;
  @bottom-left { content: "%(foot)s"; font: 8pt %(face)s; color: #444 }
  @bottom-right { content: counter(page) " / " counter(pages); font: 8pt %(face)s; color: #444 } }
body { font: 10pt/1.35 %(face)s; color: #14181a }
h1 { font-size: 20pt; margin: 0 0 2mm } h2 { font-size: 12pt; margin: 6mm 0 1mm }
dl { display: flex; flex-wrap: wrap; gap: 1mm 8mm; margin: 2mm 0 } dt { font-size: 8pt; color: #555 } dd { margin: 0 }
dd, th { font-weight: 600 } table { width: 100%%; border-collapse: collapse } thead { display: table-header-group }
th, td { text-align: left; vertical-align: top; padding: 1.2mm 3mm 1.2mm 0; border-bottom: .3pt solid #999 }
tr { break-inside: avoid } .n { text-align: right } .soft { color: #555; font-size: 8.5pt; font-weight: 400 }
.fail { background: #8f2d18; color: #fff; padding: 3mm 4mm; font-size: 16pt; font-weight: 700; margin-bottom: 4mm }
.seal { display: flex; gap: 6mm; align-items: center; break-inside: avoid } .seal svg { width: 28mm; height: 28mm }
.hash { word-break: break-all }
"""


@dataclass(frozen=True, slots=True)
class Table:
    """A table of a paper. right : the columns whose cells are numbers."""

    title: str
    head: Sequence[str]
    rows: Sequence[Sequence[str]]
    right: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class Paper:
    """What stands on a paper, worded. warning : said before all else.  seal : its text, and what the code holds."""

    language: str
    title: str
    warning: str
    facts: Mapping[str, str]
    tables: Sequence[Table]
    notes: Sequence[str]
    foot: str
    seal: tuple[str, str] | None = None


def pdf_of(paper: Paper, size: Size = "A4") -> bytes:
    """The paper as a tagged PDF."""
    from weasyprint import HTML  # takes a second to load, and only here

    text = f"<!doctype html><html lang={paper.language}><head><title>{_text(paper.title)}</title></head><body>"
    text += "".join(_body(paper)) + "</body></html>"
    style = _STYLE % {"size": size, "foot": re.sub(_NO_FOOT, " ", paper.foot), "face": _face()}
    made: Any = HTML(string=f"<style>{_font()}{style}</style>{text}", url_fetcher=_fetch).write_pdf(pdf_tags=True)
    return bytes(made)


def printed(asked: tuple[Paper, Size]) -> bytes:
    """A PDF made in a process of its own: a long list takes a core for many seconds."""
    return pdf_of(*asked)


def _body(paper: Paper) -> Iterable[str]:
    if paper.warning:
        yield f'<p class="fail">{_text(paper.warning)}</p>'
    yield f"<h1>{_text(paper.title)}</h1><dl>"
    yield from (f"<div><dt>{_text(name)}</dt><dd>{_text(value)}</dd></div>" for name, value in paper.facts.items())
    yield "</dl>"
    for table in paper.tables:
        yield from _table(table)
    if paper.seal is not None:
        words, code = paper.seal
        yield f'<div class="seal">{_code(code)}<p class="hash">{_text(words)}</p></div>'
    yield from (f'<p class="soft">{_text(note)}</p>' for note in paper.notes)


def _table(table: Table) -> Iterable[str]:
    def cells(kind: str, row: Sequence[str]) -> str:
        right = (' class="n"' if place in table.right else "" for place in range(len(row)))
        return "".join(f"<{kind}{of}>{_text(cell)}</{kind}>" for cell, of in zip(row, right, strict=True))

    if table.title:
        yield f"<h2>{_text(table.title)}</h2>"
    yield f"<table><thead><tr>{cells('th', table.head)}</tr></thead><tbody>"
    yield from (f"<tr>{cells('td', row)}</tr>" for row in table.rows)
    yield "</tbody></table>"


def _code(content: str) -> str:
    drawn: str = segno.make(content, error="m", micro=False).svg_inline(scale=4, border=1, omitsize=True)
    return drawn.replace("<svg ", '<svg role="img" aria-label="QR" ', 1)


def _text(text: str) -> str:
    return html.escape(text).replace("\n", "<br>")


@cache
def _face_file() -> Path | None:
    found = FONTS / f"{_FACE}.woff2"
    return found if found.is_file() else None


def _face() -> str:
    return "'Report', sans-serif"


def _font() -> str:
    path = _face_file()
    if path is None:
        return ""
    return f"@font-face {{ font-family: 'Report'; src: url('{path.as_uri()}')}}"


def _fetch(url: str, *_: object, **__: object) -> Any:
    """Our face and nothing else: no text of anybody's makes us open a file or an address."""
    from weasyprint.urls import URLFetcherResponse

    path = _face_file()
    if path is None or url != path.as_uri():
        raise ValueError("nothing else is fetched")
    return URLFetcherResponse(url, path.read_bytes(), {"Content-Type": "font/woff2"})
