"""The pictures that a report can choose from, each on a small page of its own, where it looks as in a report."""

from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Edition, Report
from northmoor.core.sources.library import PICTURES_FOLDER, Library

SUFFIXES = (".png", ".jpg", ".jpeg", ".svg")
SAMPLE_PAGE = (96_000, 72_000)
"""Width and height of a sample's page in millipoints."""
_MOST = 200


def picture_files(library: Library) -> list[str]:
    """The first 200 pictures in the library's folder of pictures, by name; paths from the library's folder."""
    folder = library.root / PICTURES_FOLDER
    found = (path for path in folder.rglob("*") if path.suffix.lower() in SUFFIXES and path.is_file())
    return sorted((path.relative_to(library.root).as_posix() for path in found), key=str.casefold)[:_MOST]


def picture_sample(file: str) -> Report:
    """A report of one small page, filled by a picture."""
    width, height = SAMPLE_PAGE
    picture = PictureBlock(name="picture", file=file, width=width, height=height, align="center", space_after=0)
    page = PageSetup(
        size="custom", width=width, height=height, margin_top=0, margin_right=0, margin_bottom=0, margin_left=0
    )
    return Report(editions=(Edition(name="sample", page=page, blocks=(picture,)),))
