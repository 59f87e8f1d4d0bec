"""Search all texts for words that Low Hiss does not use, and measure how easily README and docs read.

    python scripts/words.py            print each finding; exit with 1 if there is one
    python scripts/words.py --figures  print words a sentence of README and docs

The words are in `scripts/words.toml` and, for terms of the trade, in `lowhiss/core/glossary.py`.
"""

from __future__ import annotations

import argparse
import ast
import re
import statistics
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from lowhiss.core.words.glossary import TERMS  # noqa: E402 - the package is not installed when this runs

IN_TYPESCRIPT = re.compile(r"""'((?:[^'\\\n]|\\.)*)'|"((?:[^"\\\n]|\\.)*)\"""")
IN_TOML = {language: re.compile(rf'\b{language} = "((?:[^"\\]|\\.)*)"') for language in ("en", "es")}
GENERATED = ("findings.md", "rights.md", "glossary.md")
LONGEST_SENTENCE = 30
MEDIAN_SENTENCE = 16


class Text(NamedTuple):
    """A text that somebody can meet: which kind it is, its file and line, and what it says."""

    kind: str
    where: str
    text: str


class Ruling(NamedTuple):
    """A pattern that no text of these kinds may hold, and what to say instead."""

    pattern: re.Pattern[str]
    say: str
    kinds: frozenset[str]


def rulings(table: dict[str, list[dict[str, str]]]) -> list[Ruling]:
    """All words that are ruled out: of the list and of the glossary."""
    listed = [Ruling(re.compile(one["pattern"], re.I), one["say"], frozenset(one["in"])) for one in table["not"]]
    terms = [
        Ruling(re.compile(pattern, re.I), getattr(term, language), frozenset([kind]))
        for term in TERMS
        for language, kind in (("en", "texts"), ("es", "es"))
        for pattern in getattr(term, f"avoid_{language}")
    ]
    return listed + terms


def screen_texts() -> Iterator[Text]:
    """The texts of the screens, in both languages."""
    for language, kind in (("en", "texts"), ("es", "es")):
        for path in sorted((ROOT / "web/src/shared/i18n" / language).glob("*.ts")):
            for number, line in enumerate(path.read_text().splitlines(), 1):
                if line.startswith("import "):
                    continue
                for found in IN_TYPESCRIPT.finditer(line):
                    yield Text(kind, f"{path.relative_to(ROOT)}:{number}", found[1] or found[2] or "")


def rule_book_texts() -> Iterator[Text]:
    """The texts of the rule book, in both languages."""
    for path in sorted((ROOT / "lowhiss/rulebook").rglob("*.toml")):
        for number, line in enumerate(path.read_text().splitlines(), 1):
            for language, kind in (("en", "texts"), ("es", "es")):
                for found in IN_TOML[language].finditer(line):
                    yield Text(kind, f"{path.relative_to(ROOT)}:{number}", found[1])


def python_texts() -> Iterator[Text]:
    """Sentences in Python: what is printed, answered and drawn. Docstrings and SQL are no texts."""
    for path in sorted((ROOT / "lowhiss").rglob("*.py")):
        if "migrations" in path.parts:
            continue
        kind = "es" if path.stem == "spanish" else "texts"
        for line, text in _strings(ast.parse(path.read_text())):
            spanish = kind == "es" or re.search(r"[áéíóúñ¿¡«]| (el|la|los|las|del|una?) ", text)
            yield Text("es" if spanish else "texts", f"{path.relative_to(ROOT)}:{line}", text)


def _strings(tree: ast.Module) -> Iterator[tuple[int, str]]:
    own = {
        id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
    }
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            own.update(id(part) for part in ast.walk(node) if part is not node)
            if id(node) not in own:
                parts = [str(one.value) if isinstance(one, ast.Constant) else "{}" for one in node.values]
                yield node.lineno, "".join(parts)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in own:
            words = len(re.findall(r"[^\W\d_]{2,}", node.value))
            if words > 1 and " " in node.value.strip() and not re.search(r"\b(SELECT|UPDATE|INSERT|SET)\b", node.value):
                yield node.lineno, node.value


