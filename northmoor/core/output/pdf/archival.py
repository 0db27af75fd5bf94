"""What makes a PDF one to keep (ISO 19005-2 and 19005-3, level u): colours that are defined, descriptions of its own
metadata, and, in part 3, the rows and the report attached, so that its figures can be traced years later."""

import io
from collections.abc import Mapping
from functools import lru_cache

from msgspec import Struct

from northmoor.core.output.output_document import OutputDocument
from northmoor.core.output.pdf.file_structure import PdfFile, dictionary, listed, reference, string
from northmoor.core.output.pdf.xmp import NORTHMOOR

_PROFILE_DATE = bytes((7, 208, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0))
"""1 January 2000 as ICC profiles have it: when a profile was made is no matter of the clock."""
_FIELDS = {
    "Revision": "Digest of the report that made the pages",
    "Values": "Values of its parameters",
    "DataTime": "Time that its data are as of, wall time of the report's zone",
    "Record": "Number of the record that the pages are of",
}


class Attachment(Struct, frozen=True):
    """A file in a PDF: its name, its kind (RFC 2045), what it is in words, and how it belongs to the pages."""

    name: str
    media_type: str
    description: str
    relationship: str
    data: bytes


class ArchivalParts(Struct, frozen=True):
    """What a PDF to keep has besides its pages: the part of the standard, and what is attached."""

    part: int
    attachments: tuple[Attachment, ...] = ()

    def write(self, file: PdfFile, data_time: str) -> tuple[dict[str, bytes], bytes]:
        """Write the parts; their entries of the catalog, and the tree of the names of what is attached, if anything
        is."""
        entries = {"OutputIntents": listed([reference(_output_intent(file))])}
        if not self.attachments:
            return entries, b""
        ordered = sorted(self.attachments, key=_name)
        numbers = [reference(_write_attachment(file, each, data_time)) for each in ordered]
        entries["AF"] = listed(numbers)
        pairs = (part for each, number in zip(ordered, numbers, strict=True) for part in (string(each.name), number))
        return entries, dictionary({"Names": listed(pairs)})


def archival_parts(document: OutputDocument) -> ArchivalParts | None:
    """The parts that a document's options ask for; None for a PDF that is not to be kept."""
    kind = document.options.archive
    if kind == "no":
        return None
    if kind == "pages":
        return ArchivalParts(2)
    document.check_all_records()
    return ArchivalParts(3, tuple(_attachments(document)))


def archival_xmp(part: int) -> list[str]:
    """What the metadata say of the standard, and of the entries that no standard knows (ISO 19005-2, 6.6.2.3)."""
    own = "".join(_property(name, text) for name, text in _FIELDS.items())
    schemas = _schema("Report", NORTHMOOR, "nm", own) + _schema(
        "PDF/UA identification", "http://www.aiim.org/pdfua/ns/id/", "pdfuaid", _property("part", "Part", "Integer")
    )
    return [
        '<rdf:Description rdf:about="" xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">'
        f"<pdfaid:part>{part}</pdfaid:part><pdfaid:conformance>U</pdfaid:conformance></rdf:Description>",
        '<rdf:Description rdf:about="" xmlns:pdfaExtension="http://www.aiim.org/pdfa/ns/extension/"'
        ' xmlns:pdfaSchema="http://www.aiim.org/pdfa/ns/schema#"'
        ' xmlns:pdfaProperty="http://www.aiim.org/pdfa/ns/property#">'
        f"<pdfaExtension:schemas><rdf:Bag>{schemas}</rdf:Bag></pdfaExtension:schemas></rdf:Description>",
    ]


@lru_cache(maxsize=1)
def rgb_profile() -> bytes:
    """The ICC profile of sRGB (IEC 61966-2-1), the same bytes on every machine and day."""
    from PIL import ImageCms

    made = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    made[24:36] = _PROFILE_DATE
    made[84:100] = bytes(16)  # the profile's digest, which may be left out
    return bytes(made)


def _name(attachment: Attachment) -> bytes:
    return attachment.name.encode()


def _attachments(document: OutputDocument) -> list[Attachment]:
    import pyarrow.parquet as pq

    found = [
        Attachment("report.moor", "application/json", "The report that made these pages", "Source",
                   document.report_text.encode())
    ]  # fmt: skip
    for name, table in document.rows.items():
        target = io.BytesIO()
        pq.write_table(table, target, compression="zstd")
        words = f"The rows of the query {name}"
        found.append(Attachment(f"{name}.parquet", "application/vnd.apache.parquet", words, "Data", target.getvalue()))
    return found


def _output_intent(file: PdfFile) -> int:
    profile = file.add_stream({"N": b"3"}, rgb_profile())
    entries: Mapping[str, bytes] = {
        "Type": b"/OutputIntent",
        "S": b"/GTS_PDFA1",
        "OutputConditionIdentifier": b"(sRGB)",
        "Info": b"(sRGB IEC61966-2.1)",
        "DestOutputProfile": reference(profile),
    }
    return file.add(dictionary(entries))


def _write_attachment(file: PdfFile, attachment: Attachment, data_time: str) -> int:
    """Write an attached file (ISO 32000-1, 7.11.4; ISO 19005-3, 6.8); its number."""
    digits = (
        "".join(char for char in data_time if char.isdigit())[:14].ljust(14, "0") if data_time else "20000101000000"
    )
    subtype = b"/" + attachment.media_type.replace("/", "#2F").encode()
    parameters = b"<</Size %d/ModDate (D:%b)>>" % (len(attachment.data), digits.encode())
    stream = file.add_stream({"Type": b"/EmbeddedFile", "Subtype": subtype, "Params": parameters}, attachment.data)
    name = string(attachment.name)
    entries = {
        "Type": b"/Filespec", "F": name, "UF": name, "Desc": string(attachment.description),
        "AFRelationship": b"/" + attachment.relationship.encode(),
        "EF": b"<</F %b/UF %b>>" % (reference(stream), reference(stream)),
    }  # fmt: skip
    return file.add(dictionary(entries))


def _schema(title: str, namespace: str, prefix: str, properties: str) -> str:
    return (
        f'<rdf:li rdf:parseType="Resource"><pdfaSchema:schema>{title}</pdfaSchema:schema>'
        f"<pdfaSchema:namespaceURI>{namespace}</pdfaSchema:namespaceURI><pdfaSchema:prefix>{prefix}</pdfaSchema:prefix>"
        f"<pdfaSchema:property><rdf:Seq>{properties}</rdf:Seq></pdfaSchema:property></rdf:li>"
    )


def _property(name: str, words: str, kind: str = "Text") -> str:
    return (
        f'<rdf:li rdf:parseType="Resource"><pdfaProperty:name>{name}</pdfaProperty:name>'
        f"<pdfaProperty:valueType>{kind}</pdfaProperty:valueType><pdfaProperty:category>internal</pdfaProperty:category>"
        f"<pdfaProperty:description>{words}</pdfaProperty:description></rdf:li>"
    )
