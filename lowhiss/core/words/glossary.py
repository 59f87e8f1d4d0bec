"""The glossary as a page, and the words that it rules out."""

from __future__ import annotations

from lowhiss.core.glossary import PRODUCT_TERMS, ROLE_TERMS, TRADE_TERMS, Term
from lowhiss.core.stages import STEP_TABLE

STEP_TERMS: dict[str, Term] = {step: row.term for step, row in STEP_TABLE.items()}
TERMS: tuple[Term, ...] = (*STEP_TERMS.values(), *ROLE_TERMS.values(), *TRADE_TERMS, *PRODUCT_TERMS)


def glossary_page() -> str:
    """The glossary as Markdown."""
    head = (
        "# Glossary\n\n"
        "For everyone who writes a text or a name here. Generated from `lowhiss/core/glossary.py` and\n"
        "`lowhiss/core/stages/table.py`; a test searches all texts for the words that the last column rules out.\n"
    )
    groups = (
        ("Steps of a test", tuple(STEP_TERMS.items())),
        ("Roles", tuple(ROLE_TERMS.items())),
        ("The trade", tuple((term.code, term) for term in TRADE_TERMS)),
        ("The product", tuple((term.code, term) for term in PRODUCT_TERMS)),
    )
    return head + "".join(_section(title, terms) for title, terms in groups)


def _section(title: str, terms: tuple[tuple[str, Term], ...]) -> str:
    lines = [f"\n## {title}\n", "| English | Spanish | meaning | in code | not |", "|---|---|---|---|---|"]
    for code, term in terms:
        ruled_out = ", ".join(f"`{one}`" for one in (*term.avoid_en, *term.avoid_es)).replace("|", "\\|")
        lines.append(f"| {term.en} | {term.es} | {term.meaning} | {code} | {ruled_out} |")
    return "\n".join(lines) + "\n"
