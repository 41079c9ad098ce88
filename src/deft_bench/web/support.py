"""What every screen needs: the request's database, the time, the units, and reading forms in words."""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import date, datetime
from typing import Any, TypeVar

from flask import Flask, current_app, flash, g, has_request_context, make_response, render_template, request, session
from flask_wtf.csrf import generate_csrf
from markupsafe import Markup
from werkzeug.datastructures import MultiDict
from werkzeug.wrappers import Response

from deft_bench.core.calls import frets_named
from deft_bench.core.instrument import LENGTHS, UNKNOWABLE
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.text import barred
from deft_bench.core.times import clock_words, day_words, moment, read_day, span_words
from deft_bench.core.times import stamp as to_stamp
from deft_bench.core.units import Display, LengthError, parse_length
from deft_bench.store import instruments, jobs, practice_necks, schedules, shop, surveys
from deft_bench.store.database import Connection, StoreError, connect
from deft_bench.store.instruments import Instrument
from deft_bench.store.jobs import Job
from deft_bench.store.kept import Keeper, NotKnownError
from deft_bench.store.surveys import Survey

_OURS = re.compile(r"/(?![/\\])[^\x00-\x20\x7f-\x9f\\]*")
"""One slash and no other beside it; browsers leave out tabs and line feeds and take a backslash for a slash."""


class NotFoundError(KeyError):
    """The address names a row that is not there."""


@contextmanager
def or_404() -> Iterator[None]:
    """Turn a store's KeyError into a page that says there is nothing here."""
    try:
        yield
    except KeyError as error:
        raise NotFoundError(*error.args) from error


def instrument_or_404(instrument_id: int) -> Instrument:
    """The instrument that an address names."""
    with or_404():
        return instruments.get(db(), instrument_id)


def job_or_404(job_id: int) -> tuple[Job, Instrument]:
    """The job that an address names, and its instrument."""
    with or_404():
        job = jobs.get(db(), job_id)
        return job, instruments.get(db(), job.instrument_id)


def survey_or_404(survey_id: int) -> tuple[Survey, Instrument]:
    """The survey that an address names, and its instrument."""
    with or_404():
        survey = surveys.get(db(), survey_id)
        return survey, instruments.get(db(), survey.instrument_id)


CALLS_OFF = "On this practice neck the program keeps its calls to itself: judge by what you read."


def calls_off(instrument: Instrument) -> bool:
    """Whether an instrument is a practice neck on which the program keeps its calls to itself until it is handed in."""
    kept = practice_necks.of_instrument(db(), instrument.id) if instrument.practice else None
    return kept is not None and not kept.calls and kept.handed_in_at is None


def db() -> Connection:
    """The request's connection."""
    if "db" not in g:
        if damage := current_app.config["DAMAGE"]:
            raise StoreError(damage)
        g.db = connect(current_app.config["DATABASE"])
        g.db.keeper = Keeper(current_app.extensions["kept"])
        if has_request_context() and request.method != "GET":
            g.db.person = person()
    connection: Connection = g.db
    return connection


def if_known(say: Callable[[], str], plain: str) -> str:
    """A sentence where what it takes is known; else a plain one, and the page asks for the other (`said_later`): to
    judge new readings takes half a second, and no page waits for it.
    """
    keeper = db().keeper
    if keeper is None or current_app.config["CALL_AT_ONCE"]:
        return say()
    try:
        with keeper.known_only():
            return say()
    except NotKnownError:
        g.said_later = True
        return plain


def at_bench() -> tuple[str, ...]:
    """Who works here, by the bench's hours."""
    if "at_bench" not in g:
        g.at_bench = tuple(one.name for one in schedules.hours(db()).technicians)
    names: tuple[str, ...] = g.at_bench
    return names


def person() -> str:
    """Who is at this device: whoever was chosen here, else whoever the device is named after; empty where nobody is."""
    entry = g.get("entry")
    for name in (session.get("person", ""), entry.name if entry is not None and "person" not in session else ""):
        if name and name in at_bench():
            return str(name)
    return ""


def now() -> datetime:
    """The time, UTC."""
    moment: datetime = current_app.config["NOW"]()
    return moment


