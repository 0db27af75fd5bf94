"""How pictures come from the child that reads them: a drawing as JSON, pixels as a table of one row."""

import hashlib
from collections.abc import Mapping
from typing import Any

from northmoor.core.base.apart.task import Result
from northmoor.core.layout.graphics.display_list import Picture, VectorPath, VectorPicture


def digest_of(data: bytes) -> str:
    """The identity of a picture, by its content."""
    return hashlib.sha256(data).hexdigest()[:32]


def drawing_result(drawing: VectorPicture) -> Result:
    """A drawing as what JSON can hold."""
    paths = [{name: getattr(path, name) for name in VectorPath.__struct_fields__} for path in drawing.paths]
    return Result({"size": drawing.pixels, "paths": paths, "left_out": drawing.left_out, "missing": drawing.missing})


def drawing_of(data: bytes, found: Result) -> VectorPicture:
    """The drawing that a child has read from data."""
    width, height = found.header["size"]
    paths = tuple(_path(path) for path in found.header["paths"])
    return VectorPicture(
        digest_of(data), (width, height), paths, tuple(found.header["left_out"]), found.header["missing"]
    )


def _path(found: Mapping[str, Any]) -> VectorPath:
    steps = tuple(tuple(step) for step in found["steps"])
    return VectorPath(**{**found, "steps": steps, "dash": tuple(found["dash"]), "starts": tuple(found["starts"])})


def pixels_result(
    size: tuple[int, int], pixels: bytes | None = None, alpha: bytes | None = None, gray: bool = False
) -> Result:
    """Packed pixels and their alpha; none for a JPEG, whose bytes the asking process has."""
    header = {"size": size, "gray": gray}
    if pixels is None:
        return Result(header)
    import pyarrow as pa  # loaded where there are pixels

    table = pa.table({"pixels": pa.array([pixels], pa.binary()), "alpha": pa.array([alpha], pa.binary())})
    return Result(header, table)


def pixels_of(data: bytes, found: Result) -> Picture:
    """The picture that a child has read from data."""
    width, height = found.header["size"]
    if found.table is None:
        return Picture(digest_of(data), (width, height), True, data, gray=found.header["gray"])
    row = found.table.to_pylist()[0]
    return Picture(digest_of(data), (width, height), False, row["pixels"], row["alpha"])
