"""Estimates: sums and ranges, options side by side, accepted against actual, and what is refused."""

import io
import math

import pdfplumber
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.shop_settings import to_text
from deft_bench.core.work.estimate import Item, Labour, estimate, price_list
from deft_bench.formats.calc import RequestError, calculate
from deft_bench.store import estimates, jobs, sheets, shop
from deft_bench.store.database import Connection
from harness import Bench

HERON = 1


@given(
    st.lists(st.tuples(st.floats(0, 300), st.floats(0, 1), st.floats(0, 2)), min_size=1, max_size=30),
    st.floats(0, 200),
    st.floats(0, 30),
)
def test_sums_hold_and_the_range_is_narrower_than_its_parts(
    steps: list[tuple[float, float, float]], rate: float, tax: float
) -> None:
    labour = [Labour(str(i), "", "level", m, m * (1 - low), m * (1 + high)) for i, (m, low, high) in enumerate(steps)]
    items = [Item("strings", 1, "set", 9.5), Item("wire", 22, "frets", 0.45)]
    found = estimate(labour, items, rate, tax)

    def cents(amount: float) -> int:
        return round(amount * 100)

    assert cents(found.net) == cents(found.labour) + sum(map(cents, found.item_costs))
    assert cents(found.total) == cents(found.net) + cents(found.tax)
    assert cents(found.labour) == sum(cents(cost) for _, _, cost in found.by_phase)
    assert found.total_low <= found.total <= found.total_high
    assert found.hours_high - found.hours == pytest.approx(
        math.sqrt(sum((m * high) ** 2 for m, _, high in steps)) / 60, abs=1e-9
    )
    assert found.hours_high <= sum(m * (1 + high) for m, _, high in steps) / 60 + 1e-9
    assert found.items == pytest.approx(9.5 + 9.9)
    assert sum(minutes for _, minutes, _ in found.by_phase) == pytest.approx(found.hours * 60)


def test_the_calculation_and_its_refusals() -> None:
    asked = {
        "steps": [{"code": "level", "minutes": 60, "low_minutes": 50, "high_minutes": 80}],
        "rate_per_hour": 48,
        "items": [{"name": "strings", "quantity": 1, "price": 9.5}],
        "tax_percent": 10,
    }
    answer = calculate("estimate", asked)
    assert (answer["labour"], answer["net"], answer["total"], answer["learned_share"]) == (
        48,
        57.5,
        pytest.approx(63.25),
        1,
    )
    assert answer["total_low"] == pytest.approx((40 + 9.5) * 1.1)
    guess = calculate("estimate", {**asked, "steps": [{"code": "level", "minutes": 60}]})
    assert (guess["hours_low"], guess["hours_high"]) == (0.5, 1.5)
    for bad, line in (
        ({"rate_per_hour": -1}, "rate_per_hour"),
        ({"steps": [{"code": "x", "minutes": -5}]}, "steps[0].minutes"),
        ({"steps": [{"code": "x", "minutes": 5, "low_minutes": 9}]}, "steps[0].low_minutes"),
    ):
        with pytest.raises(RequestError) as refused:
            calculate("estimate", {**asked, **bad})
        assert refused.value.lines[0].startswith(line)
    with pytest.raises(ValueError, match="zero or more"):
        estimate([], [], -1)
    assert price_list("fret wire 0.45; strings: 9,50\n") == {"fret wire": 0.45, "strings": 9.5}
    with pytest.raises(ValueError, match="“strings dear” is not understood"):
        price_list("strings dear")


def test_options_side_by_side_then_accepted_against_actual(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [HERON])[HERON]
    url = f"/jobs/{job.id}/estimate"
    page = bench.get(f"{url}?with=refret&part=nut blank&price=4.50")
    assert "Level and dress" in page
    assert "Refret: " in page
    assert "Nut blank" in page
    assert "1.20 mm" in page  # what a refret leaves
    assert "rests on this shop’s own record" in page
    assert bench.client.get(f"{url}?part=nut&price=free").status_code == 422
    # the row that is taken off is the one whose button it is, whatever rows are empty
    left = bench.get(f"{url}?part=&price=&part=bone nut&price=4&part=saddle&price=6&off=1")
    assert "Bone nut" not in left
    assert "Saddle" in left
    assert "is not understood" in bench.client.get(f"{url}?part=nut&price=free").text
    assert "Accepted" in bench.post(url, {"route": "refret", "part": "nut blank", "price": "4.50"}).text
    assert sheets.plan_of(demo, job.id, job.kind).route == "refret"
    kept = estimates.ESTIMATES.of_job(demo, job.id)[-1]
    assert kept.inputs["currency"] == "EUR"
    assert any(item["name"] == "nut blank" for item in kept.inputs["items"])
    assert f"{kept.outcome['total']:.2f} EUR for refret" in bench.get(url)
    for step in ("identify", "mask"):
        bench.post(f"/jobs/{job.id}/sheet/step", {"step": step, "what": "finished", "note": "a test"})
    assert "0.93 EUR of materials left the stock" in bench.get(url)  # 3.1 m of tape
    assert "That is no route" in bench.post(url, {"route": "paint"}).text
    assert "Not accepted" in bench.post(url, {"route": "setup", "part": "nut", "price": "free"}).text
    with pdfplumber.open(io.BytesIO(bench.client.get(f"{url}.pdf?with=setup").data)) as read:
        text = read.pages[0].extract_text()
    assert "Estimate, Heron No. 4" in text
    assert "Total, EUR" in text
    assert "Likely between" in text


def test_rate_tax_and_prices_are_settings(bench: Bench, demo: Connection) -> None:
    before = shop.settings(demo)
    page = bench.get("/settings")
    assert "What work costs" in page
    sent = {name: to_text(before)[name] for name in ("system", "inches", "nut_side", "reading_order")} | {
        "rock_um": "0.02",
        "polish_loss_um": "0.01",
        "least_height_um": "",
    }
    refused = bench.post(
        "/settings", {**sent, "currency": "SEK", "rate_per_hour": "free", "tax_percent": "25", "prices": "strings dear"}
    )
    assert refused.status_code == 422
    assert "is not understood" in refused.text
    assert shop.settings(demo) == before
    bench.post(
        "/settings", {**sent, "currency": "SEK", "rate_per_hour": "600", "tax_percent": "25", "prices": "strings 95"}
    )
    rows = {"material": ["strings", "varnish", ""], "price": ["95", "0.005", ""]}
    bench.post("/settings", {**sent, **rows})
    assert shop.settings(demo).price_of == {"strings": 95.0, "varnish": 0.005}
    assert 'value="0.005"' in bench.get("/settings")  # a price goes further than a cent
    bench.post("/settings", {**sent, "prices": "strings 95"})
    job = jobs.open_of(demo, [HERON])[HERON]
    shown = bench.get(f"/jobs/{job.id}/estimate")
    assert "SEK" in shown
    assert "25 %" in shown
    assert "Without a price: " in shown
