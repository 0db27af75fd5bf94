"""What a PDF says about itself in XMP (ISO 16684-1): title, author, values, and which standards it keeps to."""

from collections.abc import Iterable
from html import escape

from northmoor.core.output.output_document import Metadata

_HEAD = (
    '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>\n<x:xmpmeta xmlns:x="adobe:ns:meta/">'
    '<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
)
_END = '</rdf:RDF></x:xmpmeta>\n<?xpacket end="w"?>'
_CONTROLS = dict.fromkeys(n for n in range(32) if n not in (9, 10, 13))
NORTHMOOR = "urn:northmoor:report:1.0"
"""The namespace of the entries of our own."""


def xmp_packet(metadata: Metadata, standards: Iterable[str] = ()) -> bytes:
    """The packet of a file; `standards` are descriptions of those that it keeps to, as RDF."""
    title = f'<dc:title><rdf:Alt><rdf:li xml:lang="x-default">{_text(metadata.title)}</rdf:li></rdf:Alt></dc:title>'
    language = (
        f"<dc:language><rdf:Bag><rdf:li>{_text(metadata.language)}</rdf:li></rdf:Bag></dc:language>"
        if metadata.language
        else ""
    )
    author, subject, keywords = (_text(text) for text in (metadata.author, metadata.subject, metadata.keywords))
    creator = f"<dc:creator><rdf:Seq><rdf:li>{author}</rdf:li></rdf:Seq></dc:creator>" if author else ""
    about = f'<rdf:Alt><rdf:li xml:lang="x-default">{subject}</rdf:li></rdf:Alt>'
    about = f"<dc:description>{about}</dc:description>" if subject else ""
    found_by = f"<pdf:Keywords>{keywords}</pdf:Keywords>" if keywords else ""
    parts = [
        f'<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">{title}{creator}{about}{language}'
        "</rdf:Description>",
        '<rdf:Description rdf:about="" xmlns:pdf="http://ns.adobe.com/pdf/1.3/"><pdf:Producer>Northmoor</pdf:Producer>'
        f"{found_by}</rdf:Description>",
        *standards,
    ]
    if metadata.entries:
        own = "".join(
            f"<nm:{_local(name)}>{_text(text)}</nm:{_local(name)}>" for name, text in metadata.entries.items()
        )
        parts.append(f'<rdf:Description rdf:about="" xmlns:nm="{NORTHMOOR}">{own}</rdf:Description>')
    return (_HEAD + "".join(parts) + _END).encode()


UNIVERSAL = (
    '<rdf:Description rdf:about="" xmlns:pdfuaid="http://www.aiim.org/pdfua/ns/id/"><pdfuaid:part>1</pdfuaid:part>'
    "</rdf:Description>"
)
"""That a file keeps to ISO 14289-1."""


def _local(name: str) -> str:
    """An entry's name within the namespace."""
    return name.removeprefix("Northmoor")


def _text(text: str) -> str:
    return escape(text.translate(_CONTROLS), quote=False)
