"""Finding entries of the catalog by what people say: names, other words, settings, both spellings, and small typing errors."""

import re
from collections.abc import Iterable, Iterator
from functools import cache
from typing import NamedTuple

_WORD = re.compile(r"[a-z0-9]+")
_SPELLINGS = {
    "colour": "color", "coloured": "color", "colored": "color", "grey": "gray", "centre": "center", "fibre": "fiber",
    "neighbour": "neighbor", "mould": "mold", "metre": "meter", "smoulder": "smolder", "randomise": "randomize",
    "tessellate": "tesselate", "normalise": "normalize",
}  # fmt: skip
"""British and other spellings, as one form."""
_LABEL, _LABEL_PART, _OTHER, _OTHER_PART, _SETTING, _TEXT, _GROUP = 100.0, 60.0, 50.0, 26.0, 14.0, 8.0, 5.0
"""What a word counts where it is found: the label, a word of it, another word, part of one, a setting, the text, the group."""
_STARTS, _TYPED_WRONG = 0.7, 0.4
"""How much less a word counts that only begins with what was typed, or that differs by a typing error."""


class Searchable(NamedTuple):
    """What is searched of an entry: its label, other words, labels of settings, and its text; words in one form each."""

    label: tuple[str, ...]
    phrases: tuple[tuple[str, ...], ...]
    settings: frozenset[str]
    text: frozenset[str]
    group: frozenset[str]

    def vocabulary(self) -> Iterator[str]:
        """Every word that a typing error may have been meant for."""
        yield from self.label
        for phrase in self.phrases:
            yield from phrase
        yield from self.settings


@cache
def searchable(label: str, text: str, group: str, words: str, settings: tuple[str, ...]) -> Searchable:
    """What is searched of an entry. words: other words, separated by commas."""
    phrases = tuple(tokens(phrase) for phrase in words.split(",") if phrase.strip())
    named = frozenset(word for name in settings for word in tokens(name))
    return Searchable(tokens(label), phrases, named, frozenset(tokens(text)), frozenset(tokens(group)))


def tokens(text: str) -> tuple[str, ...]:
    """The words of a text in one form: lower case, one spelling, singular."""
    return tuple(_form(word) for word in _WORD.findall(text.lower()))


def _form(word: str) -> str:
    word = _SPELLINGS.get(word, word)
    if len(word) > 3 and word.endswith("s") and not word.endswith(("ss", "us", "is")):
        word = word[:-2] if word.endswith(("shes", "ches", "xes")) else word[:-1]
    return _SPELLINGS.get(word, word)


def score(item: Searchable, query: tuple[str, ...]) -> float:
    """How well an entry fits words, 0 where one of them fits nothing."""
    if query == item.label:
        return 2 * _LABEL
    if query in item.phrases:
        whole = _LABEL_PART if len(query) == 1 else _LABEL
        return whole + _LABEL_PART * all(word in item.label for word in query) + _early(item, query)
    scores = [_of_word(item, word) for word in query]
    return sum(scores) / len(scores) if all(scores) else 0.0


def loose_score(item: Searchable, query: tuple[str, ...]) -> float:
    """How well an entry fits some of several words."""
    return sum(_of_word(item, word) for word in query) / len(query)


def _early(item: Searchable, query: tuple[str, ...]) -> float:
    """Words that stand first among the others are meant first."""
    return 10.0 / (1 + item.phrases.index(query))


def _of_word(item: Searchable, word: str) -> float:
    places = (
        (item.label, _LABEL if len(item.label) == 1 else _LABEL_PART),
        ([phrase[0] for phrase in item.phrases if len(phrase) == 1], _OTHER),
        ([part for phrase in item.phrases if len(phrase) > 1 for part in phrase], _OTHER_PART),
        (item.settings, _SETTING),
        (item.text, _TEXT),
        (item.group, _GROUP),
    )
    return max(weight * _fit(words, word) for words, weight in places)


def _fit(words: Iterable[str], word: str) -> float:
    best = 0.0
    for other in words:
        if other == word:
            return 1.0
        if len(word) > 1 and other.startswith(word):
            best = max(best, _STARTS)
        elif len(word) > 3:
            errors = typing_errors(word, other)
            best = max(best, _TYPED_WRONG / errors if errors else 0.0)
    return best


def typing_errors(one: str, other: str) -> int:
    """How many typing errors two words differ by: a letter more, less, another, or two exchanged; 0 for more than is likely.

    After Damerau, "A technique for computer detection and correction of spelling errors" (1964), doi:10.1145/363958.363994.
    """
    most = 1 if min(len(one), len(other)) < 8 else 2
    if one[0] != other[0] or abs(len(one) - len(other)) > most:
        return 0
    distance = _distance(one, other)
    return distance if distance <= most else 0


def _distance(one: str, other: str) -> int:
    rows = [list(range(len(other) + 1))]
    for i, a in enumerate(one, start=1):
        row = [i]
        for j, b in enumerate(other, start=1):
            cost = min(rows[-1][j] + 1, row[j - 1] + 1, rows[-1][j - 1] + (a != b))
            if i > 1 and j > 1 and a == other[j - 2] and one[i - 2] == b:
                cost = min(cost, rows[-2][j - 2] + 1)
            row.append(cost)
        rows.append(row)
    return rows[-1][-1]
