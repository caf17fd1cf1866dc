"""Parts of runs: they look like their pages, and have nothing of anybody else's in them."""

from __future__ import annotations

import io
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pikepdf
import pypdfium2
import pytest
from reportlab.pdfgen.canvas import Canvas

from gonnet.arrivals import read_run
from gonnet.arrivals.cutting import Cutter, put_in, seen_size
from gonnet.arrivals.models import unpacked
from gonnet.arrivals.pages import Pages
from gonnet.arrivals.showing import Showing
from gonnet.checks import read_any
from gonnet.checks.reading.pdf_texts import parts_of_pdf
from gonnet.checks.reading.whole_pdf import known_pages
from gonnet.errors import DataError
from gonnet.jobs.arrivals import KeyFrom, PdfRun, Within
from runs import PROGRAMS, made_by, require

SPEC = PdfRun(pdf="run.pdf", key=KeyFrom(text=r"Farm no\. (\w+)"))
PAGES = [("00042", "one of ours"), ("117", "fat 4.1"), ("117", "cells 180"), ("00118", "the last"), ("B119", "more")]
OTHER = "Hallbank"


def cut(path: Path, *keys: str, spec: PdfRun = SPEC, password: str = "") -> dict[str, bytes]:
    """The parts of a run, by key."""
    found = read_run("run", spec, path, None, password)
    cutter = Cutter(path, password)
    wanted = keys or tuple(dict.fromkeys(page.key for page in found.pages if page.key))
    return {key: cutter.part([page.number for page in found.pages if page.key == key], key) for key in wanted}


def pixels(document: Any, at: int) -> bytes:  # noqa: ANN401
    return bytes(pypdfium2.PdfDocument(document)[at].render(scale=1.2).to_pil().tobytes())


def text_of(data: bytes, tmp_path: Path) -> str:
    """What Ghostscript reads: another reader than the one that found the keys."""
    file = tmp_path / "part.pdf"
    file.write_bytes(data)
    done = subprocess.run(
        ["gs", "-q", "-dBATCH", "-dNOPAUSE", "-sDEVICE=txtwrite", "-o", "-", str(file)], capture_output=True, check=True
    )
    return done.stdout.decode("utf-8")


def uncompressed(data: bytes) -> bytes:
    """All of a file's objects as they are, without compression."""
    with pikepdf.open(io.BytesIO(data)) as pdf:
        plain = io.BytesIO()
        pdf.save(plain, compress_streams=False, stream_decode_level=pikepdf.StreamDecodeLevel.all)
    return plain.getvalue()


@pytest.mark.parametrize("program", PROGRAMS)
def test_a_part_looks_like_its_pages_and_is_no_larger_than_they(tmp_path: Path, program: str) -> None:
    require("gs", "qpdf")
    path = made_by(program, PAGES, tmp_path / "run.pdf")
    parts = cut(path)
    assert list(parts) == ["00042", "117", "00118", "B119"]
    at = 0
    for key, data in parts.items():
        said = [text for owner, text in PAGES if owner == key]
        assert cut(path, key)[key] == data  # the same pages give the same bytes
        (tmp_path / "part.pdf").write_bytes(data)
        subprocess.run(["qpdf", "--check", str(tmp_path / "part.pdf")], check=True, capture_output=True)
        first, last = at + 1, at + len(said)
        subprocess.run(
            ["qpdf", str(path), "--pages", ".", f"{first}-{last}", "--", str(tmp_path / "usual.pdf")], check=True
        )
        assert len(data) <= 1.2 * (tmp_path / "usual.pdf").stat().st_size
        for number in range(len(said)):
            assert pixels(data, number) == pixels(path, at)
            at += 1
        there = " ".join(" ".join(text for _, texts in read_any(data, "part.pdf").parts for text in texts).split())
        for owner, text in PAGES:
            assert (text in there) == (owner == key)
            assert (text in " ".join(text_of(data, tmp_path).split())) == (owner == key)


def drawn(tmp_path: Path, *texts: str) -> Path:
    """A run of one page for each text, drawn here so that things can be hidden in it."""
    path = tmp_path / "run.pdf"
    canvas = Canvas(str(path), pagesize=(400, 300))
    for text in texts:
        for at, line in enumerate(text.split("\n")):
            canvas.drawString(40, 250 - 15 * at, line)
        canvas.showPage()
    canvas.save()
    return path


