"""A folder for readers: each run in a folder of its own, and a page that lists the newest of each report in front.

The page is written again from what is in the folder, so that it is right whatever was interrupted.
"""

import html
import json
import shutil
from datetime import datetime
from pathlib import Path
from urllib.parse import quote

from msgspec import Struct

from northmoor.core.base.atomic_write import cannot_write, locked_folder, write_atomically
from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.destinations.destination import PublishedFolder
from northmoor.core.delivery.destinations.folder import made_folder
from northmoor.core.delivery.destinations.handing import Handed, Handing
from northmoor.core.errors import OutputError

_ABOUT = "about.json"
_PAGE = "index.html"
_STYLE = """
body { font: 15px/1.5 Inter, system-ui, sans-serif; color: #33291F; background: #F3F1EC; margin: 0 auto;
  max-width: 46rem; padding: 2rem 1rem; }
h1 { font-size: 1.4rem; } h2 { font-size: 1.1rem; margin: 1.6rem 0 .2rem; }
p, ul { margin: .2rem 0; } ul { padding-left: 1.2rem; }
a { color: #7B4B94; } .quiet { color: #6B645B; }
details { margin: .3rem 0; } summary { cursor: pointer; color: #6B645B; }
@media (prefers-color-scheme: dark) { body { color: #EDE8DF; background: #211D19; } a { color: #C9A6DB; }
  .quiet, summary { color: #A39A8E; } }
"""


class _Published(Struct, frozen=True):
    """A run in the folder."""

    folder: Path
    report: str
    title: str
    given: str
    at: datetime
    files: tuple[str, ...]


def deliver(handing: Handing, destination: PublishedFolder) -> Handed:
    """Publish a run. Raises OutputError."""
    root = handing.path(destination.path)
    made_folder(root)
    record = handing.record
    own = root / Path(record.report).stem / record.id
    with locked_folder(root):
        try:
            if not own.is_dir():
                part = root / f".{record.id}.part"
                shutil.rmtree(part, ignore_errors=True)
                part.mkdir()
                for file in handing.files:
                    shutil.copyfile(file, part / file.name)
                (part / _ABOUT).write_text(_about(handing, record), encoding="utf-8")
                own.parent.mkdir(exist_ok=True)
                part.rename(own)
            published = _published(root, destination.keep)
            page = _index(published)
            write_atomically(root / _PAGE, lambda part: part.write_text(page, encoding="utf-8"))
        except OSError as error:
            raise OutputError(cannot_write(root, error)) from error
    handing.notes.note("published", "done", str(own))
    return Handed(files=(str(own),))


def _about(handing: Handing, record: RunRecord) -> str:
    entries = {
        "report": record.report,
        "title": record.title,
        "values": record.values,
        "at": record.ended.isoformat(),
        "data_time": record.data_time.isoformat() if record.data_time else None,
        "files": [path.name for path in handing.files],
    }
    return json.dumps(entries, ensure_ascii=False, indent=1) + "\n"


def _published(root: Path, keep: int) -> dict[str, list[_Published]]:
    """The runs in the folder by report, the newest first; those beyond so many are removed."""
    found: dict[str, list[_Published]] = {}
    everything: list[_Published] = []
    for path in root.glob(f"[!.]*/*/{_ABOUT}"):
        try:
            about = json.loads(path.read_text(encoding="utf-8"))
            given = " · ".join(f"{k} {v}" for k, v in about["values"].items() if isinstance(v, str) and v)
            run = _Published(
                path.parent, about["report"], about["title"], given, datetime.fromisoformat(about["at"]),
                tuple(about["files"]),
            )  # fmt: skip
        except (ValueError, KeyError, TypeError, AttributeError):
            continue
        everything.append(run)
    for run in sorted(everything, key=lambda each: (each.at, each.folder.name), reverse=True):
        runs = found.setdefault(run.report, [])
        if len(runs) < keep:
            runs.append(run)
        else:
            shutil.rmtree(run.folder, ignore_errors=True)
    return found


def _index(published: dict[str, list[_Published]]) -> str:
    """The page that lists all."""
    sections = []
    for runs in sorted(published.values(), key=lambda each: each[0].title.casefold()):
        newest, *earlier = runs
        parts = [f"<section><h2>{html.escape(newest.title)}</h2>", _entry(newest)]
        if earlier:
            listed = "".join(f"<li>{_entry(run)}</li>" for run in earlier)
            parts.append(f"<details><summary>{len(earlier)} earlier</summary><ul>{listed}</ul></details>")
        sections.append("".join(parts) + "</section>")
    body = "\n".join(sections) or "<p>Nothing is published yet.</p>"
    return (
        '<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>Reports</title>'
        '<meta name="viewport" content="width=device-width">'
        f"<style>{_STYLE}</style></head>\n<body><h1>Reports</h1>\n{body}\n</body></html>\n"
    )


def _entry(run: _Published) -> str:
    links = " · ".join(
        f'<a href="{quote(f"{run.folder.parent.name}/{run.folder.name}/{name}")}">{html.escape(_kind(name))}</a>'
        for name in run.files[:50]
    )
    more = f" and {len(run.files) - 50:,} more" if len(run.files) > 50 else ""
    given = f" · {html.escape(run.given[:200])}" if run.given else ""
    return f'<p>{links}{more}<br><span class="quiet">{run.at:%-d %B %Y, %H:%M} UTC{given}</span></p>'


def _kind(name: str) -> str:
    ending = Path(name).suffix.removeprefix(".")
    return {"pdf": "PDF", "html": "Web page", "xlsx": "Spreadsheet"}.get(ending, name)
