"""The grammar of conditions, and the parser that Lark makes from it.

Making it takes longer than using it, so `setup.py` makes it once and stores it beside this module.
It is used only if grammar, Lark and Python are the same.
"""

from __future__ import annotations

import hashlib
import io
import sys
from functools import cache
from pathlib import Path

import lark
from lark import Lark

GRAMMAR = r"""
?start: either
?either: one_of ("or" one_of)*
?one_of: both ("xor" both)*
?both: negated ("and" negated)*
?negated: "not" negated -> negation
        | compared
?compared: sum (COMPARISON sum)?
?sum: product (SIGN product)*
?product: factor (TIMES factor)*
?factor: SIGN factor -> signed
       | NUMBER UNIT? -> number
       | NAME "." NAME -> attribute
       | NAME "(" either ")" -> call
       | NAME -> signal
       | TEXT -> text
       | "(" either ")" -> inner
COMPARISON: "<=" | ">=" | "==" | "!=" | "<" | ">"
SIGN: "+" | "-"
TIMES: "*" | "/"
UNIT: /(deg|s|m)(?![A-Za-z0-9_])/
NUMBER: /(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?/
NAME: /[A-Za-z_][A-Za-z0-9_]*/
TEXT: /"[^"\n]*"|'[^'\n]*'/
%ignore /[ \t\r\n]+/
"""

KEPT = Path(__file__).with_name("_syntax.bin")


@cache
def parser() -> Lark:
    """The parser of conditions, kept or made."""
    try:
        key, _, made = KEPT.read_bytes().partition(b"\n")
    except OSError:
        return _made()
    return Lark.load(io.BytesIO(made)) if key == _key(made) else _made()


def keep() -> None:
    """Make the parser and keep it; what `setup.py` calls."""
    made = io.BytesIO()
    _made().save(made)
    KEPT.write_bytes(_key(made.getvalue()) + b"\n" + made.getvalue())


def _made() -> Lark:
    return Lark(GRAMMAR, parser="lalr", propagate_positions=True, maybe_placeholders=False)


def _key(made: bytes) -> bytes:
    of = f"{lark.__version__} {sys.implementation.cache_tag} {GRAMMAR}"
    return hashlib.blake2b(of.encode() + made).hexdigest().encode()
