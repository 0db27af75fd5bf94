"""The JSON Schemas of the files of deliveries, beside those of the library's other files."""

from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.destinations.settings import DeliverySettings
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.model.base import Part

DELIVERY_SCHEMAS: dict[str, type[Part]] = {
    "order": StandingOrder,
    "delivery": DeliverySettings,
    "run": RunRecord,
}
"""The model of each file, by the name that its schema in docs begins with."""
