"""The bench's days as rails: shifts, the work on them as strips of tape, and what rests meanwhile as threads below."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta, tzinfo

from deft_bench.core.times import clock_words, day_words
from deft_bench.core.work.schedule.bench import Placed, Technician

WIDTH, LABEL, RIGHT = 940.0, 142.0, 12.0
TOP, STRIP, THREAD, GAP = 26.0, 34.0, 17.0, 12.0
MOST_THREADS = 3
LETTER, SMALL_LETTER, LEAST_STRIP = 8.4, 7.9, 16.0
"""About how wide a letter of a strip's two sizes is; what does not fit is left to the tooltip. A strip that
is narrower than `LEAST_STRIP` takes no letter either.
"""


@dataclass(frozen=True, slots=True)
class Strip:
    """Work on one instrument without a break: where it lies, its first step (which a pin takes), and how it stands."""

    x: float
    y: float
    w: float
    job: str
    step: str
    technician: str
    start: str
    name: str
    words: str
    title: str
    clock: str
    said: str
    late: bool
    pinned: bool


@dataclass(frozen=True, slots=True)
class Thread:
    """A cure, rest or lead on one day: from where to where, who rests, and what it holds; open ends run on
    overnight.
    """

    x: float
    end: float
    y: float
    words: str
    words_x: float
    anchor: str
    title: str
    runs_on: bool


@dataclass(frozen=True, slots=True)
class Rail:
    """One day."""

    day: str
    words: str
    y: float
    h: float
    shifts: tuple[tuple[float, float, float], ...]
    who: tuple[tuple[str, float], ...]
    strips: tuple[Strip, ...]
    threads: tuple[Thread, ...]
    more: int
    today: bool


@dataclass(frozen=True, slots=True)
class Rails:
    """The whole drawing; `hours` are (x, words), `per_minute` and `first_minute` turn a place into a time of day."""

    width: float
    height: float
    rails: tuple[Rail, ...]
    hours: tuple[tuple[float, str], ...]
    per_minute: float
    first_minute: int
    now_x: float | None
    names: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Names:
    """What the drawing calls things: jobs, steps by (job, step), what a cure of a step holds, and the letter by which a
    job stands in a strip that is too narrow for its name.
    """

    jobs: Mapping[str, str]
    steps: Mapping[tuple[str, str], str]
    holds: Mapping[tuple[str, str], str]
    letters: Mapping[str, str] = field(default_factory=dict)

    def job(self, code: str) -> str:
        """The instrument of a job."""
        return self.jobs.get(code, code)

    def step(self, job: str, code: str) -> str:
        """The title of a step."""
        return self.steps.get((job, code), code)


@dataclass(frozen=True, slots=True)
class _Clock:
    """From moments to places: the bench's first and last minute of a day, and the zone it lives in."""

    opens: int
    closes: int
    zone: tzinfo
    known: dict[datetime, datetime] = field(default_factory=dict)

    @property
    def per_minute(self) -> float:
        return (WIDTH - LABEL - RIGHT) / (self.closes - self.opens)

    def x(self, minute: float) -> float:
        return round(LABEL + (min(max(minute, self.opens), self.closes) - self.opens) * self.per_minute, 1)

    def here(self, at: datetime) -> datetime:
        # the same moments are asked for over and over, and a zone's rules take long
        if at not in self.known:
            self.known[at] = at.astimezone(self.zone)
        return self.known[at]