def _image(pdf: pikepdf.Pdf, said: str) -> pikepdf.Stream:
    return pikepdf.Stream(pdf, said.encode().ljust(768), Type=pikepdf.Name.XObject, Subtype=pikepdf.Name.Image, Width=16, Height=16,
                          ColorSpace=pikepdf.Name.DeviceRGB, BitsPerComponent=8)  # fmt: skip


def shared_resources(pdf: pikepdf.Pdf) -> None:
    pictures = pikepdf.Dictionary({f"/Im{at}": _image(pdf, OTHER if at else "mine") for at in range(2)})
    form = pikepdf.Stream(pdf, b"/Im0 Do", Type=pikepdf.Name.XObject, Subtype=pikepdf.Name.Form, BBox=[0, 0, 1, 1],
                          Resources=pikepdf.Dictionary(XObject=pictures))  # fmt: skip
    fonts = pdf.pages[0].obj.Resources.Font
    resources = pdf.make_indirect(pikepdf.Dictionary(Font=fonts, XObject={"/Fm": form, **dict(pictures.items())}))
    for page in pdf.pages:
        page.obj.Resources = resources
        page.contents_add(b"q 20 0 0 20 40 40 cm /Fm Do /Im0 Do Q")


def faces_in_place(pdf: pikepdf.Pdf) -> None:
    """Two faces of drawn signs that are no objects of their own, each with the pictures of all."""
    pictures = pikepdf.Dictionary(X=_image(pdf, OTHER))
    glyph = pikepdf.Stream(pdf, b"1000 0 0 0 750 750 d1 0 0 750 750 re f")
    for page in pdf.pages:
        for name in ("/T1", "/T2"):
            page.obj.Resources.Font[name] = pikepdf.Dictionary(
                Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type3, FontBBox=[0, 0, 750, 750], FirstChar=97, LastChar=97,
                FontMatrix=pikepdf.Array([0.001, 0, 0, 0.001, 0, 0]), Widths=[1000], CharProcs=pikepdf.Dictionary(a=glyph),
                Encoding=pikepdf.Dictionary(Type=pikepdf.Name.Encoding, Differences=[97, pikepdf.Name.a]),
                Resources=pikepdf.Dictionary(XObject=pictures),
            )  # fmt: skip
        page.contents_add(b"BT /T1 12 Tf 40 90 Td (a) Tj /T2 12 Tf 40 0 Td (a) Tj ET")


def forms_in_forms(pdf: pikepdf.Pdf) -> None:
    """A form in a form, neither with resources of its own: both use those of the page."""
    form = {"Type": pikepdf.Name.XObject, "Subtype": pikepdf.Name.Form, "BBox": [0, 0, 1, 1]}
    for page in pdf.pages:
        page.obj.Resources.XObject = pikepdf.Dictionary(
            Outer=pikepdf.Stream(pdf, b"/Inner Do", **form), Inner=pikepdf.Stream(pdf, b"/Ours Do", **form),
            Ours=_image(pdf, "ours"), Theirs=_image(pdf, OTHER),
        )  # fmt: skip
        page.contents_add(b"q 30 0 0 30 60 60 cm /Outer Do Q")


def bookmarks(pdf: pikepdf.Pdf) -> None:
    with pdf.open_outline() as outline:
        outline.root.extend([pikepdf.OutlineItem("Ours", 0), pikepdf.OutlineItem(OTHER, 1)])


def structure(pdf: pikepdf.Pdf) -> None:
    parts = [pdf.make_indirect(pikepdf.Dictionary(S=pikepdf.Name.P, Alt=OTHER, Pg=page.obj)) for page in pdf.pages]
    pdf.Root.StructTreeRoot = pdf.make_indirect(
        pikepdf.Dictionary(Type=pikepdf.Name.StructTreeRoot, K=pikepdf.Array(parts))
    )
    pdf.pages[0].obj.StructParents = 0


def metadata(pdf: pikepdf.Pdf) -> None:
    with pdf.open_metadata() as meta:
        meta["dc:description"] = OTHER
    pdf.docinfo["/Subject"] = OTHER


