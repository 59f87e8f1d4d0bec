"""Names that people sign in by: one canonical form, and what a name may not hold."""

from __future__ import annotations

import unicodedata

_INVISIBLE = frozenset({"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"})
"""Unicode categories of what is not seen: controls, direction marks, joiners, surrogates, what is not assigned."""


def name_key(name: str) -> str:
    """The one form by which a name is looked up, counted and kept apart: NFKC, case folded, nothing invisible.

    >>> name_key("  Ｏdile\u200b FERROW ") == name_key("odile ferrow")
    True
    """
    text = unicodedata.normalize("NFKC", name)
    seen = "".join(c for c in text if unicodedata.category(c) not in _INVISIBLE)
    return " ".join(unicodedata.normalize("NFKC", seen.casefold()).split())


def unseen_in(name: str) -> bool:
    """Whether a name holds something that nobody sees: it could pass for another.

    >>> unseen_in("Odile"), unseen_in("Odile\u202e")
    (False, True)
    """
    return any(unicodedata.category(c) in _INVISIBLE for c in name)


def seen_of(name: str) -> str:
    """A name without what nobody sees, for one that must be taken as it came.

    >>> seen_of("\u202eOdile\x07 ")
    'Odile'
    """
    return "".join(c for c in name if unicodedata.category(c) not in _INVISIBLE).strip()