def names() -> Iterator[Text]:
    """Names of modules, classes and functions in Python, and of files and types in the front end, as words."""
    for path in sorted((ROOT / "lowhiss").rglob("*.py")):
        where = str(path.relative_to(ROOT))
        if "migrations" in path.parts:
            continue
        yield Text("names", where, _as_words(path.stem))
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
                yield Text("names", f"{where}:{node.lineno}", _as_words(node.name))
    for path in sorted((ROOT / "web/src").rglob("*.ts*")):
        where = str(path.relative_to(ROOT))
        yield Text("names", where, _as_words(path.name.split(".")[0]))
        for number, line in enumerate(path.read_text().splitlines(), 1):
            for found in re.finditer(r"\b(?:function|interface|type|class) (\w+)", line):
                if ".gen." not in path.name:
                    yield Text("names", f"{where}:{number}", _as_words(found[1]))


def _as_words(name: str) -> str:
    """``KeptMark`` and ``kept_mark`` as *kept mark*."""
    return " ".join(re.findall(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])|\d+", name)).lower()


def pages() -> list[Path]:
    """README, CONTRIBUTING and the pages of docs that somebody writes."""
    return [
        ROOT / "README.md",
        ROOT / "CONTRIBUTING.md",
        *(path for path in sorted((ROOT / "docs").glob("*.md")) if path.name not in GENERATED),
    ]


def page_texts() -> Iterator[Text]:
    """The lines of the pages, without code."""
    for path in pages():
        code = False
        for number, line in enumerate(path.read_text().splitlines(), 1):
            code ^= line.startswith("```")
            if not code:
                shown = re.sub(r"`[^`]*`|\]\([^)]*\)", " ", line)
                yield Text("docs", f"{path.relative_to(ROOT)}:{number}", shown)


def findings() -> list[str]:
    """Each word that is ruled out, where it is, and what to say instead."""
    table = tomllib.loads((ROOT / "scripts/words.toml").read_text())
    excepted = [(one["where"], one["text"]) for one in table.get("except", [])]
    ruled_out = rulings(table)
    found = []
    for reader in (screen_texts, rule_book_texts, python_texts, page_texts, names):
        for one in reader():
            if any(one.where.startswith(where) and part in one.text for where, part in excepted):
                continue
            for ruling in ruled_out:
                match = ruling.pattern.search(one.text) if one.kind in ruling.kinds else None
                if match:
                    found.append(f"{one.where}: {match[0]!r}: say {ruling.say}: {one.text.strip()[:100]}")
    return found


def sentences(page: str) -> list[str]:
    """The sentences of a page, without code, tables' rules, links' addresses and headings."""
    text = re.sub(r"```.*?```", "", page, flags=re.S)
    text = re.sub(r"!?\[([^\]]*)\]\([^)]*\)", r"\1", text)
    blocks = re.split(r"\n\s*\n|\n(?=[-*|>#]|\d+\. )|\|", text)
    parts = [part for block in blocks for part in re.split(r"(?<=[.!?:;])\s+", block.replace("\n", " "))]
    return [part for part in parts if len(re.findall(r"\w+", part)) > 2]


def figures() -> list[str]:
    """What is wrong with the length of sentences on the pages."""
    wrong = []
    for path in pages():
        name = path.relative_to(ROOT)
        counts = [(len(re.findall(r"[\w'’.-]+", one)), one) for one in sentences(path.read_text())]
        median = statistics.median(count for count, _ in counts)
        print(f"{name}: {len(counts)} sentences, median {median:g} words, longest {max(counts)[0]}")
        wrong += [f"{name}: {count} words: {one}" for count, one in counts if count > LONGEST_SENTENCE]
        if median > MEDIAN_SENTENCE:
            wrong.append(f"{name}: the median sentence has {median:g} words; {MEDIAN_SENTENCE} are the aim")
    return wrong


def main() -> int:
    """Print what is found; exit code 1 where anything is."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--figures", action="store_true", help="print words a sentence of README and docs")
    options = parser.parse_args()
    wrong = figures() if options.figures else findings()
    if wrong:
        print("\n".join(wrong))
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