def attachment(pdf: pikepdf.Pdf) -> None:
    pdf.attachments["list.txt"] = pikepdf.AttachedFileSpec(pdf, OTHER.encode(), description=OTHER)


def names_and_labels(pdf: pikepdf.Pdf) -> None:
    where = pikepdf.Array([pdf.pages[1].obj, pikepdf.Name.Fit])
    pdf.Root.Names = pikepdf.Dictionary(Dests=pikepdf.Dictionary(Names=pikepdf.Array([OTHER, where])))
    pdf.Root.PageLabels = pikepdf.Dictionary(Nums=pikepdf.Array([0, pikepdf.Dictionary(P=OTHER)]))
    pdf.Root.OpenAction = pikepdf.Dictionary(S=pikepdf.Name.JavaScript, JS=f"app.alert('{OTHER}')")


def notes(pdf: pikepdf.Pdf) -> None:
    page = pdf.pages[0].obj
    goes = pikepdf.Dictionary(Type=pikepdf.Name.Annot, Subtype=pikepdf.Name.Link, Rect=[0, 0, 9, 9], Dest=OTHER)
    said = pikepdf.Dictionary(
        Type=pikepdf.Name.Annot, Subtype=pikepdf.Name.Text, Rect=[0, 0, 9, 9], F=2, Contents=OTHER
    )
    page.Annots = pikepdf.Array([pdf.make_indirect(note) for note in (goes, said)])
    page.Thumb = _image(pdf, OTHER)
    page.PieceInfo = pikepdf.Dictionary(Maker=pikepdf.Dictionary(Private=OTHER))
    page.AA = pikepdf.Dictionary(O=pikepdf.Dictionary(S=pikepdf.Name.JavaScript, JS=OTHER))


def layers(pdf: pikepdf.Pdf) -> None:
    made = [pdf.make_indirect(pikepdf.Dictionary(Type=pikepdf.Name.OCG, Name=name)) for name in ("ours", OTHER)]
    pdf.Root.OCProperties = pikepdf.Dictionary(
        OCGs=pikepdf.Array(made), D=pikepdf.Dictionary(OFF=pikepdf.Array(made[:1]))
    )
    for page, layer in zip(pdf.pages, made, strict=False):
        page.obj.Resources.Properties = pikepdf.Dictionary({"/MC0": layer})
        page.contents_add(b"/OC /MC0 BDC BT /F1 12 Tf 40 100 Td (in a layer) Tj ET EMC")


HIDDEN = [
    shared_resources,
    faces_in_place,
    forms_in_forms,
    bookmarks,
    structure,
    metadata,
    attachment,
    names_and_labels,
    notes,
    layers,
]


@pytest.mark.parametrize("hide", HIDDEN)
def test_what_a_run_hides_of_others_is_in_no_part(tmp_path: Path, hide: Callable[[pikepdf.Pdf], None]) -> None:
    path = drawn(tmp_path, "Farm no. 117", f"Farm no. 118\n{OTHER}")
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        hide(pdf)
        pdf.save(path)
    assert OTHER.encode() in uncompressed(path.read_bytes()).replace(b"\0", b"")
    part = cut(path, "117")["117"]
    assert OTHER.encode() not in uncompressed(part)
    assert OTHER.encode("utf-16-be") not in uncompressed(part)
    assert pixels(part, 0) == pixels(path, 0)


def test_an_earlier_state_of_a_run_is_in_no_part(tmp_path: Path) -> None:
    path = drawn(tmp_path, f"Farm no. 117\n{OTHER}", "Farm no. 118")
    with pikepdf.open(path) as pdf:
        content = pdf.pages[0].obj.Contents.objgen[0]
        size = int(pdf.trailer.Size)
        root = pdf.Root.objgen[0]
    before = path.read_bytes()
    start = before.rindex(b"startxref") + len("startxref\n")
    last = before[start:].split()[0].decode()
    text = b"BT /F1 12 Tf 40 250 Td (Farm no. 117) Tj ET"
    new = b"%d 0 obj\n<< /Length %d >>\nstream\n%s\nendstream\nendobj\n" % (content, len(text), text)
    table = b"xref\n%d 1\n%010d 00000 n \n" % (content, len(before))
    end = b"trailer\n<< /Size %d /Root %d 0 R /Prev %s >>\nstartxref\n%d\n%%%%EOF\n" % (
        size,
        root,
        last.encode(),
        len(before) + len(new),
    )
    path.write_bytes(before + new + table + end)
    part = cut(path, "117")["117"]
    assert OTHER.encode() not in uncompressed(part)
    assert "Farm no. 117" in str(read_any(part, "part.pdf").parts)


