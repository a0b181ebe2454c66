"""The list of strays: size, kind, what becomes of each. Made for very many rows."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QLabel, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QVBoxLayout, QWidget

from woad.app import straywork, theme
from woad.app.session import Session

_ROW_PX = 22
Index = QModelIndex | QPersistentModelIndex


class StrayModel(QAbstractListModel):
    """Rows straight from the items."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.items: straywork.Items = straywork.NONE

    def show(self, items: straywork.Items) -> None:
        if items is not self.items:
            self.beginResetModel()
            self.items = items
            self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.items)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        item = self.items.items[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{item.size_mm:.2f} mm · {item.kind} · " + (self.tr("goes") if item.goes else self.tr("stays"))
        return item if role == Qt.ItemDataRole.UserRole else None


class StrayRow(QStyledItemDelegate):
    """A small ring as on the sheet, the size in its own column, what it is."""

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(200, _ROW_PX)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        t = theme.current()
        item = index.data(Qt.ItemDataRole.UserRole)
        box = QRectF(option.rect)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(box, QColor(t.woad if chosen else t.field))
        pen = QPen(QColor(t.on_woad if chosen else t.madder if item.goes else t.woad), 1.5)
        pen.setStyle(Qt.PenStyle.SolidLine if item.goes else Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.drawEllipse(QRectF(box.left() + 8, box.center().y() - 5, 10, 10))
        painter.setFont(theme.font(12))
        painter.setPen(QColor(t.on_woad if chosen else t.text))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(box.left() + 24, box.top(), 62, box.height()), right, f"{item.size_mm:.2f} mm")
        painter.drawText(QRectF(box.left() + 98, box.top(), 60, box.height()), left, item.kind)
        painter.setPen(QColor(t.on_woad if chosen else t.quiet))
        painter.drawText(box.adjusted(0, 0, -10, 0), right, self.tr("goes") if item.goes else self.tr("stays"))
        painter.restore()


class StrayList(QWidget):
    """Click a row, or go through them with the arrow keys, to see the stray on the sheet."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.view = QListView(self)
        self.view.setAccessibleName(self.tr("Strays"))
        self.view.setUniformItemSizes(True)
        self.view.setFixedHeight(5 * _ROW_PX + 4)
        self.model = StrayModel(self)
        self.view.setModel(self.model)
        self.view.setItemDelegate(StrayRow(self.view))
        self.view.selectionModel().currentChanged.connect(self._chosen)
        self.view.clicked.connect(lambda index: straywork.choose(session, index.row()))
        column.addWidget(self.view)
        self.note = QLabel("", self)
        self.note.setWordWrap(True)
        self.note.setProperty("role", "quiet")
        column.addWidget(self.note)
        self._loading = False

    def show_items(self, items: straywork.Items) -> None:
        self._loading = True
        self.model.show(items)
        at = straywork.chosen(self.session)
        if at >= 0:
            index = self.model.index(at)
            if self.view.currentIndex() != index:
                self.view.setCurrentIndex(index)
        else:
            self.view.clearSelection()
        many = len(items) > straywork.MANY
        self.note.setText(
            self.tr(
                "Very many specks, shown as dots. Raise the clearing or the paper point, or take off all small ones."
            )
            if many
            else ""
        )
        self.note.setVisible(many)
        self.view.setVisible(len(items) > 0)
        self._loading = False

    def _chosen(self, index: QModelIndex, _before: QModelIndex) -> None:
        if not self._loading and index.isValid():
            straywork.choose(self.session, index.row())
