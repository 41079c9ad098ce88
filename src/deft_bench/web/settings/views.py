"""Settings: units, how the neck lies, how the cursor walks, the shop's own limits."""

from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.shop_settings import to_text
from deft_bench.core.strings.customary import CUSTOMS
from deft_bench.core.work.estimate import price_list
from deft_bench.store import shop
from deft_bench.web.support import Form, db, display, page_of_ours
from deft_bench.web.support import settings as current

screen = Blueprint("settings", __name__, template_folder="templates")

CHOICES = {
    "system": {"mm": "millimetres", "in": "inches"},
    "inches": {"64": "fractions to 1/64", "32": "fractions to 1/32", "decimal": "decimals"},
    "nut_side": {"left": "nut left, bass lane below", "right": "nut right, bass lane on top"},
    "reading_order": {"lane_by_lane": "lane by lane", "fret_by_fret": "fret by fret"},
}
PRESET_LIMITS = {"relief": (0, 1_000), "treble": (500, 6_000), "bass": (500, 6_000)}
PRESET_BOXES = [(f"preset_{kind}_um", f"preset_{kind}_{part}", part) for kind in CUSTOMS for part in PRESET_LIMITS]
LIMITS = {"rock_um": (5, 100), "polish_loss_um": (0, 100), "least_height_um": (200, 2000)}


@screen.route("/settings", methods=["GET", "POST"])
def show() -> str | Response | tuple[str, int]:
    """See and change the shop's settings."""
    values: Any = to_text(current())
    form = Form()
    if request.method == "POST":
        chosen = {name: form.text(name) for name in CHOICES}
        for name, choices in CHOICES.items():
            if chosen[name] not in choices:
                form.errors[name] = f"Choose one of: {', '.join(choices.values())}."
        for name, (least, most) in LIMITS.items():
            um = form.length(name, optional=name == "least_height_um")
            if um is not None and not least <= um <= most:
                form.errors[name] = f"Accepted: {display().fine(least)} to {display().fine(most)}."
            chosen[name] = "" if um is None else str(um)
        _presets(form, chosen)
        _money(form, chosen)
        if not form.errors:
            shop.change(db(), chosen)
            flash("Saved.")
            return redirect(url_for(".show"))
        values = form.sent
    else:
        for name in LIMITS:
            values[name] = display().entry(int(values[name])) if values[name] else ""
        for kind in CUSTOMS:
            preset = current().preset(kind)
            for part, mm in zip(PRESET_LIMITS, (preset.relief_mm, preset.treble_mm, preset.bass_mm), strict=True):
                values[f"preset_{kind}_{part}"] = display().entry(round(1000 * mm))
    page = render_template(
        "settings/show.html",
        section="settings",
        values=values,
        errors=form.errors,
        choices=CHOICES,
        kinds={kind: customs.name for kind, customs in CUSTOMS.items()},
    )
    return (page, 422) if form.errors else page


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
    for name, most in (("rate_per_hour", 10_000), ("tax_percent", 100)):
        value = form.number(name, 0, most) if name in form.sent else None
        if value is not None:
            chosen[name] = f"{value:g}"
    if "prices" in form.sent:
        chosen["prices"] = form.text("prices", lines=True)[:4000]
        try:
            price_list(chosen["prices"])
        except ValueError as error:
            form.errors["prices"] = f"{error}."


@screen.post("/settings/units")
def units() -> Response:
    """The switch in the top bar: every figure is written again."""
    shop.change(db(), {"system": "in" if request.form.get("system") == "in" else "mm"})
    return redirect(page_of_ours(request.form.get("back", "").removesuffix("?")) or "/")
