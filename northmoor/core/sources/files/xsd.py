"""XML against its schema (XSD): found beside the file, checked, and asked for types and repeated elements."""

from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

from lxml import etree
from msgspec import Struct

from northmoor.core.errors import QueryError
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.kinds.value_types import ValueType

_XS = "{http://www.w3.org/2001/XMLSchema}"
_XSI = "{http://www.w3.org/2001/XMLSchema-instance}"
_KINDS: dict[str, KindName] = {
    "string": "text", "token": "text", "normalizedString": "text", "ID": "text", "anyURI": "text",
    "integer": "integer", "int": "integer", "long": "integer", "short": "integer", "positiveInteger": "integer",
    "nonNegativeInteger": "integer", "gYear": "text", "decimal": "decimal", "double": "float", "float": "float",
    "boolean": "boolean", "date": "date", "dateTime": "timestamp",
}  # fmt: skip


class Schema(Struct, frozen=True):
    """A file's schema: elements that may occur more than once, and the types of simple elements and attributes."""

    path: Path
    repeated: frozenset[str]
    kinds: Mapping[str, ValueType]


def schema_of(path: Path, root: Any) -> Schema | None:
    """The schema of an XML file, which must follow it; None when it has none.

    It is the one the file names, if that lies in the same folder, or the file of the same name that ends in .xsd.
    Raises QueryError when the schema cannot be read or the file does not follow it.
    """
    found = _schema_path(path, root)
    if found is None:
        return None
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True)
    try:
        tree = etree.parse(str(found), parser)
        _reaches_no_other_file(found, tree)
        schema = etree.XMLSchema(tree)
    except (etree.LxmlError, OSError) as error:
        raise QueryError(f"The schema {found.name} of {path.name} cannot be read ({error}).") from error
    if not schema.validate(root):
        faults: Any = schema.error_log
        first = faults[0]
        more = f" {len(faults) - 1} more faults follow." if len(faults) > 1 else ""
        raise QueryError(f"{path.name} does not follow {found.name}: line {first.line}: {first.message}{more}")
    return Schema(found, _repeated(tree), MappingProxyType(_kinds(tree)))


def _schema_path(path: Path, root: Any) -> Path | None:
    named = root.get(f"{_XSI}noNamespaceSchemaLocation") or (root.get(f"{_XSI}schemaLocation") or "").split(" ")[-1]
    candidates = [path.parent / Path(named).name] if named and "/" not in named else []
    return next((c for c in (*candidates, path.with_suffix(".xsd")) if c.is_file()), None)


def _reaches_no_other_file(found: Path, tree: Any) -> None:
    for kind in ("include", "import", "redefine", "override"):
        if tree.getroot().find(f"{_XS}{kind}") is not None:
            raise QueryError(f"The schema {found.name} takes in other files (xs:{kind}); put everything into one.")


def _repeated(tree: Any) -> frozenset[str]:
    def local(element: Any) -> str:
        return str(element.get("name") or element.get("ref", "")).rsplit(":", 1)[-1]

    return frozenset(local(e) for e in tree.iter(f"{_XS}element") if e.get("maxOccurs", "1") not in ("0", "1"))


def _kinds(tree: Any) -> dict[str, ValueType]:
    """Types by name; a name that represents several types has none."""
    named = {t.get("name"): t for t in tree.iter(f"{_XS}simpleType") if t.get("name")}
    found: dict[str, set[ValueType]] = {}
    for entry in (*tree.iter(f"{_XS}element"), *tree.iter(f"{_XS}attribute")):
        name = entry.get("name")
        kind = _kind(entry.get("type"), entry.find(f"{_XS}simpleType"), named)
        if name and kind:
            found.setdefault(name, set()).add(kind)
    return {name: next(iter(kinds)) for name, kinds in found.items() if len(kinds) == 1}


def _kind(name: str | None, inner: Any, named: dict[str, Any], depth: int = 0) -> ValueType | None:
    local = (name or "").rsplit(":", 1)[-1]
    inner = named.get(local, inner)
    restriction = inner.find(f"{_XS}restriction") if inner is not None else None
    if restriction is not None and depth < 10:
        base = _kind(restriction.get("base"), None, named, depth + 1)
        places = restriction.find(f"{_XS}fractionDigits")
        if base and base.kind == "decimal" and places is not None:
            return ValueType("decimal", 18, int(places.get("value")))
        return base
    kind = _KINDS.get(local)
    return ValueType(kind, 18 if kind == "decimal" else 0) if kind else None
