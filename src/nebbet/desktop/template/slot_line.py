"""A field of one line in a form that takes placeholders as the text does."""

from PySide6.QtWidgets import QSizePolicy

from nebbet.core import inline
from nebbet.desktop.kit import theme
from nebbet.desktop.paper.template_edit import Names, TemplateEdit


class SlotLine(TemplateEdit):
    """A line with a frame; its text is read and set as it is written, with {{name}}."""

    def __init__(self, name: str, names: Names, prompt: str = "") -> None:
        super().__init__(names, single=True)
        theme.named(self, name)
        self.setObjectName("slotline")
        self.setPlaceholderText(prompt)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """What stands here."""
        return inline.source(self.line())

    def set_text(self, text: str) -> None:
        """Show another text; undo begins anew."""
        if text != self.text():
            self.load(inline.parse(text))
