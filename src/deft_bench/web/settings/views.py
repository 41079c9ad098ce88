"""Settings: units, how the neck lies, how the cursor walks, the shop's own limits."""

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, session, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.learned import learned_of, levels_of, lifts_of
from deft_bench.core.shop_settings import to_text
from deft_bench.core.strings.customary import CUSTOMS
from deft_bench.core.work.estimate import price_list
from deft_bench.store import presets, shop
from deft_bench.web.support import Form, at_bench, db, display, page_of_ours, rows_sent, stamp
from deft_bench.web.support import settings as current

screen = Blueprint("settings", __name__, template_folder="templates")

CHOICES = {
    "system": {"mm": "millimetres", "in": "inches"},
    "inches": {"64": "fractions to 1/64", "32": "fractions to 1/32", "decimal": "decimals"},
    "nut_side": {"left": "nut left, bass lane below", "right": "nut right, bass lane on top"},
    "hundredths": {"no": "with a point: 0.14", "yes": "in hundredths without one: 14"},
    "lamp": {"system": "as the device has it", "on": "lamp on: light", "off": "lamp off: dark"},
    "letter_keys": {"yes": "act by themselves", "no": "do nothing outside a box"},
    "keypad": {"touch": "on a touch screen", "always": "always", "never": "never"},
    "hand": {"right": "right hand", "left": "left hand"},
    "tones": {"no": "silent", "yes": "accepted, refused, lane done"},
    "spoken": {"no": "silent", "yes": "the next fret and lane"},
    "reading_order": {"lane_by_lane": "lane by lane", "fret_by_fret": "fret by fret"},
}
PRICE_BOXES = ("material", "price")
SPARE_ROWS = [("", "")] * 2
PRESET_LIMITS = {"relief": (0, 1_000), "treble": (500, 6_000), "bass": (500, 6_000)}
PRESET_BOXES = [(f"preset_{kind}_um", f"preset_{kind}_{part}", part) for kind in CUSTOMS for part in PRESET_LIMITS]
NAMED_LIMITS = {**PRESET_LIMITS, "gap": (20, 1_500), "pickup": (500, 15_000)}
NAMED_WORDS = {"relief": "Relief", "treble": "Treble", "bass": "Bass", "gap": "Gap over fret 1", "pickup": "Pickup gap"}
LEARNED = {"played": "played frets", "new_wire": "new wire"}
"""What the bench sees outcomes of."""
MOST_SECONDS = 60
"""As long as anybody waits for a plan."""
LIMITS = {"rock_um": (5, 100), "polish_loss_um": (0, 100), "least_height_um": (200, 2000)}


@screen.route("/settings", methods=["GET", "POST"])
def show() -> str | Response | tuple[str, int]:
    """See and change the shop's settings."""
    form = Form()
    if request.method == "POST":
        kept = to_text(current())
        chosen = {name: form.text(name) if name in form.sent else kept[name] for name in CHOICES}
        for name, choices in CHOICES.items():
            if chosen[name] not in choices:
                form.errors[name] = f"Choose one of: {', '.join(choices.values())}."
        for name, (least, most) in LIMITS.items():
            um = form.length(name, optional=name == "least_height_um")
            if um is not None and not least <= um <= most:
                form.errors[name] = f"Accepted: {display().fine(least)} to {display().fine(most)}."
            chosen[name] = "" if um is None else str(um)
        if "plan_seconds" in form.sent:
            chosen["plan_seconds"] = str(form.count("plan_seconds", 1, MOST_SECONDS))
        _presets(form, chosen)
        _money(form, chosen)
        if not form.errors:
            shop.change(db(), chosen)
            flash("Saved.")
            return redirect(url_for(".show"))
        values = form.sent
    else:
        values = _as_kept()
    page = _page(values, form.errors, {}, {})
    return (page, 422) if form.errors else page


def _page(values: Any, errors: dict[str, str], preset_values: Mapping[str, str], preset_errors: dict[str, str]) -> str:
    """The screen; `preset_values` are the boxes of a preset as they were sent, where it was refused."""
    return render_template(
        "settings/show.html",
        section="settings",
        values=values,
        errors=errors,
        preset_values=preset_values,
        preset_errors=preset_errors,
        choices=CHOICES,
        price_rows=[*(rows_sent(request.form, *PRICE_BOXES) if "material" in values else _prices_kept()), *SPARE_ROWS],
        kinds={kind: customs.name for kind, customs in CUSTOMS.items()},
        named=presets.named(db()),
        learned=[one for one in learned_of(db(), current()) if one.history in LEARNED],
        learned_from=current().learned_from,
        lifts=lifts_of(db(), current()),
        levels=levels_of(db(), current()),
        histories=LEARNED,
    )


def _prices_kept() -> list[tuple[str, str]]:
    """Materials with their prices, to the cent, or further where a price goes further."""
    prices = current().price_of.items()
    return [(name, f"{price:.2f}" if round(price, 2) == price else repr(price)) for name, price in prices]