def test_what_notes_and_forms_show_becomes_part_of_the_page(tmp_path: Path) -> None:
    path = tmp_path / "run.pdf"
    canvas = Canvas(str(path), pagesize=(400, 300))
    for key in ("117", "118"):
        canvas.drawString(40, 250, f"Farm no. {key}")
        canvas.acroForm.textfield(name=f"field {key}", value=f"filled in for {key}", x=40, y=150, width=200, height=20)
        canvas.showPage()
    canvas.save()
    part = cut(path, "117")["117"]
    with pikepdf.open(io.BytesIO(part)) as pdf:
        assert "/AcroForm" not in pdf.Root
        assert "/Annots" not in pdf.pages[0].obj
    assert "filled in for 117" in str(read_any(part, "part.pdf").parts)
    assert b"for 118" not in uncompressed(part)
    assert b"field" not in uncompressed(part)


@pytest.mark.parametrize(("turned", "inherits"), [(0, False), (0, True), (90, False), (180, False), (270, True)])
def test_a_place_is_meant_as_the_page_is_seen(tmp_path: Path, turned: int, inherits: bool) -> None:
    path = drawn(tmp_path, "Farm no. 117", "Farm no. 118")
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        for sheet in pdf.pages:
            where = sheet.obj.Parent if inherits else sheet.obj
            where.MediaBox, where.CropBox = pikepdf.Array([0, 0, 400, 300]), pikepdf.Array([10, 20, 390, 290])
            where.Rotate = turned
            for name in ("/MediaBox", "/CropBox", "/Rotate") if inherits else ():
                if name in sheet.obj:
                    del sheet.obj[name]
        pdf.save(path)
    pages = Pages(path)
    with pages.page(1) as page:
        (word,) = (word for word in page.words() if word.text == "117")
        inside = Within(left=word.left - 1, top=word.top - 1, width=word.width + 2, height=word.height + 2)
        beside = Within(left=word.left + word.width + 2, top=word.top + word.height + 2, width=30, height=30)
        assert (page.text(inside).strip(), page.text(beside)) == ("117", "")
        picture = pypdfium2.PdfDocument(path)[0].render(scale=4 * 25.4 / 72, grayscale=True).to_pil()
        left, top = round(4 * word.left), round(4 * word.top)  # four pixels to the millimetre
        box = picture.crop((left, top, left + round(4 * word.width), top + round(4 * word.height)))
        assert box.getextrema()[0] < 128
    spec = SPEC.model_copy(update={"key": KeyFrom(text=r"(\w+)", within=inside)})
    part = cut(path, "117", spec=spec)["117"]
    assert pixels(part, 0) == pixels(path, 0)


def test_a_locked_run_opens_with_its_password_and_its_parts_are_open(tmp_path: Path) -> None:
    path = drawn(tmp_path, "Farm no. 117", "Farm no. 118")
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        pdf.save(path, encryption=pikepdf.Encryption(owner="office", user="milk"))
    assert "Farm no. 117" in str(read_any(cut(path, "117", password="milk")["117"], "part.pdf").parts)
    for password, said in (("", "this PDF is locked by a password"), ("tea", "the password does not open this PDF")):
        with pytest.raises(DataError, match=said):
            cut(path, password=password)


@pytest.mark.parametrize("damage", [lambda data: data[:200], lambda data: b"", lambda data: b"Farm no. 117"])
def test_what_is_no_pdf_is_told_with_its_name(tmp_path: Path, damage: Callable[[bytes], bytes]) -> None:
    path = drawn(tmp_path, "Farm no. 117")
    path.write_bytes(damage(path.read_bytes()))
    with pytest.raises(DataError, match="this is no PDF that can be read"):
        cut(path)


