"""Files of other programs with a text at a place where it may be missed: made byte by byte, as small as they can be."""

from __future__ import annotations

import base64
import io
import json
import zipfile
from collections.abc import Callable, Mapping
from email.message import EmailMessage
from html import escape
from typing import Any

import pikepdf
from pikepdf import Array, Dictionary, Name, String
from reportlab.pdfgen.canvas import Canvas

PNG = b"\x89PNG\r\n\x1a\n" + bytes(16)
_W = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
_S = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'


def zipped(members: Mapping[str, str | bytes], comment: bytes = b"") -> bytes:
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in members.items():
            archive.writestr(name, content)
        archive.comment = comment
    return target.getvalue()


def _office(members: Mapping[str, str | bytes]) -> bytes:
    return zipped({"[Content_Types].xml": "<Types/>"} | dict(members))


def _docx(body: str, **more: str | bytes) -> bytes:
    return _office({"word/document.xml": f"<w:document {_W}><w:body>{body}</w:body></w:document>"} | more)


def _words(text: str) -> str:
    """A paragraph in which every character is a run of its own."""
    look = '<w:rPr><w:rFonts w:ascii="A"/><w:lang w:val="en-IE"/><w:noProof/></w:rPr>'
    runs = "<w:proofErr/>".join(f"<w:r>{look}<w:t>{escape(sign)}</w:t></w:r>" for sign in text)
    return f"<w:p><w:pPr><w:pStyle/></w:pPr><w:hyperlink>{runs}</w:hyperlink></w:p>"


def _xlsx(sheet: str = "", **more: str | bytes) -> bytes:
    members = {
        "xl/workbook.xml": f'<workbook {_S}><sheets><sheet name="One"/></sheets></workbook>',
        "xl/worksheets/sheet1.xml": f"<worksheet {_S}><sheetData>{sheet}</sheetData></worksheet>",
    }
    return _office(members | {name.replace("__", "/"): content for name, content in more.items()})


def _pdf(change: Callable[[pikepdf.Pdf], object] = lambda document: None, text: str = "Terms") -> bytes:
    drawn = io.BytesIO()
    canvas = Canvas(drawn)
    canvas.drawString(72, 700, text)
    canvas.save()
    target = io.BytesIO()
    with pikepdf.open(io.BytesIO(drawn.getvalue())) as document:
        change(document)
        document.save(target)
    return target.getvalue()


def _annotated(document: pikepdf.Pdf, **entries: Any) -> None:  # noqa: ANN401
    note = Dictionary(Type=Name.Annot, Rect=[0, 0, 9, 9], **entries)
    document.pages[0].Annots = Array([document.make_indirect(note)])
    document.Root.AcroForm = Dictionary(Fields=document.pages[0].Annots)


def _attached(document: pikepdf.Pdf, text: str) -> None:
    document.attachments["note.txt"] = pikepdf.AttachedFileSpec(document, text.encode(), filename="note.txt")


def _with_xmp(document: pikepdf.Pdf, text: str) -> None:
    with document.open_metadata() as metadata:
        metadata["dc:description"] = text


def _labelled(document: pikepdf.Pdf, text: str) -> None:
    document.Root.PageLabels = Dictionary(Nums=Array([0, Dictionary(P=String(text))]))


def _layered(document: pikepdf.Pdf, text: str) -> None:
    layer = document.make_indirect(Dictionary(Type=Name.OCG, Name=String(text)))
    document.Root.OCProperties = Dictionary(OCGs=Array([layer]), D=Dictionary(OFF=Array([layer])))


def _scripted(document: pikepdf.Pdf, text: str) -> None:
    document.Root.OpenAction = Dictionary(S=Name.JavaScript, JS=document.make_stream(f"app.alert('{text}')".encode()))


def _of_bare_objects(text: str) -> bytes:
    """A PDF with numbers and a text that are objects by themselves, as some programs write them."""
    written = (b"\xfe\xff" + text.encode("utf-16-be")).hex()
    parts = (
        "<</Type/Catalog/Pages 2 0 R/N 4 0 R/B 5 0 R/Z 6 0 R/T 7 0 R>>",
        "<</Type/Pages/Kids[3 0 R]/Count 1>>",
        "<</Type/Page/Parent 2 0 R/MediaBox[0 0 9 9]>>",
        "12",
        "true",
        "null",
        f"<{written}>",
    )
    objects = "".join(f"{number} 0 obj\n{part}\nendobj\n" for number, part in enumerate(parts, 1))
    return f"%PDF-1.4\n{objects}trailer<</Root 1 0 R/Size {len(parts) + 1}>>\n".encode()


