"""The manual in a window of its own: it stays open beside the work, at what one was looking at."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt, QUrl
from PySide6.QtGui import QKeySequence, QShortcut, QTextDocument
from PySide6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import plain_line
from keen_compass.language import tr
from keen_compass.words.manual import CHAPTERS, PICTURES, Topic, found, topic

NAME = Qt.ItemDataRole.UserRole
LEAST_WIDTH, BESIDE_TITLES = 240, 46  # px: of the list; for its rim and its scroll bar
SIZE = (1000, 660)  # px


def show_manual(parent: QWidget, name: str) -> ManualWindow:
    """At that page, in the window that is open already where there is one."""
    manual = parent.findChild(ManualWindow) or ManualWindow(parent)
    manual.show_topic(name)
    manual.show()
    manual.raise_()
    manual.activateWindow()
    manual.search.setFocus()
    return manual


class ManualWindow(QDialog):
    """Chapters on the left, or what was found; the page on the right."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Manual"))
        self.resize(*SIZE)
        self.search = plain_line(tr("Search the manual"), tr("Search"))
        self.search.textChanged.connect(self._list)
        self.search.returnPressed.connect(self._open_first)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Pages"))
        self.list.currentItemChanged.connect(self._chosen)
        self.page = QTextBrowser()
        self.page.setAccessibleName(tr("Page"))
        self.page.setOpenLinks(False)
        self.page.setSearchPaths([str(PICTURES)])
        self.page.anchorClicked.connect(self._follow)
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 16, 16, 16)
        layout.setSpacing(14)
        layout.addLayout(left, 0)
        layout.addWidget(self.page, 1)
        QShortcut(QKeySequence.StandardKey.Find, self, self.search.setFocus)
        down = QShortcut("Down", self.search, self.list.setFocus)
        down.setContext(Qt.ShortcutContext.WidgetShortcut)  # in the list itself the key goes from page to page
        self._shown = ""
        self._list("")
        for each in (self.search, self.list):  # as wide as the longest title
            each.setFixedWidth(max(LEAST_WIDTH, self.list.sizeHintForColumn(0) + BESIDE_TITLES))

    def show_topic(self, name: str) -> None:
        """Also where another page, or a search, is shown."""
        self.search.clear()
        for row in range(self.list.count()):
            if self.list.item(row).data(NAME) == name:
                self.list.setCurrentRow(row)
        self._render(name)

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.PaletteChange and self._shown:
            self._render(self._shown)

    def _list(self, words: str) -> None:
        """All chapters, or the pages in which the words stand."""
        self.list.blockSignals(True)
        self.list.clear()
        if words.strip():
            hits = found(words)
            for hit in hits:
                self._add(hit)
            if not hits:
                self._add_heading(tr("Nothing found"))
        else:
            for chapter, names in CHAPTERS.items():
                self._add_heading(tr(chapter))
                for name in names:
                    self._add(topic(name))
        self.list.blockSignals(False)

    def _add(self, page: Topic) -> None:
        item = QListWidgetItem(page.title, self.list)
        item.setData(NAME, page.name)

    def _add_heading(self, words: str) -> None:
        item = QListWidgetItem(words, self.list)
        item.setFont(th.font(th.TEXT, bold=True))
        item.setFlags(Qt.ItemFlag.NoItemFlags)

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(NAME):
            self._render(item.data(NAME))

    def _open_first(self) -> None:
        """What Enter does while searching."""
        if self.list.count() and self.list.item(0).data(NAME):
            self.list.setCurrentRow(0)

    def _follow(self, url: QUrl) -> None:
        self.show_topic(url.fileName().removesuffix(".html"))

    def _render(self, name: str) -> None:
        self._shown = name
        document = QTextDocument(self.page)
        document.setDefaultFont(th.font(17))
        document.setDocumentMargin(18)
        document.setDefaultStyleSheet(_style())
        self.page.setDocument(document)
        self.page.setHtml(topic(name).html)
        words = self.search.text().split()
        if words:
            self.page.find(words[0])


def _style() -> str:
    t = th.theme()
    return f"""
    h1, h2 {{ font-weight: 600; }}
    p, li, td, th {{ color: {t.ink}; }} a {{ color: {t.focus}; }}
    pre {{ white-space: pre-wrap; }} pre, code {{ color: {t.ink}; background-color: {t.quiet_fill}; }}
    th {{ text-align: left; }} td, th {{ padding: 3px 14px 3px 0; }}
    """