def draw_rails(
    placed: Sequence[Placed],
    technicians: Sequence[Technician],
    names: Names,
    *,
    late: Mapping[str, int],
    pinned: set[tuple[str, str]],
    now: datetime,
    zone: tzinfo,
    days: int,
    resting: Sequence[tuple[str, str, datetime, str]] = (),
    waits: bool = True,
) -> Rails:
    """Lay days out from today on, with what rests meanwhile where `waits`. `resting` are (job, step, until, holds) of
    what is done and still cures.
    """
    clock = _Clock(*_hours(technicians), zone)
    here = clock.here(now)
    last = max([here.date(), *(clock.here(one.end).date() for one in placed)])
    rests = [
        (one.job, one.step, clock.here(one.end), clock.here(one.free_at)) for one in placed if one.free_at > one.end
    ] + [(job, step, here, clock.here(until)) for job, step, until, _ in resting]
    rests = rests if waits else []
    names = replace(names, holds={**names.holds, **{(job, step): what for job, step, _, what in resting}})
    by_day: dict[tuple[date, str], list[Placed]] = {}
    for one in sorted(placed, key=lambda one: one.start):
        by_day.setdefault((clock.here(one.start).date(), one.technician), []).append(one)
    y, rails = TOP, []
    for k in range(min(days, (last - here.date()).days + 1)):
        rail = _rail(here.date() + timedelta(days=k), y, technicians, by_day, rests, names, late, pinned, clock)
        if rail is not None:
            rails.append(replace(rail, today=k == 0))
            y += rail.h + GAP
    minute = here.hour * 60 + here.minute
    hours = tuple((clock.x(hour * 60), f"{hour}:00") for hour in range(-(-clock.opens // 60), clock.closes // 60 + 1))
    return Rails(
        WIDTH,
        round(y, 1),
        tuple(rails),
        hours,
        clock.per_minute,
        clock.opens,
        clock.x(minute) if clock.opens <= minute <= clock.closes else None,
        tuple(technician.name for technician in technicians),
    )


def _rail(
    day: date,
    y: float,
    technicians: Sequence[Technician],
    by_day: Mapping[tuple[date, str], list[Placed]],
    rests: Sequence[tuple[str, str, datetime, datetime]],
    names: Names,
    late: Mapping[str, int],
    pinned: set[tuple[str, str]],
    clock: _Clock,
) -> Rail | None:
    """One day from `y` down; None when nobody is there and nothing rests."""
    shifts = [
        (technician.name, _minute(shift[0]), _minute(shift[1]))
        for technician in technicians
        if day not in technician.days_off
        for shift in technician.week.get(day.weekday(), ())
    ]
    working = {name for name, _, _ in shifts}
    there = [
        technician.name for technician in technicians if technician.name in working or (day, technician.name) in by_day
    ]
    row_y = {name: y + row * STRIP for row, name in enumerate(there)}
    strips = [
        strip
        for name in there
        for strip in _strips(by_day.get((day, name), []), row_y[name], names, late, pinned, clock)
    ]
    base = y + len(there) * STRIP
    threads, more = _threads(rests, day, names, base + 3, clock)
    if not there and not threads:
        return None
    foot = max([base, *(thread.y + THREAD / 2 for thread in threads)])
    return Rail(
        day.isoformat(),
        day_words(day, day.year),
        y,
        max(foot - y, STRIP * 0.8),
        tuple((clock.x(a), row_y[name], round((b - a) * clock.per_minute, 1)) for name, a, b in shifts),
        tuple(row_y.items()) if len(technicians) > 1 else (),
        tuple(strips),
        tuple(threads),
        more,
        today=False,
    )


def _minute(at: time) -> int:
    return at.hour * 60 + at.minute


def _hours(technicians: Sequence[Technician]) -> tuple[int, int]:
    edges = [
        _minute(edge)
        for technician in technicians
        for shifts in technician.week.values()
        for shift in shifts
        for edge in shift
    ]
    return (min(edges) // 30 * 30, -(-max(edges) // 30) * 30) if edges else (9 * 60, 17 * 60)


def _strips(
    placed: Sequence[Placed],
    y: float,
    names: Names,
    late: Mapping[str, int],
    pinned: set[tuple[str, str]],
    clock: _Clock,
) -> list[Strip]:
    """One technician's day: work on one instrument without a break is one strip."""
    groups: list[list[Placed]] = []
    for step in placed:
        # a pin begins a strip of its own: it is what holds it there
        if (
            groups
            and groups[-1][-1].job == step.job
            and groups[-1][-1].end == step.start
            and (step.job, step.step) not in pinned
        ):
            groups[-1].append(step)
        else:
            groups.append([step])
    strips = []
    for group in groups:
        first = group[0]
        a, b = clock.here(first.start), clock.here(group[-1].end)
        x, end = (clock.x(edge.hour * 60 + edge.minute) for edge in (a, b))
        w = max(3.0, end - x - 1.5)
        said = [names.step(work.job, work.step) for work in group]
        words = said[0] if len(said) == 1 else f"{said[0]} … {said[-1]}"
        whole = names.job(first.job)
        letter = names.letters.get(first.job, "") if w >= LEAST_STRIP else ""
        short = whole if len(whole) * LETTER <= w - 12 else letter
        room = w - 14 - len(short) * LETTER - 8
        strips.append(
            Strip(
                x,
                y,
                round(w, 1),
                first.job,
                first.step,
                first.technician,
                a.isoformat(timespec="minutes"),
                short,
                _fit(words, room, SMALL_LETTER) if short == whole else "",
                f"{names.job(first.job)}, {clock_words(a)} to {clock_words(b)}: {'; '.join(said)}",
                f"{clock_words(a)} to {clock_words(b)}",
                words,
                late.get(first.job, 0) > 0,
                (first.job, first.step) in pinned,
            )
        )
    return strips


def _fit(text: str, room: float, letter: float) -> str:
    """As much of a text as fits, at a word's end where it can be; nothing when that is under three letters."""
    most = int(room / letter)
    if len(text) <= most:
        return text
    if most < 3:
        return ""
    cut = text[: most - 1]
    return (cut.rsplit(" ", 1)[0] if " " in cut[3:] else cut).rstrip(" ,.:;…") + "…"


def _threads(
    rests: Sequence[tuple[str, str, datetime, datetime]],
    day: date,
    names: Names,
    y: float,
    clock: _Clock,
) -> tuple[list[Thread], int]:
    midnight = datetime.combine(day, time(0), clock.zone)
    after = midnight + timedelta(days=1)
    threads: list[Thread] = []
    free_from = [-1.0] * MOST_THREADS
    more = 0
    for job, step, start, end in sorted(rests, key=lambda rest: (rest[2], rest[3])):
        if end <= midnight or start >= after:
            continue
        a, b = max(start, midnight), min(end, after)
        x = clock.x((a - midnight).total_seconds() / 60)
        to = clock.x((b - midnight).total_seconds() / 60)
        name, what = names.job(job), names.holds.get((job, step), "")
        words = f"{name} rests" if end >= after else f"{name} free {clock_words(end)}"
        words += f", {what}" if what else ""
        wide = len(words) * SMALL_LETTER
        begin = min(x, WIDTH - RIGHT - wide)
        lane = next((k for k, edge in enumerate(free_from) if begin >= edge), None)
        if lane is None:
            more += 1
            continue
        free_from[lane] = max(to, begin + wide) + 10
        threads.append(
            Thread(
                x,
                to,
                round(y + lane * THREAD + THREAD / 2, 1),
                words,
                round(begin + 2, 1),
                "start",
                f"{name}: {names.step(job, step)}, until {day_words(end.date(), end.year)}, {clock_words(end)}",
                end >= after,
            )
        )
    return threads, more
