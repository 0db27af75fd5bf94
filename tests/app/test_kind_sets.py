"""The window's half of each set of kinds covers the core's: what the core can hold, the window can show and ask for."""

from collections.abc import Collection
from typing import Any, get_args

import pytest

from northmoor.app.data.query.dialogs import join_dialog, operand_editor
from northmoor.app.data.signals import signal_sentence
from northmoor.app.delivery.delivery_snapshot import TONES, TRIGGER_ICONS
from northmoor.app.delivery.order_form import destination_rows
from northmoor.app.pages.inspector import inspector_panel
from northmoor.app.parameters.bar_item import CONTROLS
from northmoor.app.parameters.parameter_form import CONTROL_LABELS, HOLDS
from northmoor.app.widgets.kind_looks import KIND_LOOKS
from northmoor.core.delivery.archive.run_record import RUN_STATES
from northmoor.core.delivery.destinations.destination import Destination
from northmoor.core.delivery.orders.triggers import Trigger
from northmoor.core.model.data.signal_queries import Calendar, MeasurementsQuery
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, ControlName
from northmoor.core.model.parameters import Holds
from northmoor.core.sources.builder.joins import JoinKind
from northmoor.core.sources.builder.operands import OperandKind
from northmoor.core.sources.drivers import postgresql


def kinds(union: Any) -> set[str]:
    """The values of `kind` that tell the parts of a union apart."""
    return {part.model_fields["kind"].default for part in get_args(get_args(union)[0])}


@pytest.mark.parametrize(
    ("own", "wanted"),
    [
        (KIND_LOOKS, KIND_OF_NAME),
        (postgresql._OIDS, KIND_OF_NAME),
        (CONTROLS, get_args(ControlName)),
        (CONTROL_LABELS, get_args(ControlName)),
        (HOLDS, get_args(Holds)),
        (operand_editor.KIND_LABELS, get_args(OperandKind)),
        (operand_editor._HINTS, get_args(OperandKind)),
        (join_dialog._KINDS, get_args(JoinKind)),
        (signal_sentence._CALENDAR, get_args(Calendar)),
        (signal_sentence._GIVEN, set(get_args(MeasurementsQuery.model_fields["give"].annotation)) - {"statistics"}),
        (TONES, RUN_STATES),
        (TRIGGER_ICONS, kinds(Trigger)),
        (destination_rows._OPTIONS, kinds(Destination) - {"command"}),  # which has nothing but its name
    ],
)
def test_each_kind_has_its_other_half(own: Collection[str], wanted: Collection[str]) -> None:
    assert set(own) == set(wanted)


def test_each_part_that_can_be_selected_has_a_form() -> None:
    assert set(inspector_panel._PARTS) <= inspector_panel._FORMS.keys()
