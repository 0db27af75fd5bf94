"""Headings of sections, and hairlines between them."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QLabel


def section(text: str) -> QLabel:
    """A heading."""
    label = QLabel(text)
    label.setObjectName("section")
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


def line() -> QFrame:
    """A hairline between parts."""
    rule = QFrame()
    rule.setObjectName("hairline")
    rule.setFixedHeight(1)
    return rule
