"""`python -m standin fault`: make a running plant sick, mend it, or list what there is."""

import asyncio
import json
from collections.abc import Sequence

from asyncua import Client, ua

from standin.served import NAMESPACE
from stock.line.definition import Definition
from stock.simulate.faults import FAULTS
from stock.simulate.plant import Plant

ANSWERS_S = 20.0  # a plant that catches up, or a machine that is busy, answers late


def listed(line: Definition) -> str:
    """Return every kind of fault with its parameters and where it can be on a line."""
    plant, rows = Plant(line), []
    for name, kind in FAULTS.items():
        params = ", ".join(
            f"{param} {usual:g} ({low:g} to {high:g})" for param, (usual, low, high) in kind.params.items()
        )
        rows.append(
            f"{name}: {kind.words}{f'; {params}' if params else ''}\n    {', '.join(kind.places(plant)) or 'nowhere here'}"
        )
    return "\n".join(rows)


def switch(endpoint: str, words: Sequence[str]) -> tuple[int, str]:
    """Switch a fault on or off at a running plant; return an exit status and what to say."""
    if words[0] == "mend":
        if len(words) != 2 or not words[1].isdigit():
            return 2, "say which: mend NUMBER"
        call: tuple[str, tuple[object, ...]] = ("mend", (int(words[1]),))
    else:
        if len(words) < 2:
            return 2, "say KIND and PLACE"
        params = {}
        for word in words[2:]:
            name, equals, value = word.partition("=")
            try:
                params[name] = float(value)
            except ValueError:
                return 2, f"{word}: write name=value, the value a number" if equals else f"{word}: write name=value"
        call = ("fault", (words[0], words[1], json.dumps(params)))
    answer = json.loads(asyncio.run(_call(endpoint, *call)))
    if not answer["ok"]:
        return 2, f"{answer['message']}. Allowed: {answer['allowed']}"
    return 0, str(answer.get("said") or f"fault {answer['id']} is on; mend it with: mend {answer['id']}")


async def _call(endpoint: str, method: str, arguments: tuple[object, ...]) -> str:
    async with Client(endpoint, timeout=ANSWERS_S) as client:
        index = await client.get_namespace_index(NAMESPACE)
        line = client.get_node(ua.NodeId("Line", index))
        return str(await line.call_method(ua.NodeId(method, index), *arguments))
