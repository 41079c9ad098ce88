"""The steps of a level-and-dress job, worked out from what has been recorded: what is done, what comes next and why."""

from dataclasses import dataclass

from deft_bench.core.steps import Step


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of a job. Counts are of the latest fret-height survey; `plan` is the latest accepted plan.

    `plan_kind` is `level`, `lift` or `refret`; `surveyed_since` says that the latest survey was started after the plan
    was carried out. `moved` says what was done to the neck since the heights were read, empty when they still hold.
    """

    surveyed: bool = False
    read: int = 0
    places: int = 0
    when: str = "before"
    plan_kind: str | None = None
    plan_done: bool = False
    surveyed_since: bool = False
    gate_passes: bool = False
    closed: bool = False
    moved: str = ""

    @property
    def stale(self) -> bool:
        """Whether the heights are older than what was done since, and a call would be made from them."""
        return bool(self.moved) and not self.gate_passes


TITLES = {
    "survey": "Survey",
    "plan": "Level plan",
    "work": "At the bench",
    "after": "After-survey",
    "close": "Record",
}


def level_now(facts: Facts) -> tuple[str, str]:
    """The code of the step to do now and a line that says it."""
    if facts.closed:
        return "closed", "Closed: the record is kept."
    if not facts.surveyed:
        return "survey", "Survey the fret heights."
    if facts.plan_kind and not facts.plan_done:
        return "work", _say_work(facts)
    if facts.plan_kind and not facts.surveyed_since:
        if facts.plan_kind == "level":
            return "after", "Survey again: the gate judges it against the plan."
        return "survey", "Survey again before any metal comes off."
    return _by_heights(facts)


def _say_work(facts: Facts) -> str:
    """What an accepted plan that is not carried out asks for."""
    if facts.stale:
        return f"The neck has moved since this was planned: {facts.moved}. Read the heights again."
    assert facts.plan_kind is not None
    what = {
        "level": "Level to the plan",
        "lift": "Lift the named frets",
        "refret": "Replace the named frets",
    }
    return f"{what[facts.plan_kind]}, then mark it done."


def _by_heights(facts: Facts) -> tuple[str, str]:
    """The step where the latest heights decide it."""
    if facts.stale:
        step = "after" if facts.plan_kind == "level" else "survey"
        return step, f"The neck has moved since: {facts.moved}. Read the heights again."
    if facts.read < facts.places and not facts.gate_passes:
        step = "after" if facts.when == "after" else "survey"
        return step, f"Finish the survey: {facts.read} of {facts.places} read."
    if facts.when == "after" and facts.plan_kind == "level":
        if facts.gate_passes:
            return "close", "The gate has passed: close the job."
        return "plan", "The gate has not passed: plan what is left."
    return "plan", "Read the call and accept a plan."


def level_steps(facts: Facts) -> list[Step]:
    """The five steps with their state; a closed job has all of them behind it."""
    code, say = level_now(facts)
    order = list(TITLES)
    place = order.index(code) if code in order else len(order)
    return [
        Step(step, title, "done" if i < place else "now" if i == place else "later", say if i == place else "")
        for i, (step, title) in enumerate(TITLES.items())
    ]
