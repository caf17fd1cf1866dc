"""Cutting pages out of a run, with nothing of it but what these pages themselves show (pikepdf, which is qpdf).

A page of a run refers to far more than it shows: to the pictures of all pages by a shared dictionary of resources, to
other pages by links, to bookmarks, structure, notes and names. Here a page keeps its content, and of its resources what
the content names; its links to the web stay, everything else goes. What notes and forms show becomes part of the page.
"""

from __future__ import annotations

import io
import re
import zlib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import pikepdf

from gonnet.arrivals.showing import Showing, content, contents, data_of, entries, glyphs, is_deflated, is_form
from gonnet.errors import DataError

_KEPT = (
    "/Type", "/MediaBox", "/CropBox", "/TrimBox", "/BleedBox", "/ArtBox", "/Rotate", "/UserUnit", "/Resources",
    "/Contents", "/Group",
)  # fmt: skip
_INHERITED = ("/Resources", "/MediaBox", "/CropBox", "/Rotate")  # ISO 32000-1, 7.7.3.4
_NAME = re.compile(rb"/([^\s/<>\[\](){}%]+)")
_HEX = re.compile(rb"#([0-9A-Fa-f]{2})")
_ANEW = "Have the run made again"


class Cutter:
    """A run that parts are cut out of.

    Args:
        source: The file, or its bytes.
        password: What opens it; empty where nothing is needed.

    Attributes:
        has_layers: Whether it says which of its layers are shown.

    Raises:
        DataError: it is no PDF that can be read, or is locked.
    """

    def __init__(self, source: Path | bytes, password: str = "") -> None:
        self._name = source.name if isinstance(source, Path) else "this PDF"
        self._pdf = _opened(source, password)
        _mark_layers(self._pdf)
        self.has_layers = "/OCProperties" in self._pdf.Root
        self._clean: set[int] = set()
        self._pruned: set[tuple[int, int]] = set()
        self._is_changed = "/AcroForm" in self._pdf.Root or any(_has_notes(page) for page in self._pdf.pages)
        if self._is_changed:
            self._pdf.generate_appearance_streams()
            self._pdf.flatten_annotations("all")
        self._showing = Showing()
        self._pages = list(self._pdf.pages)  # to look one up there takes the longer the more there are

    def close(self) -> None:
        """Give the memory back."""
        self._pdf.close()

    @property
    def is_changed(self) -> bool:
        """Whether its pages show more than they did in the file: what notes and forms show is a part of them."""
        return self._is_changed

    @property
    def pages(self) -> int:
        """How many pages it has."""
        return len(self._pages)

    def part(self, numbers: Sequence[int], title: str) -> bytes:
        """Some pages, from 1, as a file of their own; the same pages give the same bytes."""
        return together([(self, numbers)], title)

    def page(self, number: int) -> pikepdf.Page:
        """A page with nothing but what it shows.

        Raises:
            DataError: it is damaged.
        """
        page = self._pages[number - 1]
        if number not in self._clean:
            try:
                self._clear(page)
            except pikepdf.PdfError as error:  # what it names of its resources is not known: it would lose them
                where = f"{self._name}, page {number}"
                raise DataError("this page is damaged and cannot be cut out", where=where, fix=_ANEW) from error
            self._clean.add(number)
        return page

    def shown(self, number: int) -> bytes:
        """A digest of what a page shows."""
        return self._showing.of(self.page(number))

    def _clear(self, page: pikepdf.Page) -> None:
        found = page.obj
        for name in _INHERITED:
            if name not in found and (value := _inherited(found, name)) is not None:
                found[name] = value
        links = [note for note in _notes(page) if _leads_out(note)]
        for name in list(found.keys()):
            if name not in _KEPT:
                del found[name]
        if links:
            found["/Annots"] = pikepdf.Array([_link(note) for note in links])
        said = content(page)
        if not all(map(is_deflated, contents(page))):
            found["/Contents"] = pikepdf.Stream(self._pdf, zlib.compress(said), Filter=pikepdf.Name.FlateDecode)
        resources = found.get("/Resources", pikepdf.Dictionary())
        found["/Resources"] = self._named(resources, self._used(said), depth=0)

    def _used(self, content: bytes) -> set[str]:
        return {"/" + _HEX.sub(_as_sign, name).decode("utf-8", "replace") for name in _NAME.findall(content)}

    def _named(self, resources: Any, used: set[str], depth: int) -> pikepdf.Dictionary:  # noqa: ANN401
        """Of a dictionary of resources, what is used (7.8.3); what forms use of their own is looked at likewise."""
        used = self._with_forms(resources, used)
        found = pikepdf.Dictionary()
        for kind in resources.keys():  # noqa: SIM118  it is no mapping
            if isinstance(resources[kind], pikepdf.Dictionary):
                kept = {name: value for name, value in entries(resources, kind) if name in used}
                if kept:
                    found[kind] = pikepdf.Dictionary(kept)
                for value in kept.values():
                    self._prune(value, depth)
            elif kind == "/ProcSet":
                found[kind] = resources[kind]
        return found

    def _with_forms(self, resources: Any, used: set[str]) -> set[str]:  # noqa: ANN401
        """What is used, with what forms use that have no resources of their own: they use those of the page."""
        forms = {name: form for name, form in entries(resources, "/XObject") if is_form(form)}
        found, waiting = set(used), [name for name in forms if name in used]
        while waiting:
            form = forms[waiting.pop()]
            more = self._used(data_of(form)) - found if "/Resources" not in form else set()
            found |= more
            waiting += [name for name in forms if name in more]
        return found

    def _prune(self, part: Any, depth: int) -> None:  # noqa: ANN401
        """Leave a form, a pattern or a face nothing but what it uses itself."""
        if not isinstance(part, (pikepdf.Stream, pikepdf.Dictionary)) or "/Resources" not in part or depth > 20:
            return
        if part.is_indirect:  # else it has no number by which it is known
            if part.objgen in self._pruned:
                return
            self._pruned.add(part.objgen)
        said = data_of(part) if isinstance(part, pikepdf.Stream) else b"".join(map(data_of, glyphs(part)))
        part["/Resources"] = self._named(part["/Resources"], self._used(said), depth + 1)
        for name in ("/PieceInfo", "/Metadata", "/StructParent", "/StructParents", "/LastModified"):
            if name in part:
                del part[name]