@pytest.mark.parametrize("content", [b"[ null ]", b"[]", b"<< /Length 0 >>"])
def test_a_page_without_content_is_cut_too(content: bytes) -> None:
    data = io.BytesIO()
    with pikepdf.new() as pdf:
        pdf.add_blank_page().obj["/Contents"] = pikepdf.Object.parse(content)
        pdf.save(data)
    assert [place for place, _ in parts_of_pdf(Cutter(data.getvalue()).part([1], "part"))][-1] == "page 1"


def test_a_run_that_lost_its_table_is_repaired(tmp_path: Path) -> None:
    path = drawn(tmp_path, "Farm no. 117", "Farm no. 118")
    path.write_bytes(path.read_bytes().replace(b"startxref", b"startxxxx"))
    assert "Farm no. 118" in str(read_any(cut(path, "118")["118"], "part.pdf").parts)


@pytest.mark.parametrize("turned", [0, 90, 180, 270])
def test_a_link_stays_over_its_words_among_other_pages(tmp_path: Path, turned: int) -> None:
    canvas = Canvas(str(tmp_path / "run.pdf"), pagesize=(400, 300))
    canvas.drawString(60, 200, "linked")
    canvas.linkURL("https://tarnvale.example/117", (58, 196, 100, 214))
    canvas.setPageRotation(turned)
    canvas.showPage()
    canvas.save()
    cutter = Cutter(tmp_path / "run.pdf")
    width, height = seen_size(cutter.page(1))
    blank = io.BytesIO()
    target = Canvas(blank, pagesize=(width, height))
    target.showPage()
    target.save()
    joined = put_in(blank.getvalue(), {0: (cutter, 1)})
    with pikepdf.open(io.BytesIO(joined)) as pdf:
        (note,) = pdf.pages[0].obj["/Annots"]
        left, bottom, right, top = (float(part) for part in note["/Rect"])
    texts = pypdfium2.PdfDocument(joined)[0].get_textpage()
    boxes = [texts.get_charbox(at) for at in range(len("linked"))]
    assert left <= min(box[0] for box in boxes)
    assert right >= max(box[2] for box in boxes)
    assert bottom <= min(box[1] for box in boxes)
    assert top >= max(box[3] for box in boxes)


@pytest.mark.parametrize("program", PROGRAMS)
def test_what_was_read_of_a_page_is_what_a_part_says(tmp_path: Path, program: str) -> None:
    """So that a part whose pages show the same need not be read once more; one that shows something else is."""
    path = made_by(program, PAGES, tmp_path / "run.pdf")
    pages = read_run("run", SPEC, path, None, "").pages
    cutter = Cutter(path)
    for page in pages:
        data = cutter.part([page.number], "part")
        (place, (said, *_)) = next(part for part in parts_of_pdf(data) if part[0] == "page 1")
        assert (place, unpacked(page.text)) == ("page 1", said)
        same = known_pages(data, [said], lambda found: Showing().of(found.pages[0]) == cutter.shown(page.number))  # noqa: B023
        assert same is not None
        assert same.parts[0] == ("page 1", (said,))
        assert known_pages(data, [said], lambda _: False) is None
    assert len({cutter.shown(page.number) for page in pages}) == len(pages)


def test_a_page_that_shows_more_is_known_as_another(tmp_path: Path) -> None:
    """By its own content, by a form that it uses, and by what its faces say."""
    data = io.BytesIO()
    canvas = Canvas(data, pagesize=(400, 300))
    for text in ("one", "one", "two"):
        canvas.beginForm(f"form {canvas.getPageNumber()}")
        canvas.drawString(60, 100, text if canvas.getPageNumber() == 3 else "same")
        canvas.endForm()
        canvas.doForm(f"form {canvas.getPageNumber()}")
        canvas.drawString(60, 200, "one")
        canvas.showPage()
    canvas.save()
    with pikepdf.open(io.BytesIO(data.getvalue())) as pdf:
        first, second, third = map(Showing().of, pdf.pages)
        assert third not in (first, second)
        attached = io.BytesIO()
        pdf.attachments["more.txt"] = b"Hallbank"
        pdf.save(attached)
    assert known_pages(attached.getvalue(), ["one"] * 3, lambda _: True) is None
