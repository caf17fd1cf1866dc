"""The house style: pages, faces, watermark, and what a file says of itself."""

from __future__ import annotations

import io
import sys
import zipfile
from pathlib import Path
from typing import Any

import pypdfium2
import pytest
from PIL import Image

from gonnet.demo import logo
from gonnet.errors import JobError
from gonnet.reports import draw
from gonnet.reports.plans.models import Picture
from opened import laid, many_rows, pdf_pages, unpacked
from support import SETTINGS, Dairy

FONTS = Path(__file__).parents[2] / "src" / "gonnet" / "reports" / "fonts"
LOCALE = "locale: en_IE"


def styled(dairy: Dairy, style: str = "", report: str = "", job: str = "") -> Any:  # noqa: ANN401
    """Bytes of the statement of farm 117 as a PDF."""
    settings = SETTINGS.replace("PORT", str(dairy.port))
    dairy.write("gonnet.yaml", settings.replace(LOCALE, f"{LOCALE}{style}"))
    changes = [("    blocks:", f"{report}    blocks:")] if report else []
    changes += [("title: Milk statements\n", f"title: Milk statements\n{job}")] if job else []
    layout, look = laid(dairy, "117", *changes)
    return draw(layout, "pdf", look).data


@pytest.mark.parametrize(
    ("style", "report", "expected"),
    [
        ("", "", (595, 842)),
        (", paper: Letter", "", (612, 792)),
        (", paper: Letter", "    paper: A5\n    landscape: true\n", (595, 420)),
        ("", "    paper: A3\n", (842, 1191)),
    ],
)
def test_a_page_has_the_size_that_the_report_or_the_style_says(
    dairy: Dairy, style: str, report: str, expected: tuple[int, int]
) -> None:
    width, height = pypdfium2.PdfDocument(styled(dairy, style, report))[0].get_size()
    assert (round(width), round(height)) == expected


def test_margins_and_size_change_how_much_fits_a_page(dairy: Dairy) -> None:
    many_rows(dairy, 150)
    ways = [("",), (", size: 14",), ("", "    margins: [60, 18, 60, 18]\n")]
    usual, larger, narrower = (len(pdf_pages(styled(dairy, *way))) for way in ways)
    assert usual < larger
    assert usual < narrower


def test_a_job_changes_what_it_says_of_the_style_and_nothing_else(dairy: Dairy) -> None:
    data = styled(dairy, ", page_count: 'Seite {} von {}'", job="style: {currency: GBP}\n")
    (page,) = pdf_pages(data)
    assert "£780.51" in page
    assert "Seite 1 von 1" in page
    assert "Tarnvale Dairy Cooperative" in page


@pytest.mark.parametrize(
    "options", ["", ", under: false, angle: 0, opacity: 0.5, place: top, weight: regular, size: 40"]
)
def test_a_watermark_lies_on_every_page(dairy: Dairy, options: str) -> None:
    many_rows(dairy, 100)
    pages = pdf_pages(styled(dairy, f", watermark: {{text: SPECIMEN{options}}}"))
    assert ["SPECIMEN" in page for page in pages] == [True] * len(pages)


def test_a_file_says_its_title_author_language_and_headings(dairy: Dairy) -> None:
    layout, look = laid(dairy, "117", ('text: "Collected in October."', 'heading: "Milk of {{ key }}"'))
    data = draw(layout, "pdf", look).data
    document = pypdfium2.PdfDocument(data)
    assert document.get_metadata_dict()["Title"] == "Statement of Łąka Górna"
    assert document.get_metadata_dict()["Author"] == "Tarnvale Dairy Cooperative"
    assert b"/Lang (en-IE)" in unpacked(data)
    assert [entry.get_title() for entry in document.get_toc()] == ["Milk of 117"]


def test_a_logo_and_own_faces_are_embedded(dairy: Dairy) -> None:
    logo.write(dairy.folder / "logo.png")
    for name in ("NotoSans-Italic.ttf", "NotoSans-BoldItalic.ttf"):
        (dairy.folder / name).write_bytes((FONTS / name).read_bytes())
    fonts = "{regular: NotoSans-Italic.ttf, bold: NotoSans-BoldItalic.ttf}"
    data = styled(dairy, f", logo: logo.png, fonts: {fonts}")
    objects = unpacked(data)
    assert b"+NotoSans-Italic" in objects
    assert b"+NotoSans-Regular" not in objects
    assert b"/Subtype /Image" in objects
    assert "Tarnvale Dairy Cooperative" not in pdf_pages(data)[0]


DRAWING = """<svg xmlns="http://www.w3.org/2000/svg" width="60" height="30">
<path d="M0 30 L30 0 L60 30 Z" fill="#ff0000"/></svg>"""


def test_a_drawing_in_svg_is_a_picture_in_every_format(dairy: Dairy) -> None:
    dairy.write("hill.svg", DRAWING)
    block = ('- text: "Collected in October."', "- {image: hill.svg, alt: A hill, width: 30}")
    layout, look = laid(dairy, "117", block)
    (picture,) = [block for block in layout.blocks if isinstance(block, Picture)]
    with Image.open(io.BytesIO(picture.data)) as image:
        pixels = image.convert("RGBA")
    assert (round(picture.width / picture.height, 2), pixels.size[0] > 600) == (2.0, True)
    middle, corner = (pixels.getpixel(at) for at in ((pixels.size[0] // 2, pixels.size[1] // 2), (1, 1)))
    assert (middle, corner[3]) == ((255, 0, 0, 255), 0)  # type: ignore[index]
    assert b"/Subtype /Image" in unpacked(draw(layout, "pdf", look).data)
    assert "xl/media/image1.png" in zipfile.ZipFile(io.BytesIO(draw(layout, "xlsx", look).data)).namelist()
    assert laid(dairy, "117", block)[0].blocks[1] == picture


@pytest.mark.parametrize("text", ["<svg", "no drawing", DRAWING.replace("60", "0")])
def test_a_drawing_that_cannot_be_read_is_told(dairy: Dairy, text: str) -> None:
    dairy.write("hill.svg", text)
    with pytest.raises(JobError, match=r"hill\.svg is no SVG drawing that can be read"):
        laid(dairy, "117", ('- text: "Collected in October."', "- {image: hill.svg, alt: A hill}"))


def test_svg_without_its_extra_names_the_line_that_installs_it(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "svglib.svglib", None)
    dairy.write("hill.svg", DRAWING)
    with pytest.raises(JobError, match=r"pip install 'gonnet\[svg\]'"):
        laid(dairy, "117", ('- text: "Collected in October."', "- {image: hill.svg, alt: A hill}"))


@pytest.mark.parametrize(
    ("style", "says"),
    [
        (", paper: A7", "'A7' is not a value of 'paper'"),
        (", accent: green", "'green' is not a colour"),
        (", page_count: 'page {}'", "holds {} twice"),
        (", logo: nothing.png", "nothing.png cannot be read"),
        (", fonts: {regular: milk.csv, bold: milk.csv}", "the font milk.csv cannot be used"),
        (", fonts: {regular: nothing.ttf, bold: nothing.ttf}", "the font nothing.ttf cannot be used"),
        (", margins: 2", "must be at least 5, this is 2"),
    ],
)
def test_a_style_that_cannot_be_used_is_told(dairy: Dairy, style: str, says: str) -> None:
    with pytest.raises(JobError, match=says):
        styled(dairy, style)
