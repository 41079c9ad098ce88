"""Signing a step of a setup off with a reason where its gate is not met, and asking for it again."""

from dataclasses import dataclass
from datetime import datetime

from deft_bench.bench.setup.readings import setup_facts
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.steps import Step
from deft_bench.core.strings.setup_job import SIGNED, TITLES, SetupFacts, setup_steps
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.core.times import stamp
from deft_bench.store import instruments, jobs, setups
from deft_bench.store.database import Connection

MOST_REASON = 400
"""Letters of a reason."""


class NotSignedError(ValueError):
    """Why a step is not signed off, and what is accepted."""


@dataclass(frozen=True, slots=True)
class Signing:
    """The step that may be signed off now, None where it is not one of those; and those that are, with why."""

    now: Step | None
    signed: list[tuple[str, str, str]]


def signing(db: Connection, settings: ShopSettings, instrument: instruments.Instrument, facts: SetupFacts) -> Signing:
    """What may be signed off in a setup job, and what is: (code, title, reason)."""
    names = string_names(setups.plan_of(db, instrument.id, instrument.spec))
    steps = setup_steps(facts, names, settings.display.fine_mm)
    here = next((step for step in steps if step.state == "now" and step.code in SIGNED and not facts.closed), None)
    return Signing(here, [(code, TITLES[code], why) for code, why in facts.signed.items() if code in TITLES])


def sign_off(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job,
    instrument: instruments.Instrument,
    step: str,
    reason: str,
) -> None:
    """Pass the step that is due as it is. Raises NotSignedError without a reason, and for a step that is not due."""
    due = signing(db, settings, instrument, setup_facts(db, settings, job, instrument)).now
    if due is None or due.code != step:
        raise NotSignedError(f"{TITLES.get(step, 'That step')} is not the step to do now: only that one is signed off.")
    if not reason or len(reason) > MOST_REASON:
        raise NotSignedError(f"Say why, in up to {MOST_REASON} letters: the reason stands in the report.")
    jobs.keep_event(db, job.id, "signed_off", stamp(now), reason, step)


def ask_again(db: Connection, now: datetime, job: jobs.Job, step: str) -> None:
    """Ask for a step that was signed off again. Raises NotSignedError where it is not."""
    if step not in jobs.signed_off(db, job.id):
        raise NotSignedError("That step is not signed off.")
    jobs.keep_event(db, job.id, "asked_again", stamp(now), "", step)
