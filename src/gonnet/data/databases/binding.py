"""Parameters in SQL that goes to a database: `$name` becomes a bound parameter of that database, never text."""

from __future__ import annotations

import re
from collections.abc import Callable

# What is no code: strings, quoted names, comments, and PostgreSQL's dollar-quoted strings.
_TOKENS = re.compile(
    r"""(?P<skip>'(?:[^']|'')*' | "(?:[^"]|"")*" | `[^`]*` | --[^\n]* | /\*.*?\*/ | (?P<tag>\$\w*\$).*?(?P=tag))
      | \$(?P<name>[A-Za-z_]\w*) | (?P<colon>:) | (?P<percent>%)""",
    re.VERBOSE | re.DOTALL,
)


def bound(
    sql: str, write: Callable[[str], str], *, colon: str = ":", percent: str = "%"
) -> tuple[str, tuple[str, ...]]:
    """`sql` with every `$name` rewritten by `write`, and the names in the order of their first use.

    Args:
        sql: One statement.
        write: Gives the way a dialect writes a parameter.
        colon: How a colon outside a parameter is written, also inside strings.
        percent: How a percent sign is written, also inside strings.
    """
    names: dict[str, None] = {}

    def plain(text: str) -> str:
        return text.replace(":", colon).replace("%", percent)

    def rewritten(found: re.Match[str]) -> str:
        if found["name"]:
            names[found["name"]] = None
            return write(found["name"])
        return plain(found[0])

    return _TOKENS.sub(rewritten, sql), tuple(names)
