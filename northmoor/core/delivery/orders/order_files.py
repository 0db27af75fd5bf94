"""The files of standing orders: one each in the library's ``orders`` folder, named as the order is."""

import re
from pathlib import Path

from msgspec import Struct

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.delivery.orders.standing_order import ORDER_VERSION, StandingOrder
from northmoor.core.errors import NorthmoorError, ParameterError, ReportFileError, did_you_mean
from northmoor.core.model.serialization import part_text
from northmoor.core.store.report_files import load_part

ORDERS_FOLDER = "orders"
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_\-]{0,62}")


class OrderFile(Struct, frozen=True):
    """An order by its name, or why its file cannot be read."""

    name: str
    order: StandingOrder | None
    fault: str = ""


def order_path(root: Path, name: str) -> Path:
    """The file of an order. Raises ParameterError for what can be no name."""
    if not _NAME.fullmatch(name):
        raise ParameterError(f"{name[:80]!r} is no name of an order; write letters, digits and dashes.")
    return root / ORDERS_FOLDER / f"{name}.json"


def load_order(root: Path, name: str) -> StandingOrder:
    """An order of a library. Raises ParameterError where there is none, and ReportFileError."""
    path = order_path(root, name)
    if not path.is_file():
        known = did_you_mean(name, [file.stem for file in (root / ORDERS_FOLDER).glob("*.json")])
        raise ParameterError(f"The library has no standing order {name!r}. {known}".strip())
    return load_part(path, StandingOrder, "northmoor_order", ORDER_VERSION, "a standing order")


def load_orders(root: Path) -> list[OrderFile]:
    """All orders of a library, by name."""
    found = []
    for path in sorted((root / ORDERS_FOLDER).glob("*.json")):
        if not _NAME.fullmatch(path.stem):
            continue
        try:
            found.append(OrderFile(path.stem, load_order(root, path.stem)))
        except NorthmoorError as error:
            found.append(OrderFile(path.stem, None, error.message))
    return found


def save_order(root: Path, name: str, order: StandingOrder) -> None:
    """Write an order. Raises ParameterError and ReportFileError."""
    path, text = order_path(root, name), part_text(order, "northmoor_order", ORDER_VERSION)
    try:
        path.parent.mkdir(exist_ok=True)
    except OSError as error:
        raise ReportFileError(f"{path.parent} cannot be made: {error.strerror}.") from error
    write_atomically(path, lambda part: part.write_text(text, encoding="utf-8"))


def free_order_name(root: Path, title: str) -> str:
    """A name for a new order."""
    base = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-")[:50] or "order"
    base = base if base[0].isalpha() else f"order-{base}"
    name, count = base, 2
    while order_path(root, name).exists():
        name, count = f"{base}-{count}", count + 1
    return name


def remove_order(root: Path, name: str) -> None:
    """Remove an order; its runs stay in the archive. Raises ParameterError and ReportFileError."""
    load_path = order_path(root, name)
    try:
        load_path.unlink()
    except OSError as error:
        raise ReportFileError(f"The order {name} cannot be removed: {error.strerror}.") from error