def _as_kept() -> Any:
    """Every box as the shop has it."""
    values: Any = to_text(current())
    for name in LIMITS:
        values[name] = display().entry(int(values[name])) if values[name] else ""
    for kind in CUSTOMS:
        preset = current().preset(kind)
        for part, mm in zip(PRESET_LIMITS, (preset.relief_mm, preset.treble_mm, preset.bass_mm), strict=True):
            values[f"preset_{kind}_{part}"] = display().entry(round(1000 * mm))
    return values


def _presets(form: Form, chosen: dict[str, str]) -> None:
    """The presets, where they were sent: read into `chosen`."""
    if not any(box in form.sent for _, box, _ in PRESET_BOXES):
        return
    lengths: dict[str, list[str]] = {}
    for stored, box, part in PRESET_BOXES:
        um, (least, most) = form.length(box), PRESET_LIMITS[part]
        if um is not None and not least <= um <= most:
            form.errors[box] = f"Accepted: {display().fine(least)} to {display().fine(most)}."
        lengths.setdefault(stored, []).append(str(um))
    chosen |= {stored: "; ".join(three) for stored, three in lengths.items()}


def _money(form: Form, chosen: dict[str, str]) -> None:
    """Currency, rate, tax and prices, where they were sent: read into `chosen`."""
    if "currency" in form.sent:
        chosen["currency"] = form.text("currency")[:8] or "EUR"
    for name, most in (("rate_per_hour", 10_000), ("tax_percent", 100), ("dry_below", 100), ("damp_above", 100)):
        value = form.number(name, 0, most) if name in form.sent else None
        if value is not None:
            chosen[name] = f"{value:g}"
    if "material" in form.sent or "prices" in form.sent:
        lines = [" ".join(row) for row in rows_sent(request.form, *PRICE_BOXES)]
        chosen["prices"] = "\n".join([*lines, form.text("prices", lines=True)]).strip()[:4000]
        try:
            price_list(chosen["prices"])
        except ValueError as error:
            form.errors["prices"] = f"{error}."


@screen.post("/settings/learned")
def learned() -> Response:
    """Put back what the bench has learned, or count all of it again."""
    forget = "forget" in request.form
    shop.change(db(), {"learned_from": stamp() if forget else ""})
    flash("Put back: the usual shares hold until more is found." if forget else "All that was ever found counts again.")
    return redirect(url_for(".show", _anchor="learned"))


@screen.post("/settings/presets")
def preset() -> Response | tuple[str, int]:
    """Enter a preset by name, or take one off the list. A refused one keeps what was typed."""
    form = Form()
    back = redirect(url_for(".show", _anchor="named-presets"))
    if gone := form.text("remove"):
        presets.retire(db(), int(gone) if gone.isdigit() else 0, stamp())
        flash("Taken off the list.")
        return back
    found = _named(form)
    if found is None:
        return _page(_as_kept(), {}, form.sent, form.errors), 422
    presets.put(db(), found)
    flash(f"Preset “{found.name}” saved.")
    return back


def _named(form: Form) -> presets.NamedPreset | None:
    """A preset as it was sent; None, with what is wrong in the form, where it cannot be meant."""
    name, kind = form.text("name")[:60], form.text("kind")
    if not name:
        form.errors["name"] = "A preset needs a name."
    if kind not in CUSTOMS:
        form.errors["kind"] = "Choose the kind of strings."
    lengths = {part: form.length(part, optional=part in ("gap", "pickup")) for part in NAMED_LIMITS}
    for part, um in lengths.items():
        least, most = NAMED_LIMITS[part]
        if um is not None and not least <= um <= most:
            form.errors[part] = f"{NAMED_WORDS[part]}: accepted are {display().fine(least)} to {display().fine(most)}."
        elif part in form.errors:
            form.errors[part] = f"{NAMED_WORDS[part]}: {form.errors[part]}"
    force = form.number("force", 20, 300) if form.text("force") else 100.0
    relief, treble, bass = (lengths[part] for part in PRESET_LIMITS)
    if form.errors or relief is None or treble is None or bass is None or force is None:
        return None
    return presets.NamedPreset(name, kind, relief, treble, bass, lengths["gap"], round(force), lengths["pickup"])


@screen.post("/settings/units")
def units() -> Response:
    """The switch in the top bar: every figure is written again."""
    shop.change(db(), {"system": "in" if request.form.get("system") == "in" else "mm"})
    return redirect(page_of_ours(request.form.get("back", "").removesuffix("?")) or "/")


@screen.post("/settings/person")
def person() -> Response:
    """Who is at this device from now on; nobody where the name is none of the bench's."""
    name = request.form.get("person", "")
    session["person"] = name if name in at_bench() else ""
    session.permanent = True
    return redirect(page_of_ours(request.form.get("back", "").removesuffix("?")) or "/")
