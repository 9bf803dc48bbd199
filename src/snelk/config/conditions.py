"""The language of conditions: what makes an agent change its alert state.

`parse` turns text into a tree; nothing of it is ever run as code. The tree is evaluated on arrays
by `snelk.mind.evaluation`. The language is described in docs/conditions.md.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from snelk.config.nodes import LONGEST_TEXT, ConditionError, Node


@dataclass(frozen=True)
class Condition:
    """A condition that has been understood.

    Attributes:
        text: As it was written.
        root: The tree.
    """

    text: str
    root: Node

    def leaves(self) -> tuple[Node, ...]:
        """The truths that it consists of, in the order of the text."""
        return tuple(node for node in self.root.walk() if node.is_leaf)

    def words_in(self, node: Node) -> str:
        """A part as it was written."""
        return self.text[node.start : node.end].strip()


@lru_cache(maxsize=4096)
def parse(text: str) -> Condition:
    """Understand a condition.

    Raises:
        ConditionError: It is too long or nested too deep, or a word, unit or sign is wrong.

    >>> [node.word for node in parse("seen or lost_for > 3s and not told").leaves()]
    ['seen', '>', 'told']
    >>> parse("metre >= 0.6")
    Traceback (most recent call last):
    snelk.config.nodes.ConditionError: column 1: no such signal, "metre"; did you mean "meter"?
    """
    if not text.strip():
        raise ConditionError(0, "is empty", 'write a condition such as "meter >= 0.6 and seen"')
    if len(text) > LONGEST_TEXT:
        rule = f"has {len(text)} letters, more than {LONGEST_TEXT}"
        raise ConditionError(0, rule, "split it into two transitions")
    from snelk.config.grammar import tree_of  # with its parser, which takes a while to load

    return Condition(text, tree_of(text))
