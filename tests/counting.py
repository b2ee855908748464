"""A memo that counts, to see what was computed again."""

from collections import Counter

from estompe.evaluation import Memo
from estompe.evaluation.running.memo import DEFAULT_BUDGET


class CountingMemo(Memo):
    """How often each kind of stage was really run."""

    def __init__(self, budget: int = DEFAULT_BUDGET) -> None:
        super().__init__(budget)
        self.computed: Counter[str] = Counter()

    def keep(self, stages):
        self.computed.update(stage.name for stage in stages)
        super().keep(stages)