def _locked(text: str) -> bytes:
    target = io.BytesIO()
    with pikepdf.open(io.BytesIO(_pdf(text=text))) as document:
        document.save(target, encryption=pikepdf.Encryption(owner="o", user="u"))
    return target.getvalue()


def _mail(text: str, *, where: str) -> bytes:
    message = EmailMessage()
    message["Subject"] = text if where == "subject" else "Terms"
    message["From"] = "office@tarnvale.example"
    message.set_content(text if where == "body" else "Good day", cte="base64")
    message.add_alternative(f"<p>{escape(text) if where == 'page' else 'Good day'}</p>", subtype="html")
    if where == "attachment":
        message.add_attachment(text.encode("utf-16"), maintype="text", subtype="plain", filename="note.txt")
    return message.as_bytes()


def _rtf(text: str) -> bytes:
    first, *rest = (sign if sign.isascii() else f"\\u{ord(sign)}?" for sign in text)
    said = f"{{\\b {first}}}{''.join(rest)}"
    return f"{{\\rtf1\\ansi\\ansicpg1250{{\\fonttbl{{\\f0 Arial;}}}}\\pard Terms\\par {said}\\par}}".encode()


def _odt(text: str, **more: str | bytes) -> bytes:
    spans = "".join(f"<text:span>{escape(sign)}</text:span>" for sign in text)
    content = (
        f'<office:document-content xmlns:office="o" xmlns:text="t"><text:p>{spans}</text:p></office:document-content>'
    )
    return zipped({"mimetype": "application/vnd.oasis.opendocument.text", "content.xml": content} | more)