def put_in(drawn: bytes, pages: Mapping[int, tuple[Cutter, int]]) -> bytes:
    """A file with pages of runs under some of its own, which have their size; the same input gives the same bytes.

    Args:
        drawn: The file.
        pages: Page of the file, from 0 → a run and a page of it, from 1.
    """
    with pikepdf.open(io.BytesIO(drawn)) as target:
        for at, (cutter, number) in pages.items():
            page, source = target.pages[at], cutter.page(number)
            width, height = seen_size(source)
            _lay_under(target, page, source, pikepdf.Rectangle(0, 0, width, height))
            links = _moved_links(source)
            if links:
                page.obj["/Annots"] = pikepdf.Array([target.make_indirect(link) for link in links])
        if any(cutter.has_layers for cutter, _ in pages.values()):
            _keep_layers(target)
        data = io.BytesIO()
        target.save(data, deterministic_id=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return data.getvalue()


def _lay_under(target: pikepdf.Pdf, page: pikepdf.Page, source: pikepdf.Page, place: pikepdf.Rectangle) -> None:
    """Put a page under what another one shows; in a tagged file it is the first marked piece of that (14.7.4.2)."""
    form = source.as_form_xobject()
    shown = page.calc_form_xobject_placement(form, page.add_resource(form, pikepdf.Name.XObject), place)
    if "/StructTreeRoot" in target.Root:
        shown = b"/P <</MCID 0>> BDC\n" + shown + b"EMC\n"
    page.contents_add(b"q\n", prepend=True)
    page.contents_add(b"Q\n", prepend=False)
    page.contents_add(shown, prepend=True)
    page.contents_coalesce()


def seen_size(page: pikepdf.Page) -> tuple[float, float]:
    """Width and height of a page as it is seen, in points."""
    left, bottom, right, top = (float(part) for part in page.cropbox)
    turned = int(page.obj.get("/Rotate", 0)) % 180 == 90
    return (abs(top - bottom), abs(right - left)) if turned else (abs(right - left), abs(top - bottom))


def _moved_links(page: pikepdf.Page) -> list[pikepdf.Dictionary]:
    """The links of a page for one on which it lies as it is seen, its lower left corner at the origin."""
    found = []
    for note in _notes(page):
        left, bottom, right, top = (float(part) for part in note["/Rect"])
        (x, y), (to_x, to_y) = _seen(page, left, bottom), _seen(page, right, top)
        place = [min(x, to_x), min(y, to_y), max(x, to_x), max(y, to_y)]
        action = pikepdf.Dictionary(S=pikepdf.Name.URI, URI=str(note["/A"]["/URI"]))
        found.append(
            pikepdf.Dictionary(
                {"/Type": pikepdf.Name.Annot, "/Subtype": pikepdf.Name.Link, "/Rect": place, "/A": action}
                | {"/Border": [0, 0, 0]}
            )
        )
    return found


def _seen(page: pikepdf.Page, x: float, y: float) -> tuple[float, float]:
    """A point of a page's own space from the lower left corner of the page as it is seen (ISO 32000-1, 8.3.2)."""
    left, bottom, right, top = (float(part) for part in page.cropbox)
    match int(page.obj.get("/Rotate", 0)) % 360:
        case 90:
            return y - bottom, right - x
        case 180:
            return right - x, top - y
        case 270:
            return top - y, x - left
        case _:
            return x - left, y - bottom


def troubles(path: Path, password: str = "") -> tuple[str, ...]:
    """What is odd about a run as a whole, each in a sentence without a full stop.

    Raises:
        DataError: it is no PDF that can be read, or is locked.
    """
    found = []
    with _opened(path, password) as pdf:
        if pdf.get_warnings():
            found.append(f"{path.name} is damaged, and was read as well as can be: compare its pages")
        form = pdf.Root.get("/AcroForm")
        if isinstance(form, pikepdf.Dictionary) and int(form.get("/SigFlags", 0)) & 1:
            found.append(f"{path.name} is signed: its signature is void in every part of it")
    return tuple(found)


def _opened(source: Path | bytes, password: str) -> pikepdf.Pdf:
    where = source.name if isinstance(source, Path) else ""
    try:
        found = source if isinstance(source, Path) else io.BytesIO(source)
        return pikepdf.open(found, password=password, suppress_warnings=True)
    except pikepdf.PasswordError as error:
        fix = "Write `password: ${NAME}` and set NAME in the environment"
        raise DataError("this PDF is locked by a password", where=where, fix=fix) from error
    except pikepdf.PdfError as error:
        raise DataError("this is no PDF that can be read", where=where, fix=_ANEW) from error


def together(parts: Sequence[tuple[Cutter, Sequence[int]]], title: str) -> bytes:
    """Pages of several runs, in this order, as one file."""
    target = pikepdf.new()
    for cutter, numbers in parts:
        for number in numbers:
            target.pages.append(cutter.page(number))
    if any(cutter.has_layers for cutter, _ in parts):
        _keep_layers(target)
    target.trailer["/Info"] = target.make_indirect(pikepdf.Dictionary(Title=title, Producer="Gonnet"))
    data = io.BytesIO()
    target.save(data, deterministic_id=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return data.getvalue()


def _mark_layers(source: pikepdf.Pdf) -> None:
    """Note at each layer whether it is hidden, since a part has no list of all layers to say so."""
    found = source.Root.get("/OCProperties", pikepdf.Dictionary())
    usual = found.get("/D", pikepdf.Dictionary())
    shown = {layer.objgen for layer in usual.get("/ON", pikepdf.Array())}
    hidden = {layer.objgen for layer in usual.get("/OFF", pikepdf.Array())}
    for layer in found.get("/OCGs", pikepdf.Array()):
        off = layer.objgen not in shown if usual.get("/BaseState") == "/OFF" else layer.objgen in hidden
        if off:
            layer["/GonnetHidden"] = True


def _keep_layers(target: pikepdf.Pdf) -> None:
    """Say of the layers that pages use what they are without being asked: shown, or not (8.11.4)."""
    layers = [part for part in target.objects if isinstance(part, pikepdf.Dictionary) and part.get("/Type") == "/OCG"]
    if layers:
        hidden = pikepdf.Array([layer for layer in layers if layer.get("/GonnetHidden", False)])
        for layer in layers:
            if "/GonnetHidden" in layer:
                del layer["/GonnetHidden"]
        usual = pikepdf.Dictionary(OFF=hidden) if len(hidden) else pikepdf.Dictionary()
        target.Root["/OCProperties"] = pikepdf.Dictionary(OCGs=pikepdf.Array(layers), D=usual)


def _inherited(part: pikepdf.Object, name: str) -> Any:  # noqa: ANN401
    for _ in range(50):
        if name in part:
            return part[name]
        if "/Parent" not in part:
            return None
        part = part["/Parent"]
    return None


def _notes(page: pikepdf.Page) -> list[Any]:
    found = page.obj.get("/Annots")
    return [note for note in found if isinstance(note, pikepdf.Dictionary)] if found is not None else []


def _has_notes(page: pikepdf.Page) -> bool:
    return any(note.get("/Subtype") != "/Link" for note in _notes(page))


def _leads_out(note: Any) -> bool:  # noqa: ANN401
    action = note.get("/A")
    return note.get("/Subtype") == "/Link" and action is not None and action.get("/S") == "/URI"


def _link(note: Any) -> pikepdf.Dictionary:  # noqa: ANN401
    """A link to the web, with nothing else."""
    kept = {name: note[name] for name in ("/Rect", "/QuadPoints", "/Border", "/BS", "/H") if name in note}
    action = pikepdf.Dictionary(S=pikepdf.Name.URI, URI=note["/A"]["/URI"])
    return pikepdf.Dictionary({"/Type": pikepdf.Name.Annot, "/Subtype": pikepdf.Name.Link, "/A": action, **kept})


def _as_sign(found: re.Match[bytes]) -> bytes:
    return bytes([int(found[1], 16)])
