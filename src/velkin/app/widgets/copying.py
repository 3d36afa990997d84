"""Copying a table as text: what is selected in it, or all of it, with tabs between, as spreadsheets take it."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

from PyQt6.QtCore import QAbstractItemModel, QAbstractListModel, QModelIndex, Qt
from PyQt6.QtWidgets import QAbstractItemView, QWidget


@runtime_checkable
class HasTable(Protocol):
    """A widget that draws a table itself."""

    def table_text(self) -> str:
        """Its lines, with tabs between; empty while there are none."""


def table_text(widget: QWidget | None) -> str | None:
    """What a copy from a widget is; None where it is no table."""
    if isinstance(widget, HasTable):
        return widget.table_text()
    if not isinstance(widget, QAbstractItemView):
        return None
    model, selection = widget.model(), widget.selectionModel()
    if model is None:
        return ""
    columns = range(1 if isinstance(model, QAbstractListModel) else model.columnCount())
    rows = _rows(model, QModelIndex())
    chosen = {(i.parent(), i.row()) for i in selection.selectedIndexes()} if selection is not None else set()
    if len(chosen) > 1:
        rows = [r for r in rows if (r.parent(), r.row()) in chosen]
    if len(columns) == 1:
        return "\n".join(str(r.data() or "") for r in rows)
    heads = [str(model.headerData(c, Qt.Orientation.Horizontal) or "") for c in columns]
    lines = [[str(r.sibling(r.row(), c).data() or "") for c in columns] for r in rows]
    return "\n".join("\t".join(line) for line in [heads, *lines])


def _rows(model: QAbstractItemModel, parent: QModelIndex) -> list[QModelIndex]:
    found = []
    for row in range(model.rowCount(parent)):
        index = model.index(row, 0, parent)
        found += [index, *_rows(model, index)]
    return found
