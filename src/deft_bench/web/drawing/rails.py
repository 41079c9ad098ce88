"""The bench's days as rails: shifts, the work on them as strips of tape, and what rests meanwhile as threads below."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta, tzinfo

from deft_bench.core.work.schedule.bench import Placed, Technician

WIDTH, LABEL, RIGHT = 940.0, 142.0, 12.0
TOP, STRIP, THREAD, GAP = 26.0, 34.0, 17.0, 12.0
MOST_THREADS = 3
LETTER, SMALL_LETTER = 7.7, 6.6
"""About how wide a letter of a strip's two sizes is; what does not fit is left to the tooltip."""


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


def draw_rails(
    placed: Sequence[Placed],
    technicians: Sequence[Technician],
    titles: Mapping[str, str],
    steps: Mapping[tuple[str, str], str],
    holds: Mapping[tuple[str, str], str],
    *,
    late: Mapping[str, int],
    pinned: set[tuple[str, str]],
    now: datetime,
    zone: tzinfo,
    days: int,
    resting: Sequence[tuple[str, str, datetime, str]] = (),
) -> Rails:
    """Lay days out from today on. `titles` name jobs, `steps` steps; `resting` are (job, step, until, holds) of what
    is done and still cures.
    """
    opens, closes = _hours(technicians)
    per_minute = (WIDTH - LABEL - RIGHT) / (closes - opens)

    def x_of(minute: float) -> float:
        return round(LABEL + (min(max(minute, opens), closes) - opens) * per_minute, 1)

    today = now.astimezone(zone).date()
    names = tuple(one.name for one in technicians)
    last = max([today, *(one.end.astimezone(zone).date() for one in placed)])
    rests = [
        (one.job, one.step, one.end.astimezone(zone), one.free_at.astimezone(zone))
        for one in placed
        if one.free_at > one.end
    ] + [(job, step, now.astimezone(zone), until.astimezone(zone)) for job, step, until, _ in resting]
    held = {**holds, **{(job, step): what for job, step, _, what in resting}}
    by_day: dict[tuple[date, str], list[Placed]] = {}
    for one in sorted(placed, key=lambda one: one.start):
        by_day.setdefault((one.start.astimezone(zone).date(), one.technician), []).append(one)
    y, rails = TOP, []
    for k in range(min(days, (last - today).days + 1)):
        day = today + timedelta(days=k)
        shifts = [
            (t, *(_minute(edge) for edge in shift))
            for t, one in enumerate(technicians)
            if day not in one.days_off
            for shift in one.week.get(day.weekday(), ())
        ]
        there = [t for t, name in enumerate(names) if any(t == at for at, _, _ in shifts) or (day, name) in by_day]
        row_of = {t: row for row, t in enumerate(there)}
        strips = _strips(by_day, day, zone, [names[t] for t in there], titles, steps, late, pinned, x_of, y)
        base = y + len(there) * STRIP
        threads, more = _threads(rests, day, zone, titles, steps, held, x_of, base + 3)
        if not there and not threads:
            continue
        h = (
            base
            - y
            + (
                3 + THREAD * (1 + max(round((thread.y - base - 3 - THREAD / 2) / THREAD) for thread in threads))
                if threads
                else 0
            )
        )
        h = max(h, STRIP * 0.8)
        rails.append(
            Rail(
                day.isoformat(),
                f"{day:%a} {day.day} {day:%b}",
                y,
                h,
                tuple((x_of(a), y + row_of[t] * STRIP, round((b - a) * per_minute, 1)) for t, a, b in shifts),
                tuple((names[t], y + row_of[t] * STRIP) for t in there) if len(names) > 1 else (),
                tuple(strips),
                tuple(threads),
                more,
                k == 0,
            )
        )
        y += h + GAP
    here = now.astimezone(zone)
    minute = here.hour * 60 + here.minute
    hours = tuple((x_of(hour * 60), f"{hour}:00") for hour in range(-(-opens // 60), closes // 60 + 1))
    return Rails(
        WIDTH,
        round(y, 1),
        tuple(rails),
        hours,
        per_minute,
        opens,
        x_of(minute) if opens <= minute <= closes else None,
        names,
    )


def _minute(at: time) -> int:
    return at.hour * 60 + at.minute


def _hours(technicians: Sequence[Technician]) -> tuple[int, int]:
    edges = [_minute(edge) for one in technicians for shifts in one.week.values() for shift in shifts for edge in shift]
    return (min(edges) // 30 * 30, -(-max(edges) // 30) * 30) if edges else (9 * 60, 17 * 60)


def _strips(
    by_day: Mapping[tuple[date, str], list[Placed]],
    day: date,
    zone: tzinfo,
    names: Sequence[str],
    titles: Mapping[str, str],
    steps: Mapping[tuple[str, str], str],
    late: Mapping[str, int],
    pinned: set[tuple[str, str]],
    x_of: object,
    y: float,
) -> list[Strip]:
    found = []
    for t, name in enumerate(names):
        groups: list[list[Placed]] = []
        for one in by_day.get((day, name), []):
            # a pin begins a strip of its own: it is what holds it there
            if (
                groups
                and groups[-1][-1].job == one.job
                and groups[-1][-1].end == one.start
                and (one.job, one.step) not in pinned
            ):
                groups[-1].append(one)
            else:
                groups.append([one])
        for group in groups:
            first, last = group[0], group[-1]
            a, b = (edge.astimezone(zone) for edge in (first.start, last.end))
            x, end = (x_of(edge.hour * 60 + edge.minute) for edge in (a, b))  # type: ignore[operator]
            w = max(3.0, end - x - 1.5)
            said = [steps.get((one.job, one.step), one.step) for one in group]
            words = said[0] if len(said) == 1 else f"{said[0]} … {said[-1]}"
            short = _fit(titles.get(first.job, first.job), w - 12, LETTER)
            room = w - 14 - len(short) * LETTER - 8
            found.append(
                Strip(
                    x,
                    y + t * STRIP,
                    round(w, 1),
                    first.job,
                    first.step,
                    first.technician,
                    a.isoformat(timespec="minutes"),
                    short,
                    _fit(words, room, SMALL_LETTER) if short else "",
                    f"{titles.get(first.job, first.job)}, {a:%H:%M} to {b:%H:%M}: {'; '.join(said)}",
                    late.get(first.job, 0) > 0,
                    (first.job, first.step) in pinned,
                )
            )
    return found


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
    zone: tzinfo,
    titles: Mapping[str, str],
    steps: Mapping[tuple[str, str], str],
    held: Mapping[tuple[str, str], str],
    x_of: object,
    y: float,
) -> tuple[list[Thread], int]:
    midnight = datetime.combine(day, time(0), zone)
    after = midnight + timedelta(days=1)
    found: list[Thread] = []
    free_from = [-1.0] * MOST_THREADS
    more = 0
    for job, step, start, end in sorted(rests, key=lambda one: (one[2], one[3])):
        if end <= midnight or start >= after:
            continue
        a, b = max(start, midnight), min(end, after)
        x = x_of((a - midnight).total_seconds() / 60)  # type: ignore[operator]
        to = x_of((b - midnight).total_seconds() / 60)  # type: ignore[operator]
        name, what = titles.get(job, job), held.get((job, step), "")
        words = f"{name} rests" if end >= after else f"{name} free {end:%H:%M}"
        words += f", {what}" if what else ""
        wide = len(words) * SMALL_LETTER
        begin = min(x, WIDTH - RIGHT - wide)
        lane = next((k for k, edge in enumerate(free_from) if begin >= edge), None)
        if lane is None:
            more += 1
            continue
        free_from[lane] = max(to, begin + wide) + 10
        found.append(
            Thread(
                x,
                to,
                round(y + lane * THREAD + THREAD / 2, 1),
                words,
                round(begin + 2, 1),
                "start",
                f"{name}: {steps.get((job, step), step)}, until {end:%a %H:%M}",
                end >= after,
            )
        )
    return found, more
