"""Tools: how long each has worked since it was seen to, and whether it is worn."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.work.catalogue import Operation

CARES = ("sharpened", "paper changed", "blade changed", "trued")
NEAR = 0.85
"""From this share of its life on, a tool is said to be near its end."""


@dataclass(frozen=True, slots=True)
class Tool:
    """A tool whose state matters: what is done to it (`care`), how many minutes of work that lasts, and when it was
    last done.
    """

    id: int
    name: str
    care: str
    lasts_min: int | None
    note: str
    since: str | None


@dataclass(frozen=True, slots=True)
class Worked:
    """A finished step with its minutes; None where no start was kept."""

    step: str
    at: str
    minutes: float | None


@dataclass(frozen=True, slots=True)
class ToolState:
    """A tool with the minutes it has worked since it was seen to."""

    tool: Tool
    minutes: float

    @property
    def worn(self) -> bool:
        """Whether it has worked as long as its care lasts."""
        return self.tool.lasts_min is not None and self.minutes >= self.tool.lasts_min

    @property
    def near(self) -> bool:
        """Whether it is worn or nearly so."""
        return self.tool.lasts_min is not None and self.minutes >= NEAR * self.tool.lasts_min


def states(tools: Sequence[Tool], operations: Mapping[str, Operation], worked: Sequence[Worked]) -> list[ToolState]:
    """What each tool has worked: a step counts for every tool that its operation names; without a start it counts
    with the usual minutes' base.
    """
    tools_now = []
    for tool in tools:
        minutes = 0.0
        for one in worked:
            operation = operations.get(one.step)
            if operation is None or (tool.since is not None and one.at < tool.since):
                continue
            if tool.name.lower() in (name.lower() for name in operation.tools):
                minutes += one.minutes if one.minutes is not None else operation.minutes[0]
        tools_now.append(ToolState(tool, minutes))
    return tools_now


def state_for(operation: Operation, found: Sequence[ToolState]) -> str:
    """The state that an operation's minutes follow: `worn` when one of its tools is."""
    names = {name.lower() for name in operation.tools}
    return "worn" if any(tool.worn and tool.tool.name.lower() in names for tool in found) else "sharp"