FOUND: Mapping[str, Callable[[str], bytes]] = {
    "note.txt": lambda text: text.encode(),
    "note of another system.txt": lambda text: text.encode("utf-16"),
    "note of an old system.txt": lambda text: f"Terms {text} \u00fc".encode("cp1252", errors="xmlcharrefreplace"),
    "note.md": lambda text: f"# Terms\n\n* {text}\n".encode(),
    "list.csv": lambda text: f'name;amount\r\n"{text}";2,00\r\n'.encode(),
    "list.tsv": lambda text: f"a\tb\n{text}\t2\n".encode(),
    "list.json": lambda text: json.dumps({"farms": [{"called": text}]}).encode(),
    "list.jsonl": lambda text: f"{json.dumps([1])}\n{json.dumps({text: 1})}\n".encode(),
    "list.xml": lambda text: f"<farms><farm><no>1</no><name>{escape(text)}</name></farm></farms>".encode(),
    "attribute.xml": lambda text: f'<farms><farm name="{escape(text)}"/></farms>'.encode(),
    "comment.xml": lambda text: f"<farms><!-- {text} --></farms>".encode(),
    "sign.svg": lambda text: f'<svg xmlns="s"><text><tspan>{escape(text)}</tspan></text></svg>'.encode(),
    "description.svg": lambda text: f'<svg xmlns="s"><desc>{escape(text)}</desc></svg>'.encode(),
    "page.html": lambda text: f"<p><b>{escape(text[:3])}</b>{escape(text[3:])}</p>".encode(),
    "hidden.html": lambda text: f'<p hidden style="display:none">{escape(text)}</p>'.encode(),
    "comment.html": lambda text: f"<p>Terms</p><!-- {text} -->".encode(),
    "attribute.html": lambda text: f'<p data-farm="{escape(text)}">Terms</p>'.encode(),
    "script.html": lambda text: f"<script>var farm = '{text}'</script>".encode(),
    "note.rtf": _rtf,
    "letter.docx": lambda text: _docx(_words(text)),
    "cells.docx": lambda text: _docx(f"<w:tbl><w:tr><w:tc>{_words(text)}</w:tc><w:tc>{_words('7')}</w:tc></w:tr></w:tbl>"),
    "comment.docx": lambda text: _docx("", **{"word/comments.xml": f"<w:comments {_W}>{_words(text)}</w:comments>"}),
    "footnote.docx": lambda text: _docx("", **{"word/footnotes.xml": f"<w:footnotes {_W}>{_words(text)}</w:footnotes>"}),
    "header.docx": lambda text: _docx("", **{"word/header1.xml": f"<w:hdr {_W}>{_words(text)}</w:hdr>"}),
    "properties.docx": lambda text: _docx("", **{"docProps/core.xml": f"<p><creator>{escape(text)}</creator></p>"}),
    "custom.docx": lambda text: _docx("", **{"customXml/item1.xml": f"<farm><no>{escape(text)}</no></farm>"}),
    "link.docx": lambda text: _docx("", **{"word/_rels/document.xml.rels": f'<R><r Target="http://x.test/?q={escape(text)}"/></R>'}),
    "deleted.docx": lambda text: _docx(f"<w:p><w:del><w:r><w:delText>{escape(text)}</w:delText></w:r></w:del></w:p>"),
    "inside.docx": lambda text: _docx("", **{"word/embeddings/book.xlsx": _xlsx(f'<row><c t="inlineStr"><is><t>{escape(text)}</t></is></c></row>')}),
    "slides.pptx": lambda text: _office({"ppt/slides/slide1.xml": f"<s xmlns:a='a'><a:p>{''.join(f'<a:r><a:t>{escape(s)}</a:t></a:r>' for s in text)}</a:p></s>"}),
    "notes.pptx": lambda text: _office({"ppt/notesSlides/notesSlide1.xml": f"<s xmlns:a='a'><a:p><a:r><a:t>{escape(text)}</a:t></a:r></a:p></s>"}),
    "letter.odt": _odt,
    "properties.odt": lambda text: _odt("Terms", **{"meta.xml": f"<m xmlns:d='d'><d:title>{escape(text)}</d:title></m>"}),
    "list.ods": lambda text: zipped({"mimetype": "application/vnd.oasis.opendocument.spreadsheet", "content.xml": f'<t xmlns:table="a" xmlns:office="o"><table:table-cell office:string-value="{escape(text)}"/></t>'}),
    "named.ods": lambda text: zipped({"mimetype": "application/vnd.oasis.opendocument.spreadsheet", "content.xml": f'<t xmlns:table="a"><table:table table:name="{escape(text)}"/></t>'}),
    "list.xlsx": lambda text: _xlsx(xl__sharedStrings_xml="", **{"xl/sharedStrings.xml": f"<sst {_S}><si><r><t>{escape(text[:3])}</t></r><r><t>{escape(text[3:])}</t></r></si></sst>"}),
    "macro.xlsm": lambda text: _xlsx(f'<row><c t="inlineStr"><is><t>{escape(text)}</t></is></c></row>'),
    "comment.xlsx": lambda text: _xlsx(**{"xl/comments1.xml": f"<comments {_S}><commentList><comment><text><t>{escape(text)}</t></text></comment></commentList></comments>"}),
    "sheet.xlsx": lambda text: _xlsx(**{"xl/workbook.xml": f'<workbook {_S}><sheets><sheet name="{escape(text)}" state="veryHidden"/></sheets></workbook>'}),
    "names.xlsx": lambda text: _xlsx(**{"xl/workbook.xml": f'<workbook {_S}><definedNames><definedName name="a">"{escape(text)}"</definedName></definedNames></workbook>'}),
    "list of a cell.xlsx": lambda text: _xlsx(f'</sheetData><dataValidations><dataValidation prompt="{escape(text)}"><formula1>"a,b"</formula1></dataValidation></dataValidations><sheetData>'),
    "choices.xlsx": lambda text: _xlsx(f'</sheetData><dataValidations><dataValidation><formula1>"a,{escape(text)}"</formula1></dataValidation></dataValidations><sheetData>'),
    "format.xlsx": lambda text: _xlsx(**{"xl/styles.xml": f"<styleSheet {_S}><numFmts><numFmt formatCode='0&quot;{escape(text)}&quot;'/></numFmts></styleSheet>"}),
    "cache.xlsx": lambda text: _xlsx(**{"xl/pivotCache/pivotCacheDefinition1.xml": f'<p {_S}><sharedItems><s v="{escape(text)}"/></sharedItems></p>'}),
    "external.xlsx": lambda text: _xlsx(**{"xl/externalLinks/externalLink1.xml": f'<e {_S}><sheetData><row><cell><v>{escape(text)}</v></cell></row></sheetData></e>'}),
    "formula.xlsx": lambda text: _xlsx(f'<row><c><f>IF(A1="{escape(text)}",1,0)</f><v>0</v></c></row>'),
    "chart.xlsx": lambda text: _xlsx(**{"xl/charts/chart1.xml": f"<c><strCache><pt><v>{escape(text)}</v></pt></strCache></c>"}),
    "alt.xlsx": lambda text: _xlsx(**{"xl/drawings/drawing1.xml": f'<d><cNvPr descr="{escape(text)}"/></d>'}),
    "letter.eml": lambda text: _mail(text, where="body"),
    "subject.eml": lambda text: _mail(text, where="subject"),
    "page.eml": lambda text: _mail(text, where="page"),
    "attachment.eml": lambda text: _mail(text, where="attachment"),
    "papers.zip": lambda text: zipped({"a/note.txt": text}),
    "name.zip": lambda text: zipped({f"{text}.txt": "x"}),
    "comment.zip": lambda text: zipped({"a.txt": "x"}, text.encode()),
    "nested.zip": lambda text: zipped({"b.zip": zipped({"c.zip": zipped({"letter.docx": _docx(_words(text))})})}),
    "terms.pdf": lambda text: _pdf(text=text.encode("latin-1", errors="ignore").decode("latin-1")),
    "note.pdf": lambda text: _pdf(lambda document: _annotated(document, Subtype=Name.Text, Contents=String(text))),
    "field.pdf": lambda text: _pdf(lambda document: _annotated(document, Subtype=Name.Widget, T=String("f"), V=String(text))),
    "link.pdf": lambda text: _pdf(lambda document: _annotated(document, Subtype=Name.Link, A=Dictionary(S=Name.URI, URI=String(f"http://x.test/{text}")))),
    "info.pdf": lambda text: _pdf(lambda document: document.docinfo.update({"/Subject": text})),
    "own info.pdf": lambda text: _pdf(lambda document: document.docinfo.update({"/Farm": text})),
    "bare objects.pdf": _of_bare_objects,
    "xmp.pdf": lambda text: _pdf(lambda document: _with_xmp(document, text)),
    "attachment.pdf": lambda text: _pdf(lambda document: _attached(document, text)),
    "label.pdf": lambda text: _pdf(lambda document: _labelled(document, text)),
    "layer.pdf": lambda text: _pdf(lambda document: _layered(document, text)),
    "script.pdf": lambda text: _pdf(lambda document: _scripted(document, text)),
    "packed.pdf": lambda text: zipped({"terms.pdf": _pdf(lambda document: document.docinfo.update({"/Title": text}))}),
}  # fmt: skip
"""What is read, with a text at a place of each."""

UNSEARCHED: Mapping[str, Callable[[str], bytes]] = {
    "plan.png": lambda text: PNG + text.encode(),
    "photo.jpg": lambda text: b"\xff\xd8\xff\xe0" + text.encode(),
    "locked.pdf": _locked,
    "old.doc": lambda text: b"\xd0\xcf\x11\xe0" + bytes(600) + text.encode("utf-16-le"),
    "papers.gz": lambda text: b"\x1f\x8b\x08" + bytes(9) + base64.b64encode(text.encode()),
    "papers.7z": lambda text: b"7z\xbc\xaf\x27\x1c" + bytes(20),
    "with a picture.docx": lambda text: _docx(_words("Terms"), **{"word/media/image1.png": PNG}),
    "with a picture.zip": lambda text: zipped({"plan.png": PNG}),
    "too deep.zip": lambda text: _deep(text, 9),
}  # fmt: skip
"""What is not read, and must be told."""


def _deep(text: str, times: int) -> bytes:
    found = zipped({"note.txt": text})
    for _ in range(times):
        found = zipped({"inner.zip": found})
    return found