def stamp() -> str:
    """The time as it is stored: UTC ISO-8601 to the millisecond."""
    return to_stamp(now())


def settings() -> ShopSettings:
    """The shop's settings, read once a request."""
    if "settings" not in g:
        g.settings = shop.settings(db())
    shop_settings: ShopSettings = g.settings
    return shop_settings


def display() -> Display:
    """How lengths are written, by the shop's settings."""
    return settings().display


def rock_mm() -> float:
    """The least gap that counts as a rock, mm."""
    return settings().rock_mm


def register(app: Flask) -> None:
    """Give every template the units, the time, the bench climate and the filters."""

    @app.context_processor
    def common() -> dict[str, Any]:
        if g.get("bare"):
            return {"bare": True, "show": Display(), "climate": None, "today": now().date(), "shop": ShopSettings()}
        return {
            "show": display(),
            "climate": shop.latest_climate(db()),
            "today": now().date(),
            "bare": False,
            "shop": settings(),
            "sent_back": sent_back(),
            "person": person() if "person" in session or g.get("entry") is not None else "",
            "at_bench": at_bench,
        }

    app.jinja_env.filters["day"] = day
    app.jinja_env.filters["clock"] = clock
    app.jinja_env.filters["when"] = when
    app.jinja_env.filters["minutes"] = span_words
    app.jinja_env.filters["frets_named"] = frets_named
    app.jinja_env.globals["csrf_field"] = csrf_field
    app.jinja_env.globals["said_later"] = lambda: "said_later" in g
    app.jinja_env.globals["unknowable"] = UNKNOWABLE
    app.jinja_env.globals["length_names"] = {field: name for field, (name, _, _) in LENGTHS.items()}
    app.jinja_env.filters["at"] = place_on_page
    app.jinja_env.filters["whole"] = whole
    app.jinja_env.filters["merge"] = lambda one, other: {**one, **other}
    app.jinja_env.filters["upfirst"] = lambda text: text[:1].upper() + text[1:]


def send_back() -> None:
    """Keep what a refused form held, for the page that is shown next."""
    sent = request.form.items(multi=True)
    session["typed"] = [(name, text[:400]) for name, text in sent if name != "csrf_token"]


def sent_back() -> MultiDict[str, str]:
    """What the form that was refused just now held; nothing after any other request."""
    if "sent_back" not in g:
        g.sent_back = MultiDict(session.pop("typed", []))
    found: MultiDict[str, str] = g.sent_back
    return found


def page_of_ours(asked: str) -> str:
    """An address that was sent, if it is one of this application; else empty."""
    return asked if _OURS.fullmatch(asked) else ""


def flash_with_undo(say: str, what: str, row_id: int, *, put_back: bool = False) -> None:
    """Say what was recorded, with a button beside it that takes it back."""
    flash(say, f"undo {what} {row_id}{' put_back' if put_back else ''}")


def csrf_field() -> Markup:
    """The hidden box by which a form shows that it is a page of this application."""
    return Markup('<input type="hidden" name="csrf_token" value="{}">').format(generate_csrf())


def whole(text: str) -> str:
    """The text with figures and their units kept on one line: `2 h 05`, `0.30 mm`."""
    return re.sub(r"(?<=\d) (?=(?:mm|in|cents|min|h)\b)|(?<=\d h) (?=\d\d\b)", "\u00a0", text)


def place_on_page(value: float) -> str:
    """A coordinate of a drawing, to a tenth of its unit: `12.4`, `12`."""
    return f"{value:.1f}".removesuffix(".0")


def day(text: str | date | None) -> str:
    """A day as a person writes it, with its year where that is not this one: `Mon 30 Nov`."""
    if text is None:
        return "no date"
    when = moment(text) if isinstance(text, str) else text
    if isinstance(when, datetime):
        when = (when.astimezone() if when.tzinfo else when).date()
    return day_words(when, now().year)


def clock(at: str | datetime) -> str:
    """The time of day of a stored time, local to this machine: `14:02`."""
    return clock_words((moment(at) if isinstance(at, str) else at).astimezone())


def when(at: str | datetime) -> str:
    """Day and time of day: `Mon 30 Nov, 14:02`."""
    return f"{day(at)}, {clock(at)}"


