"""What a PDF says of itself: its properties in XMP (ISO 16684-1), what it conforms to, and what its colours mean."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from xml.sax.saxutils import escape

from gonnet.reports.pdf.writing import stream, text_string

MADE_BY = "Gonnet"
_COLOURS = Path(__file__).with_name("srgb.icc")  # as LittleCMS writes sRGB (IEC 61966-2-1)
_XMP = """\
<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:pdf="http://ns.adobe.com/pdf/1.3/" \
xmlns:xmp="http://ns.adobe.com/xap/1.0/">
<dc:format>application/pdf</dc:format>
<dc:title><rdf:Alt><rdf:li xml:lang="x-default">TITLE</rdf:li></rdf:Alt></dc:title>
AUTHOR<dc:language><rdf:Bag><rdf:li>LANGUAGE</rdf:li></rdf:Bag></dc:language>
<pdf:Producer>MADE_BY</pdf:Producer>
<xmp:CreatorTool>MADE_BY</xmp:CreatorTool>
</rdf:Description>
CLAIMS</rdf:RDF></x:xmpmeta>
<?xpacket end="w"?>"""
_PLACES = re.compile("TITLE|AUTHOR|LANGUAGE|CLAIMS|MADE_BY")
_AUTHOR = "<dc:creator><rdf:Seq><rdf:li>{}</rdf:li></rdf:Seq></dc:creator>\n"
_ARCHIVE = """\
<rdf:Description rdf:about="" xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">
<pdfaid:part>2</pdfaid:part><pdfaid:conformance>B</pdfaid:conformance>
</rdf:Description>
"""
_ACCESS = """\
<rdf:Description rdf:about="" xmlns:pdfuaid="http://www.aiim.org/pdfua/ns/id/"><pdfuaid:part>1</pdfuaid:part>
</rdf:Description>
"""
# PDF/A allows properties of its own only with their description (ISO 19005-2, 6.6.2.3.3).
_DESCRIBED = """\
<rdf:Description rdf:about="" xmlns:pdfaExtension="http://www.aiim.org/pdfa/ns/extension/" \
xmlns:pdfaSchema="http://www.aiim.org/pdfa/ns/schema#" xmlns:pdfaProperty="http://www.aiim.org/pdfa/ns/property#">
<pdfaExtension:schemas><rdf:Bag><rdf:li rdf:parseType="Resource"><pdfaSchema:schema>PDF/UA identification\
</pdfaSchema:schema><pdfaSchema:namespaceURI>http://www.aiim.org/pdfua/ns/id/</pdfaSchema:namespaceURI>\
<pdfaSchema:prefix>pdfuaid</pdfaSchema:prefix><pdfaSchema:property><rdf:Seq><rdf:li rdf:parseType="Resource">\
<pdfaProperty:name>part</pdfaProperty:name><pdfaProperty:valueType>Integer</pdfaProperty:valueType>\
<pdfaProperty:category>internal</pdfaProperty:category><pdfaProperty:description>Part of ISO 14289\
</pdfaProperty:description></rdf:li></rdf:Seq></pdfaSchema:property></rdf:li></rdf:Bag></pdfaExtension:schemas>
</rdf:Description>
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class About:
    """What a file says of itself.

    Attributes:
        title: Its title.
        author: Who made it; may be empty.
        language: BCP 47 tag of its texts.
        is_accessible: Whether all of it is said to be what it is: it conforms to PDF/UA-1 (ISO 14289-1) then.
        is_archival: Whether it conforms to PDF/A-2b (ISO 19005-2).
    """

    title: str
    author: str
    language: str = ""
    is_accessible: bool = False
    is_archival: bool = False

    def properties(self) -> str:
        """The dictionary of its properties (ISO 32000-1, 14.3.3)."""
        author = f"/Author {text_string(self.author)}" if self.author else ""
        return f"<</Title {text_string(self.title)}{author}/Creator ({MADE_BY})/Producer ({MADE_BY})>>"

    def metadata(self) -> bytes:
        """The same in XMP, with what it conforms to, as a stream object."""
        access, archive = _ACCESS if self.is_accessible else "", _ARCHIVE if self.is_archival else ""
        claims = f"{archive}{access}{_DESCRIBED if access and archive else ''}"
        values = {
            "TITLE": escape(self.title),
            "AUTHOR": _AUTHOR.format(escape(self.author)) if self.author else "",
            "LANGUAGE": self.language or "x-default",
            "CLAIMS": claims,
            "MADE_BY": MADE_BY,
        }
        # In one go: a title that says CLAIMS is a title.
        made = _PLACES.sub(lambda found: values[found[0]], _XMP)
        return stream(made.encode(), "/Type/Metadata/Subtype/XML")


@lru_cache(maxsize=1)
def colours() -> bytes:
    """What the numbers of colours mean, as a stream object: a profile of sRGB (ISO 32000-1, 14.11.5)."""
    return stream(_COLOURS.read_bytes(), "/N 3")
