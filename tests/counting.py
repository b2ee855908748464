"""A memo that counts, to see which nodes were run again."""

from collections import Counter

from estompe.evaluation import Memo
from estompe.evaluation.running.memo import DEFAULT_BUDGET


class CountingMemo(Memo):
    """How often the function of each node was really run."""

    def __init__(self, budget: int = DEFAULT_BUDGET) -> None:
        super().__init__(budget)
        self.computed: Counter[str] = Counter()

    def keep(self, nodes):
        self.computed.update(node.name for node in nodes)
        super().keep(nodes)
