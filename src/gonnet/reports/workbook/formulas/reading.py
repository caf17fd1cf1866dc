"""Formulas as trees."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from openpyxl.formula.tokenizer import Token, Tokenizer

from gonnet.reports.workbook.formulas.values import BeyondError, ErrorValue, Value


@dataclass(frozen=True, slots=True)
class Constant:
    """A number, a text, a truth or an error that stands in the formula."""

    value: Value


@dataclass(frozen=True, slots=True)
class Reference:
    """Cells, or a name."""

    text: str


@dataclass(frozen=True, slots=True)
class Call:
    """A function with its arguments, or an operator: `+`, `u-` (a sign in front), `%`."""

    name: str
    arguments: tuple[Node, ...]


Node = Constant | Reference | Call

_STRENGTH = {"=": 1, "<>": 1, "<": 1, "<=": 1, ">": 1, ">=": 1, "&": 2, "+": 3, "-": 3, "*": 4, "/": 4, "^": 5}
_DEEPEST = 60


@lru_cache(maxsize=20_000)
def read(formula: str) -> Node:
    """The tree of a formula that begins with `=`.

    Raises:
        BeyondError: it has something that is not read here.
    """
    reader = _Reader([token for token in Tokenizer(formula).items if token.type != Token.WSPACE])
    found = reader.expression(1)
    if reader.token is not None:
        raise BeyondError(f"{reader.token.value!r} is not expected there")
    return found


class _Reader:
    def __init__(self, tokens: list[Token]) -> None:
        self._tokens, self._at, self._depth = tokens, 0, 0

    @property
    def token(self) -> Token | None:
        return self._tokens[self._at] if self._at < len(self._tokens) else None

    def _take(self) -> Token:
        if (found := self.token) is None:
            raise BeyondError("it ends too early")
        self._at += 1
        return found

    def expression(self, least: int) -> Node:
        """What operators join that bind at least so strongly; they are taken from left to right."""
        self._depth += 1
        if self._depth > _DEEPEST:
            raise BeyondError("it is nested too deeply")
        left = self._operand()
        while (token := self.token) is not None and token.type == Token.OP_IN:
            strength = _STRENGTH.get(token.value)
            if strength is None:
                raise BeyondError(f"the operator {token.value!r}")
            if strength < least:
                break
            self._at += 1
            left = Call(token.value, (left, self.expression(strength + 1)))
        self._depth -= 1
        return left

    def _operand(self) -> Node:
        token = self._take()
        match token.type:
            case Token.OP_PRE:
                return Call(f"u{token.value}", (self._operand(),))
            case Token.PAREN if token.subtype == Token.OPEN:
                found = self.expression(1)
                self._require(Token.PAREN)
            case Token.FUNC if token.subtype == Token.OPEN:
                found = Call(token.value.rstrip("(").upper(), tuple(self._arguments()))
            case Token.OPERAND:
                found = _constant(token)
            case _:
                raise BeyondError(f"{token.value!r}")
        while (after := self.token) is not None and after.type == Token.OP_POST:
            self._at += 1
            found = Call(after.value, (found,))
        return found

    def _arguments(self) -> list[Node]:
        found: list[Node] = []
        while True:
            token = self.token
            if token is not None and token.type == Token.FUNC and token.subtype == Token.CLOSE:
                self._at += 1
                return found
            if token is not None and token.type == Token.SEP and not found:
                raise BeyondError("an argument that is left out")
            found.append(self.expression(1))
            token = self.token
            if token is not None and token.type == Token.SEP:
                self._at += 1

    def _require(self, kind: str) -> None:
        token = self._take()
        if token.type != kind or token.subtype != Token.CLOSE:
            raise BeyondError(f"{token.value!r} is not expected there")


def _constant(token: Token) -> Node:
    match token.subtype:
        case Token.NUMBER:
            return Constant(float(token.value))
        case Token.TEXT:
            return Constant(token.value[1:-1].replace('""', '"'))
        case Token.LOGICAL:
            return Constant(token.value.upper() == "TRUE")
        case Token.ERROR:
            return Constant(ErrorValue(token.value))
        case _:
            return Reference(token.value)


def functions_in(formula: str) -> set[str]:
    """The functions that a formula names, in capitals."""
    tokens = Tokenizer(formula).items
    return {
        token.value.rstrip("(").upper() for token in tokens if token.type == Token.FUNC and token.subtype == Token.OPEN
    }