def words_only(words: Mapping[str, str], what: str, elsewhere: Sequence[str] = ()) -> Response:
    """A preview's answer where a box is refused: what each box is told, and nothing else on the page changes."""
    answer = make_response(
        render_template("shared/words.html", words=words, elsewhere=elsewhere, state="refused", what=what)
    )
    answer.headers["HX-Reswap"] = "none"
    return answer


def rows_sent(sent: MultiDict[str, str], *fields: str, but: int | None = None) -> list[tuple[str, ...]]:
    """The rows of a table of boxes, of each field one; those that hold nothing are left out, and the row `but`."""
    columns = [sent.getlist(field) for field in fields]
    found = [tuple(text.strip() for text in row) for row in zip(*columns, strict=False)]
    return [row for i, row in enumerate(found) if any(row) and i != but]


Choice = TypeVar("Choice", bound=str)


class Form:
    """A sent form read field by field: what is wrong goes to `errors` by field, what was typed stays for the page."""

    def __init__(self, sent: Mapping[str, str] | None = None, shown: Display | None = None) -> None:
        self.sent = request.form if sent is None else sent
        self.shown = shown or display()
        self.errors: dict[str, str] = {}

    def text(self, field: str, default: str = "", *, lines: bool = False) -> str:
        """The field's text without space at its ends; one line of it, unless `lines` says that it may hold several."""
        found = self.sent.get(field, default).strip()
        why = barred(found, lines=lines)
        if why:
            self.errors[field] = why
        return found

    def flag(self, field: str) -> bool:
        """Whether a box is ticked."""
        return field in self.sent

    def length(self, field: str, optional: bool = False) -> int | None:
        """A length in micrometres, or None where it is empty and may be, or cannot be meant."""
        typed = self.text(field)
        if optional and not typed:
            return None
        try:
            return parse_length(typed, self.shown.system)
        except LengthError as error:
            self.errors[field] = str(error)
            return None

    def number(self, field: str, least: float, most: float, optional: bool = False) -> float | None:
        """A number within a range; a decimal comma is accepted."""
        return self._number(field, lambda text: float(text.replace(",", ".")), least, most, optional)

    def count(self, field: str, least: int, most: int) -> int | None:
        """A whole number within a range."""
        found = self._number(field, int, least, most, False)
        return None if found is None else int(found)

    def one_of(self, field: str, accepted: Iterable[Choice], default: str = "") -> Choice | None:
        """One of some words; says which are accepted where it is another."""
        typed, known = self.text(field, default), list(accepted)
        found = next((one for one in known if one == typed), None)
        if found is None:
            self.errors.setdefault(field, f"Choose one of: {', '.join(known)}.")
        return found

    def _number(
        self, field: str, read: Callable[[str], float], least: float, most: float, optional: bool
    ) -> float | None:
        typed = self.text(field)
        if optional and not typed:
            return None
        try:
            value = read(typed)
        except ValueError:
            value = float("nan")
        if not least <= value <= most:
            shown = f"“{typed[:20]}” is not accepted" if typed else "Nothing typed"
            self.errors[field] = (
                f"{shown}: give {'a whole number' if read is int else 'a number'} from {least:g} to {most:g}."
            )
            return None
        return value

    def frets(self, field: str, most: int) -> tuple[int, ...]:
        """Fret numbers from 1 to `most`, with commas or spaces between and spans such as 1-5; empty when none is
        typed.
        """
        found: set[int] = set()
        for word in self.text(field).replace("–", "-").replace(",", " ").split():
            first, _, last = word.partition("-")
            ends = (first, last or first)
            if not all(end.isascii() and end.isdigit() and len(end) < 3 and 1 <= int(end) <= most for end in ends):
                self.errors[field] = f"Frets are whole numbers from 1 to {most} with commas between, or spans: 1-5, 7."
                return ()
            found.update(range(int(ends[0]), int(ends[1]) + 1))
        return tuple(sorted(found))

    def day(self, field: str, optional: bool = True) -> str | None:
        """A day as a person writes it, as YYYY-MM-DD."""
        typed = self.text(field)
        if optional and not typed:
            return None
        try:
            return read_day(typed, now().astimezone().date()).isoformat()
        except ValueError as error:
            self.errors[field] = f"{error}."
            return None
