"""What routes ask for: the store of this app, and the words for this reader."""

from __future__ import annotations

from typing import Annotated, Literal, cast

from fastapi import Depends, Query, Request

from lowhiss.core.words import Words
from lowhiss.store.engine import Store


async def get_store(request: Request) -> Store:
    return cast(Store, request.app.state.store)


async def get_words(
    lang: Annotated[Literal["en", "es"], Query()] = "en",
    unit: Annotated[Literal["psi", "kpa", "bar"], Query()] = "psi",
) -> Words:
    """The words in the reader's language and unit."""
    return Words(lang, unit)


StoreDep = Annotated[Store, Depends(get_store)]
WordsDep = Annotated[Words, Depends(get_words)]
