"""Texts with CommonMark as paragraphs of spans, for outputs that draw them themselves."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from markdown_it import MarkdownIt
from markdown_it.token import Token

from gonnet.wording.links import SCHEMES


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """A piece of text in one look; `link` is where it leads, or empty."""

    text: str
    bold: bool = False
    italic: bool = False
    link: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Paragraph:
    """A paragraph or an entry of a list.

    Attributes:
        spans: Its text.
        mark: What stands before it: `•`, `1.`, or nothing.
        depth: How deep it is indented: 0 is not at all.
    """

    spans: tuple[Span, ...]
    mark: str = ""
    depth: int = 0

    @property
    def text(self) -> str:
        """What it says, without looks."""
        return "".join(span.text for span in self.spans)


@lru_cache(maxsize=1)
def _reader() -> MarkdownIt:
    return MarkdownIt("commonmark", {"html": False})


def paragraphs(markup: str) -> tuple[Paragraph, ...]:
    """The paragraphs of a CommonMark text; HTML in it is text, headings are bold paragraphs."""
    return tuple(_paragraphs(_reader().parse(markup)))


def _paragraphs(tokens: Sequence[Token]) -> Iterator[Paragraph]:
    counts: list[int | None] = []  # the number of the list entry we are in; None in a bullet list
    fresh = bold = False
    for token in tokens:
        match token.type:
            case "bullet_list_open":
                counts.append(None)
            case "ordered_list_open":
                counts.append(int(token.attrs.get("start", 1)) - 1)
            case "bullet_list_close" | "ordered_list_close":
                counts.pop()
            case "list_item_open":
                fresh, number = True, counts[-1]
                counts[-1] = None if number is None else number + 1
            case "heading_open":
                bold = True
            case "inline":
                mark = ("•" if counts[-1] is None else f"{counts[-1]}.") if fresh else ""
                yield Paragraph(spans=tuple(_spans(token.children or [], bold)), mark=mark, depth=len(counts))
                fresh = bold = False
            case "fence" | "code_block":
                yield Paragraph(spans=(Span(text=token.content.rstrip("\n")),), depth=len(counts))
            case _:
                pass


def _spans(tokens: Sequence[Token], bold: bool) -> Iterator[Span]:
    strong, italic, link = int(bold), 0, ""
    for token in tokens:
        match token.type:
            case "strong_open" | "strong_close":
                strong += token.nesting
            case "em_open" | "em_close":
                italic += token.nesting
            case "link_open":
                target = str(token.attrs.get("href", ""))
                link = target if target.startswith(SCHEMES) else ""
            case "link_close":
                link = ""
            case "softbreak":
                yield Span(text=" ", bold=strong > 0, italic=italic > 0, link=link)
            case "hardbreak":
                yield Span(text="\n", bold=strong > 0, italic=italic > 0, link=link)
            case _:
                yield Span(text=token.content, bold=strong > 0, italic=italic > 0, link=link)
