"""Languages of readers: CLDR locales, and which of several texts a reader gets."""

from __future__ import annotations

import locale as system_locale
import re
from collections.abc import Mapping
from functools import lru_cache

from babel import Locale, UnknownLocaleError
from babel.core import get_global

_TAG = re.compile(r"^[A-Za-z]{2,3}([-_][A-Za-z]{4})?([-_]([A-Za-z]{2}|[0-9]{3}))?$")


@lru_cache(maxsize=1024)
def locale_of(tag: str) -> str:
    """The CLDR name of a language tag (BCP 47), with or without a territory: `de-at` → `de_AT`.

    Raises:
        ValueError: there is no such language.
    """
    tag = tag.strip()
    if not _TAG.match(tag):
        raise ValueError(f"'{tag}' is not a language; write a tag such as de or en-IE")
    try:
        return str(Locale.parse(tag.replace("-", "_")))
    except (UnknownLocaleError, ValueError) as error:
        raise ValueError(f"'{tag}' is not a language; write a tag such as de or en-IE") from error


def wider(locale: str) -> tuple[str, ...]:
    """The locale and those it falls back to, narrowest first: `de_AT` → `de_AT`, `de`."""
    parts = locale.split("_")
    return tuple("_".join(parts[:count]) for count in range(len(parts), 0, -1))


def chosen(texts: Mapping[str, str], locale: str, house: str) -> str:
    """The tag of the text that a reader of `locale` gets: their language's, else the house's, else the first.

    Raises:
        ValueError: a tag is not a language.
    """
    known = {locale_of(tag): tag for tag in texts}
    by_language = {name.split("_")[0]: tag for name, tag in reversed(known.items())}
    for wanted in (*wider(locale), *wider(house)):
        if wanted in known:
            return known[wanted]
        if wanted in by_language and wanted in (locale.split("_")[0], house.split("_")[0]):
            return by_language[wanted]
    return next(iter(texts))


def same_language(one: str, other: str) -> bool:
    """Whether two locales differ in no more than the territory."""
    return one.split("_")[0] == other.split("_")[0]


def language_tag(locale: str) -> str:
    """The BCP 47 tag of a CLDR locale: `de_AT` → `de-AT`."""
    return locale.replace("_", "-")


def called(locale: str) -> str:
    """The locale's name in English, such as `German (Austria)`."""
    return Locale.parse(locale).get_display_name("en") or locale


@lru_cache(maxsize=64)
def direction(locale: str) -> str:
    """`ltr` or `rtl`, as HTML writes it."""
    return Locale.parse(locale).text_direction


@lru_cache(maxsize=64)
def windows_language(locale: str) -> int | None:
    """The language identifier by which a workbook's number format names `locale` (MS-LCID), or None."""
    parts = locale.split("_")
    if len(parts) == 1:
        likely = get_global("likely_subtags").get(locale, locale).split("_")
        parts = [parts[0], likely[-1]]
    wanted = f"{parts[0]}_{parts[-1]}"
    return next((number for number, name in system_locale.windows_locale.items() if name == wanted), None)
