"""The body of a message, written once in CommonMark: as HTML, and as the plain text that says the same."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from html import escape
from html.parser import HTMLParser
from types import MappingProxyType

from markdown_it import MarkdownIt
from markdown_it.token import Token

from gonnet.wording.harmless import is_script


@lru_cache(maxsize=1)
def _reader() -> MarkdownIt:
    reader = MarkdownIt("commonmark", {"html": False, "breaks": True})
    reader.validateLink = lambda url: not is_script(url)  # type: ignore[method-assign]
    return reader


@dataclass(frozen=True, slots=True, kw_only=True)
class Body:
    """A body in both forms.

    Attributes:
        text: Plain: emphasis falls away, lists keep their marks, links show where they lead.
        html: HTML in the source is text, not markup.
        style: The style sheet of its HTML.
        pictures: Name → PNG or JPEG that the HTML shows as `cid:` and the name (RFC 2392).
        is_page: Whether the HTML is a whole page of its own.
    """

    text: str
    html: str
    style: str = ""
    pictures: Mapping[str, bytes] = field(default_factory=dict)
    is_page: bool = False

    @classmethod
    def of_page(cls, page: str) -> Body:
        """The body that is an HTML page, with the plain text that it says."""
        reader = _PageText()
        reader.feed(page)
        reader.close()
        return cls(text=reader.text(), html=page, is_page=True)

    @classmethod
    def of(cls, markup: str) -> Body:
        """The body that is written in CommonMark."""
        if plain := _paragraphs(markup):
            html = "".join(_paragraph(part) for part in plain)
            return cls(text="\n\n".join(plain) + "\n", html=html)
        reader = _reader()
        tokens = reader.parse(markup)
        return cls(text=_as_text(tokens), html=str(reader.renderer.render(tokens, reader.options, {})))

    def scripts(self) -> set[str]:
        """The targets of links and pictures of a page that lead into scripts or into data of their own."""
        return {target for _, _, target in _targets(self.html) if is_script(target)}

    def with_insert(
        self, mark: str, text: str, html: str, style: str = "", pictures: Mapping[str, bytes] = MappingProxyType({})
    ) -> Body:
        """The body with something else in the place of the paragraph `mark`.

        Raises:
            ValueError: `mark` is no paragraph by itself.
        """
        paragraph = f"<p>{mark}</p>"
        if paragraph not in self.html:
            raise ValueError("it is not in a paragraph of its own")
        lines = [text if line == mark else line for line in self.text.split("\n")]
        found = "\n".join(lines), self.html.replace(paragraph, html)
        if mark in found[0] or mark in found[1]:
            raise ValueError("it is not in a paragraph of its own")
        return Body(text=found[0], html=found[1], style=style, pictures={**self.pictures, **pictures})


_PLAIN = re.compile(  # a line that is nothing but text, whatever stands before and after it
    r"(?!\d{1,9}[.)](?:\s|$))(?:[^\W_]|[\"'(„“‘€£$])[^\\`*_\[\]<>&\x00-\x1f\x7f-\x9f\u2028\u2029]*(?<!\s)"
)


def _paragraphs(markup: str) -> list[str]:
    """The paragraphs of a body in which there is no markup, as of most; none where there may be some."""
    found = re.split(r"\n{2,}", markup.strip("\n"))
    return found if all(_PLAIN.fullmatch(line) for part in found for line in part.split("\n")) else []


def _paragraph(text: str) -> str:
    return "<p>" + escape(text, quote=False).replace('"', "&quot;").replace("\n", "<br />\n") + "</p>\n"


_BLOCKS = frozenset(
    ("p", "div", "h1", "h2", "h3", "h4", "h5", "h6", "ul", "ol", "table", "tr", "blockquote", "section", "header",
     "footer", "address")
)  # fmt: skip
_UNSEEN = frozenset(("style", "script", "title"))


class _PageText(HTMLParser):
    """The text of an HTML page: a line for each block, list entries with a mark, links with where they lead."""

    def __init__(self) -> None:
        super().__init__()
        self._parts: list[str] = []
        self._unseen = 0
        self._link, self._shown = "", ""

    def text(self) -> str:
        """What was read, without blank lines in a row."""
        lines = [" ".join(line.split()) for line in "".join(self._parts).split("\n")]
        return re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip("\n") + "\n"

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag in _UNSEEN:
            self._unseen += 1
        elif tag in _BLOCKS:
            self._parts.append("\n\n" if tag != "tr" else "\n")
        elif tag in ("br", "hr"):
            self._parts.append("\n")
        elif tag == "li":
            self._parts.append("\n- ")
        elif tag in ("td", "th"):
            self._parts.append(" ")
        elif tag == "a":
            self._link, self._shown = dict(attrs).get("href") or "", ""
        elif tag == "img":
            self.handle_data(dict(attrs).get("alt") or "")

    def handle_endtag(self, tag: str) -> None:
        if tag in _UNSEEN:
            self._unseen = max(0, self._unseen - 1)
        elif tag in _BLOCKS:
            self._parts.append("\n\n" if tag != "tr" else "\n")
        elif tag == "a" and self._link:
            if self._link.removeprefix("mailto:") != self._shown.strip():
                self._parts.append(f" ({self._link})")
            self._link = ""

    def handle_data(self, data: str) -> None:
        if not self._unseen:
            self._shown += data
            self._parts.append(data.replace("\n", " "))


def _as_text(tokens: Sequence[Token]) -> str:
    lines: list[str] = []
    marks: list[str] = []  # what begins a line here: list indents and quote marks
    counts: list[int | None] = []  # the number of the list entry we are in; None in a bullet list
    first = ""
    for token in tokens:
        match token.type:
            case "bullet_list_open":
                counts.append(None)
            case "ordered_list_open":
                counts.append(int(token.attrs.get("start", 1)))
            case "bullet_list_close" | "ordered_list_close":
                counts.pop()
                if not counts:
                    lines.append("")
            case "list_item_open":
                first = _mark(counts)
                marks.append(" " * len(first))
            case "list_item_close" | "blockquote_close":
                marks.pop()
            case "blockquote_open":
                marks.append("> ")
            case "inline":
                lead = "".join(marks)
                for text in "".join(_inline(token.children or [])).split("\n"):
                    lines.append((lead[: len(lead) - len(first)] + first if first else lead) + text)
                    first = ""
            case "fence" | "code_block":
                lines += ["".join(marks) + text for text in token.content.rstrip("\n").split("\n")] + [""]
            case "hr":
                lines += ["-" * 20, ""]
            case "paragraph_close" | "heading_close" if not token.hidden:
                lines.append("".join(marks).rstrip())
            case _:
                pass
    while lines and not lines[-1].strip("> "):  # the gap behind the last block
        lines.pop()
    return "\n".join(lines).lstrip("\n") + "\n"


def _mark(counts: list[int | None]) -> str:
    number = counts[-1]
    if number is None:
        return "- "
    counts[-1] = number + 1
    return f"{number}. "


def _inline(tokens: Sequence[Token]) -> Iterator[str]:
    target, shown = "", ""
    for token in tokens:
        match token.type:
            case "softbreak" | "hardbreak":
                yield "\n"
            case "link_open":
                target, shown = str(token.attrs.get("href", "")), ""
            case "link_close":
                if target.removeprefix("mailto:") != shown:
                    yield f" ({target})"
            case _:
                shown += token.content
                yield token.content


_REMOTE = re.compile(r"^\s*(?:https?:|ftp:|//)", re.IGNORECASE)
_IN_STYLES = re.compile(r"(?:url\(|@import)\s*[\"']?\s*((?:https?:|//)[^\"')\s;]+)", re.IGNORECASE)
_FOLLOWED = frozenset(("href", "xlink:href", "action", "formaction"))
_LOADED = frozenset(("src", "srcset", "background", "poster", "data"))
_LOADS = frozenset(("link", "image", "use"))
"""Tags whose `href` is loaded, not followed."""


def remote_targets(page: str) -> list[str]:
    """What a page has loaded from elsewhere when it is read: pictures, styles, frames; not where its links lead."""
    loaded = (target for tag, name, target in _targets(page) if name in _LOADED or tag in _LOADS)
    in_styles = (found[1] for found in _IN_STYLES.finditer(page))
    return list(dict.fromkeys((*(target for target in loaded if _REMOTE.match(target)), *in_styles)))


def _targets(page: str) -> list[tuple[str, str, str]]:
    """Tag, attribute and target of whatever a page loads or leads to."""
    reader = _Targets()
    reader.feed(page)
    reader.close()
    return reader.found


class _Targets(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[tuple[str, str, str]] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        wanted = _FOLLOWED | _LOADED
        self.found += [(tag, name, value.strip()) for name, value in attrs if value and name in wanted]

    handle_startendtag = handle_starttag
