"""What is wrong with the parts that a panel shows, said below each of them."""

from collections import defaultdict
from collections.abc import Iterable

from PyQt6.QtWidgets import QLabel

from estompe.app.widgets.labels import label
from estompe.document.edits import ScenePath
from estompe.evaluation.frame import Problem


class Problems:
    """Labels below parts, empty and hidden while nothing is wrong with them."""

    def __init__(self) -> None:
        self.labels: dict[str, QLabel] = {}

    def label(self, part: str = "") -> QLabel:
        """The label below a part by its id, or the one for all that belongs to none of the parts."""
        made = self.labels[part] = label("", "error", wrap=True)
        made.setContentsMargins(0, 0, 0, 6)
        made.hide()
        return made

    def show(self, problems: Iterable[Problem], whole: ScenePath) -> None:
        """Say what is wrong inside a shape or falloff (`whole`), each below the effect or layer it is about."""
        texts = defaultdict(list)
        for problem in problems:
            if problem.path[:2] == whole:
                part = str(problem.path[3]) if len(problem.path) > 3 else ""
                texts[part if part in self.labels else ""].append(problem.text)
        for part, shown in self.labels.items():
            shown.setText("\n".join(texts[part]))
            shown.setVisible(bool(texts[part]))
