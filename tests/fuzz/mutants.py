"""Reports that no program wrote: the demo's, changed at random places, opened, laid out and checked.

``python -m tests.fuzz.mutants COUNT SEED`` prints each mutant that ends in anything but a report, a sentence of ours, or
a finding: its seed, what was changed, what went wrong, and the least report that goes wrong like it. The mutant of a
seed is always the same one.
"""

import faulthandler
import json
import random
import sys
import tempfile
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any

from northmoor.core.checks.preflight import preflight
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.serialization import read_report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.demo.demo_library import make_library

PATIENCE = 60
"""Seconds for one mutant, after which the process ends and says where it was."""
ODD: tuple[Any, ...] = (
    None, "", " ", ".", "0", "-1", "1e400", "sum((", "list(1)", "sum(fares)", ":year", "{", "{x", "}", "null", "x" * 300,
    "a\0b", "☃", "'", "select 1", "count(*) over report", "1/0", "#FFFFFF", "12mm", "-5mm", "9999999mm", "http://x\ny",
    "../../etc", 0, -1, 1, 7, 10**9, 2**63, 1.5, -0.0, 1e308, True, False, [], [None], [[]], {}, {"a": 1}, [1, "a"],
)  # fmt: skip
"""Values that are put in the place of others."""


def places(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """The paths of everything in a JSON value."""
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    return [path, *(place for key, each in inside for place in places(each, (*path, key)))]


def mutated(value: Any, draw: random.Random) -> tuple[Any, str]:
    """A JSON value with one thing in it changed, and what that was."""
    made = json.loads(json.dumps(value))
    *outer, key = draw.choice([place for place in places(made) if place])
    holder = made
    for step in outer:
        holder = holder[step]
    way = draw.choice(("odd", "odd", "odd", "gone", "twice", "swapped", "cut"))
    where = "/".join(map(str, (*outer, key)))
    if way == "gone":
        del holder[key]
    elif way == "twice" and isinstance(holder, list):
        holder.insert(key, json.loads(json.dumps(holder[key])))
    elif way == "swapped" and isinstance(holder, list):
        draw.shuffle(holder)
    elif way == "cut" and isinstance(holder[key], str):
        at = draw.randrange(len(holder[key]) + 1)
        holder[key] = (
            holder[key][:at] + draw.choice(("", "(", ")", "'", "{", "}", ";", " over ", "9")) + holder[key][at + 1 :]
        )
    else:
        holder[key] = draw.choice(ODD)
        where += f" = {holder[key]!r}"[:60]
    return made, f"{way} {where}"


def tried(session: Session, text: str) -> str | None:
    """What goes wrong with a report's text that must not; None where nothing does."""
    try:
        report = read_report(text)
        document = session.render(report)
        for page in range(min(len(document), 2)):
            document.page_pdf(page)
        messages = [finding.message for finding in preflight(document)]
        return next((message for message in messages if "Northmoor made a mistake" in message), None)
    except NorthmoorError as error:
        return str(error) if "Northmoor made a mistake" in str(error) else None
    except Exception:  # noqa: BLE001  # that is what is looked for
        return traceback.format_exc()


def minimised(value: Any, is_faulty: Callable[[Any], bool], most: int = 2_000) -> Any:
    """The least of a JSON value that still is faulty: whatever can be taken out of it is, the largest parts first, in so
    many tries at most."""
    tries, at = 0, 0
    paths = sorted(filter(None, places(value)), key=len)
    while at < len(paths) and tries < most:
        smaller = _without(value, paths[at])
        tries += 1
        if is_faulty(smaller):
            value, at = smaller, 0
            paths = sorted(filter(None, places(value)), key=len)
        else:
            at += 1
    return value


def _without(value: Any, path: tuple[Any, ...]) -> Any:
    made = json.loads(json.dumps(value))
    holder = made
    for step in path[:-1]:
        holder = holder[step]
    del holder[path[-1]]
    return made


Faults = list[str]


def printed(run: Callable[[int, int, Callable[[str], object]], Faults], count: int, seed: int) -> int:
    """Try so many mutants and print what goes wrong as it does; the exit code."""
    found = run(count, seed, lambda fault: sys.stdout.write(f"{fault}\n") and sys.stdout.flush())
    sys.stdout.write(f"{len(found)} of {count} went wrong\n")
    return bool(found)


def run(count: int, seed: int, show: Callable[[str], object] = lambda _: None) -> Faults:
    """Try so many mutants; what went wrong."""
    faults: Faults = []
    with tempfile.TemporaryDirectory() as folder:
        make_library(Path(folder))
        session = Session(Library.around(Path(folder)))
        reports = sorted((Path(folder) / "reports").glob("*.moor"))
        texts = [json.loads(path.read_text(encoding="utf-8")) for path in reports]
        for number in range(seed * 1_000_000, seed * 1_000_000 + count):
            draw = random.Random(number)
            at = draw.randrange(len(texts))
            made, changes = texts[at], []
            for _ in range(draw.choice((1, 1, 1, 2, 4))):
                made, change = mutated(made, draw)
                changes.append(change)
            faulthandler.dump_traceback_later(PATIENCE, exit=True)
            if fault := tried(session, json.dumps(made)):
                kind = fault.strip().split("\n")[-1][:40]
                least = minimised(made, lambda each, kind=kind: kind in (tried(session, json.dumps(each)) or ""))
                faults.append(
                    f"mutant {number} of {reports[at].name}: {'; '.join(changes)}\n{fault}\n{json.dumps(least)}"
                )
                show(faults[-1])
        faulthandler.cancel_dump_traceback_later()
    return faults


if __name__ == "__main__":
    sys.exit(printed(run, int(sys.argv[1]), int(sys.argv[2])))
