"""What a field is in a block that is begun with it: a column, a group, a total of some kind."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QComboBox

from northmoor.app.language.translation import in_sentence, tr
from northmoor.core.authoring.starters.block_starters import BlockStarter, ChosenField, RoleChoice

_COUNT = "count"


class RoleChoiceBox(QComboBox):
    """The roles that a field can have, one of them chosen; `chosen` is the field in that one."""

    def __init__(
        self, starter: BlockStarter, shown: ChosenField, is_number: bool, others: Sequence[RoleChoice] = ()
    ) -> None:
        super().__init__()
        self._field = shown.field
        self.setAccessibleName(tr("What {label} is").format(label=shown.field.label))
        self.setToolTip(
            tr("What {field} is in the {starter}").format(
                field=shown.field.label, starter=in_sentence(tr(starter.label))
            )
        )
        total = shown.field.total or _COUNT
        for choice in (*starter.choices(is_number), *others):
            self.addItem(tr(choice.label), choice)
            if choice.role == shown.role and choice.total in (None, total):
                self.setCurrentIndex(self.count() - 1)

    @property
    def chosen(self) -> ChosenField:
        """The field in the role that is chosen."""
        choice: RoleChoice = self.currentData()
        return choice.of(self._field)


def surplus_words(starter: BlockStarter, chosen: Sequence[ChosenField]) -> str:
    """Which of the chosen fields is not shown, and why; nothing where all are."""
    return " ".join(
        tr("{field} is not shown: only one field can have the role {role}.").format(
            field=each.field.label, role=tr(starter.roles[each.role])
        )
        for each in starter.surplus(chosen)
    )
