"""Measures: ``make bench``. Builds a larger world once (200 people, 20,000 claims, 200,000 expenses), then prints figures.

For each main page: median and 95th percentile of server time in ms, its queries, and the ratio to
the bare SQL that fetches the same rows. Then the core: a claim of 100 lines under all rules, a
five-day allowance, and reading one receipt.
"""

from __future__ import annotations

import json
import os
import random
import statistics
import subprocess
import sys
import time
import tracemalloc
from datetime import date, datetime, timedelta
from decimal import Decimal
from pathlib import Path

VAR = Path(__file__).resolve().parents[2] / "var" / "bench"
os.environ.setdefault("WAINWRIGHT_VAR", str(VAR))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wainwright.settings")
os.environ.setdefault("WAINWRIGHT_DEMO", "1")
os.environ.setdefault("WAINWRIGHT_HOSTS", "testserver")
os.environ.setdefault("WAINWRIGHT_NO_QUEUE", "1")
os.environ.setdefault("OMP_THREAD_LIMIT", "1")

import django  # noqa: E402

django.setup()

from django.core.management import call_command  # noqa: E402
from django.db import connection, transaction  # noqa: E402
from django.db.models import OuterRef, Subquery  # noqa: E402
from django.test import Client  # noqa: E402
from django.test.utils import CaptureQueriesContext  # noqa: E402

from demo import load, papers  # noqa: E402
from tests.bench import books, spending  # noqa: E402
from tests.bench.reading import report  # noqa: E402
from tests.bench.tasks import tasks  # noqa: E402
from tests.codings import coded  # noqa: E402
from wainwright import clock  # noqa: E402
from wainwright.accounts.models import Code  # noqa: E402
from wainwright.accounts.services import keep_codings  # noqa: E402
from wainwright.claims.models import Claim, Statement, StatementCoding, StatementLine  # noqa: E402
from wainwright.core.allowance import daily_allowance  # noqa: E402
from wainwright.core.categories import Chosen, propose  # noqa: E402
from wainwright.core.matching import Charge as CoreCharge  # noqa: E402
from wainwright.core.matching import Paper, best_pairs, plain_merchant  # noqa: E402
from wainwright.core.money import Money  # noqa: E402
from wainwright.core.rules import Item, Subject, run  # noqa: E402
from wainwright.core.splits import spread  # noqa: E402
from wainwright.drawing.map import draw_map  # noqa: E402
from wainwright.expenses.models import Charge, Expense  # noqa: E402
from wainwright.expenses.proposals import guides, trades  # noqa: E402
from wainwright.expenses.services import charges as charge_services  # noqa: E402
from wainwright.formats.binder import Bound  # noqa: E402
from wainwright.formats.document import document  # noqa: E402
from wainwright.formats.pictures import pages_of  # noqa: E402
from wainwright.formats.places import place, town  # noqa: E402
from wainwright.formats.receipt_text import read_fields  # noqa: E402
from wainwright.formats.sheets import sheet  # noqa: E402
from wainwright.people.models import Card, Membership, Person, new_version  # noqa: E402
from wainwright.rulebook.selectors import rulebook  # noqa: E402
from wainwright.signoff.models import SignOff  # noqa: E402
from wainwright.standins.reader import Standin  # noqa: E402
from wainwright.trips.facts import plan_subject  # noqa: E402
from wainwright.trips.figures import journey_of  # noqa: E402
from wainwright.trips.models import Trip  # noqa: E402
from wainwright.trips.selectors import load_file as load_trip  # noqa: E402
from wainwright.trips.services import plan as plan_services  # noqa: E402

PEOPLE, CLAIMS, LINES, TIMES = 200, 20_000, 10, 20


def build() -> None:
    """Build the world once; it is kept in var/bench."""
    call_command("migrate", verbosity=0)
    call_command("collectstatic", interactive=False, verbosity=0)
    if Claim.objects.count() >= CLAIMS:
        return
    begun, today = time.monotonic(), load.here()
    with clock.at(datetime.combine(today, datetime.min.time(), tzinfo=clock.now().tzinfo)):
        people = load.load()
    model = people["maren"]
    with transaction.atomic():
        members = [model]
        for number in range(PEOPLE - 15):
            person = Person.objects.create(email=f"p{number}@brackwater.example", name=f"Person {number}", password="!")
            member = Membership.objects.create(
                firm=model.firm, person=person, manager=model.manager, codes=[["cost_centre", "3120"]], home_code="ORK"
            )
            Card.objects.create(
                owner=member, last_four=f"{number:04d}", issuer="Quayside Card", expires=today + timedelta(days=400)
            )
            members.append(member)
        states = ["Settled"] * 7 + ["Posted", "In finance check", "Open"]
        Claim.objects.bulk_create(
            (Claim(firm=model.firm, claimant=members[n % len(members)], number=1000 + n, title=f"Survey {n}", currency="EUR", created=clock.now(),
                   state=states[n % 10], sent=clock.now(), codes=[["cost_centre", "3120"]]) for n in range(CLAIMS)),
            batch_size=2000,
        )  # fmt: skip
        ids = list(Claim.objects.filter(number__gte=1000).values_list("pk", "claimant_id"))
        Expense.objects.bulk_create(
            (Expense(firm=model.firm, owner_id=owner, claim_id=pk, date=today - timedelta(days=n * 9 % 600), merchant=f"Merchant {n % 400}", category="taxi",
                     currency="EUR", amount_minor=1000 + (pk + n) % 9000, created=clock.now()) for pk, owner in ids for n in range(LINES)),
            batch_size=5000,
        )  # fmt: skip
        state_all(model)
        card = Card.objects.get(owner=model)
        Charge.objects.bulk_create(
            Charge(
                firm=model.firm,
                owner=model,
                card=card,
                bank_id=f"b{n}",
                date=today - timedelta(days=n % 60),
                merchant=f"M {n}",
                currency="EUR",
                amount_minor=n + 1,
            )
            for n in range(5000)
        )
    print(f"The larger world was built in {time.monotonic() - begun:.0f} s, once.")


def state_all(model: Membership) -> None:
    """Give every sent claim of the larger world the statement that sending it would have written."""
    coding = coded("3120")
    kept = keep_codings(model.firm, [coding])[coding]
    rows = [
        Statement(claim_id=pk, number=1, act="certified and sent", by_id=owner, time=clock.now(), budget_day=load.here(),
                  total_minor=10_000 + n, own_money_minor=10_000 + n, allowance_minor=0, mileage_minor=0, firm_paid_minor=0,
                  personal_minor=0, advance_minor=0, due_minor=n, workings=[], marks=[])
        for n, (pk, owner) in enumerate(Claim.objects.filter(number__gte=1000).exclude(state="Open").values_list("pk", "claimant_id"))
    ]  # fmt: skip
    by_claim = {row.claim_id: row for row in Statement.objects.bulk_create(rows, batch_size=2000)}
    Claim.objects.filter(number__gte=1000).update(
        statement=Subquery(Statement.objects.filter(claim=OuterRef("pk")).values("pk")[:1])
    )
    lines = StatementLine.objects.bulk_create(
        (StatementLine(statement=by_claim[e.claim_id], order=n % 1000, key=e.key, kind="cost", label=e.label, day=e.date, merchant=e.merchant,
                       category=e.category, category_name="Taxi", paid_by="self", says_minor=e.amount_minor,
                       allows_minor=e.amount_minor, allows_by="no limit") for n, e in enumerate(Expense.objects.filter(claim__number__gte=1000).exclude(claim__state="Open"))),
        batch_size=5000,
    )  # fmt: skip
    StatementCoding.objects.bulk_create(
        (StatementCoding(line=line, order=0, text=line.label, category="taxi", account="6445", kept=kept, codes=[["cost_centre", "3120"]],
                         net_minor=line.says_minor, tax_minor=0, recoverable_minor=0) for line in lines),
        batch_size=5000,
    )  # fmt: skip


def long_journey(maren: Membership) -> Trip:
    """A journey of 21 days and 12 legs, made once."""
    known = Trip.objects.filter(traveller=maren, title="Round the coast").first()
    if known:
        return known
    trip = plan_services.start_trip(maren, "Round the coast", "All gauges", coded("3120"))
    day = load.here() + timedelta(days=90)
    spots = [place("ORK"), *(town(name, "NO") for name in ("Bergen", "Florø", "Bergen", "Stavanger", "Bergen"))]
    for n in range(12):
        at = datetime.combine(day + timedelta(days=n * 20 // 11), datetime.min.time()).replace(hour=9)
        one, other = spots[n % 6], spots[(n + 1) % 6]
        plan_services.add_leg(maren, trip.pk, "ferry", one, other, at, at + timedelta(hours=6), Decimal(80))
    return Trip.objects.get(pk=trip.pk)


def page(client: Client, path: str) -> tuple[float, float, int, float]:
    """Return median and 95th percentile in ms, queries, and the ratio to the bare SQL."""
    client.get(path)
    taken = []
    for _ in range(TIMES):
        begun = time.perf_counter()
        status = client.get(path).status_code
        taken.append((time.perf_counter() - begun) * 1000)
        if status != 200:
            raise SystemExit(f"{path} answered {status}")
    with CaptureQueriesContext(connection) as queries:
        client.get(path)
    bare = []
    for _ in range(5):
        begun = time.perf_counter()
        for query in queries.captured_queries:
            # What was captured is the statement with its values filled in; run again for measuring alone.
            if query["sql"].startswith("SELECT"):
                connection.connection.execute(query["sql"]).fetchall()
        bare.append((time.perf_counter() - begun) * 1000)
    median = statistics.median(taken)
    return median, sorted(taken)[int(TIMES * 0.95) - 1], len(queries), median / max(min(bare), 0.01)


def waiting(signer: Membership, count: int = 10_000) -> None:
    """Let so many sign-offs wait for one person, once."""
    if SignOff.objects.filter(object_id__gte=10**8).exists():
        return
    SignOff.objects.bulk_create(
        (
            SignOff(
                firm=signer.firm, subject=f"claim:{10**8 + n}", kind="claim", object_id=10**8 + n, order=1, signer=signer, turn=True,
                title=f"Person {n}: Survey {n}", amount_minor=1000 + n, currency="EUR", why="x", since=clock.now(), risk=n % 100,
                due=load.here() + timedelta(days=n % 40), coding="3120", marks=["explain"] if n % 3 else [], odd=bool(n % 3),
            )
            for n in range(count)
        ),
        batch_size=2000,
    )  # fmt: skip


def pages() -> None:
    """Measure every main page."""
    members = {
        m.person.email.split(".")[0]: m for m in Membership.objects.filter(firm__slug="ltd").select_related("person")
    }
    maren, tobias, priya = members["maren"], members["tobias"], members["priya"]
    trip = Trip.objects.filter(traveller=maren).order_by("pk").first()
    claim = Claim.objects.filter(trip=trip).first()
    signing = Claim.objects.filter(state="In sign-off", firm=maren.firm).first()
    checking = Claim.objects.filter(state="In finance check", firm=maren.firm, number__lt=1000).first()
    plan, day = (
        Trip.objects.filter(traveller=maren, state="Planning").order_by("pk").first(),
        load.here() + timedelta(days=20),
    )
    northern = Trip.objects.get(title__startswith="Northern")
    leg = northern.legs.first()
    waiting(tobias)
    print(f"{'page':<34}{'median ms':>10}{'95 % ms':>10}{'queries':>9}{'× bare SQL':>12}{'KB':>7}")
    for who, name, path in [
        (maren, "desk", "/"), (maren, "trips", "/trips/"), (maren, "trip with ribbon", f"/trips/{trip.pk}/"), (maren, "trip planned, six days", f"/trips/{northern.pk}/"),
        (maren, "a line of it opened", f"/trips/{northern.pk}/open/leg-{leg.pk}/"), (maren, "a door of it opened", f"/trips/{northern.pk}/open/papers/"),
        (maren, "tray, 5,000 loose", "/tray/"),
        (maren, "claims", "/claims/"), (maren, "claim, open", f"/claims/{claim.pk}/"), (tobias, "bench, claim", f"/bench/claim/{signing.pk}/"),
        (priya, "bench, finance", f"/bench/claim/{checking.pk}/"), (tobias, "queue, 10,000 waiting", "/bench/queue/"), (tobias, "queue by risk, page 200", "/bench/queue/?sort=risk&page=200"),
        (priya, "claims of the firm", "/firm/claims/"), (priya, "find a merchant", "/find/?q=Merchant 7"), (priya, "ledger", "/ledger/"), (priya, "pay", "/ledger/pay/"),
        (maren, "ways, to first results", f"/trips/{plan.pk}/ways/?from=ORK&to=BGO&on={day}&when=any&at="),
        (maren, "ways there and back", f"/trips/{plan.pk}/ways/?from=ORK&to=DUB&on={day}&when=any&at=&from=DUB&to=ORK&on={day + timedelta(days=2)}&when=any&at="),
        (maren, "other days, a step", f"/trips/{plan.pk}/ways/days/?from=ORK&to=DUB&on={day}&when=any&at=&from=DUB&to=ORK&on={day + timedelta(days=2)}&when=any&at="),
        (maren, "stays on a map", f"/trips/{plan.pk}/stays/"), (maren, "page before signing", f"/trips/{plan.pk}/sign/"),
        (maren, "trip, 21 days, 12 legs", f"/trips/{long_journey(maren).pk}/"),
        (priya, "find", "/find/?q=survey"),
    ]:  # fmt: skip
        client = Client()
        client.force_login(who.person)
        median, high, queries, ratio = page(client, path)
        size = len(client.get(path).content) / 1000
        print(f"{name:<34}{median:>10.1f}{high:>10.1f}{queries:>9}{ratio:>12.1f}{size:>7.0f}")


def timed(name: str, act, times: int = 20) -> None:
    """Print the median time of an act."""
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        act()
        taken.append((time.perf_counter() - begun) * 1000)
    print(f"{name:<34}{statistics.median(taken):>10.2f} ms")


def core() -> None:
    """Measure the core alone."""
    firm = Membership.objects.filter(firm__slug="ltd").select_related("firm").first().firm
    book, today = rulebook(firm), load.here()
    items = tuple(
        Item(
            f"expense:{n}",
            f"Cost {n}",
            "taxi",
            today - timedelta(days=n % 20),
            Money.from_minor(1000 + n, "EUR"),
            merchant=f"M{n}",
        )
        for n in range(100)
    )
    subject = Subject(
        "claim:1",
        "claim",
        today,
        "EUR",
        items,
        starts=today - timedelta(days=20),
        ends=today,
        due=today,
        names=book.names,
    )
    timed("100 lines under all rules", lambda: run(subject, book.settings))
    trip = Trip.objects.get(title__startswith="Tide-gauge")
    journey = journey_of(list(trip.legs.all()), list(trip.nights.all()), trip.supplied)
    timed("a five-day allowance", lambda: daily_allowance(journey, book.schemes, book.rates, "EUR"))
    long = load_trip(
        Membership.objects.get(person__email__startswith="maren", firm=firm), Trip.objects.get(title="Round the coast")
    )
    whole = plan_subject(long.trip, firm, book, long.figures, today, None)
    timed("all rules over 21 days, 12 legs", lambda: run(whole, book.settings))
    legs = [(leg.origin, leg.target, leg.mode) for leg in long.figures.journey.legs]
    timed("the map of it", lambda: draw_map(legs, [n.place for n in long.figures.journey.nights]))
    receipt = papers.till_receipt(date(2026, 10, 15))

    def read() -> None:
        picture = pages_of(receipt)[0]
        read_fields(Standin().words(picture, 0), date(2026, 11, 1))

    timed("reading one receipt (photo)", read, 5)


def matching() -> None:
    """Match 200 receipts with 500 charges, half of them pairs."""
    today = load.here()
    charges = [
        CoreCharge(
            str(n),
            f"SHOP {n % 60} CORK",
            today - timedelta(days=n % 60),
            Money.from_minor(1000 + n * 7, "EUR"),
            "4410",
            ("Cork",),
        )
        for n in range(500)
    ]
    kept = [
        Paper(str(n), f"Shop {n % 60}", c.day, c.amount if n % 2 else Money.from_minor(55 + n, "EUR"), "4410") for n, c in enumerate(charges[:200])
    ]  # fmt: skip
    timed("matching 200 receipts, 500 charges", lambda: best_pairs(kept, charges), 5)


def statement() -> None:
    """Read, show and take a card file of 10,000 entries; print seconds and the most memory that it took."""
    member = Membership.objects.get(person__email="p0@brackwater.example")
    today = load.here()
    rows = "".join(
        f"{today - timedelta(days=n % 300)};SHOP {n % 900};{(n * 37) % 90000 / 100 + 1:.2f};K{time.time_ns()}{n}\n"
        for n in range(10_000)
    )
    content = ("Date;Merchant;Amount;Reference\n" + rows).encode()
    tracemalloc.start()
    begun = time.perf_counter()
    with transaction.atomic():
        file = charge_services.look_at(member, "large.csv", content, "0000")
        charge_services.read_file.call_local(file.pk)
        taken = charge_services.take_file(member, file.pk).taken
        transaction.set_rollback(True)
    most = tracemalloc.get_traced_memory()[1] / 1e6
    tracemalloc.stop()
    print(
        f"{'a card file of 10,000 entries':<34}{time.perf_counter() - begun:>10.1f} s, {taken} taken, {most:.0f} MB at most"
    )


def categories() -> None:
    """Propose categories for the demo's costs in the order of time, each from those before it alone."""
    firm = Membership.objects.filter(firm__slug="ltd").select_related("firm").first().firm
    guide, names = guides(rulebook(firm).categories), trades()
    rows = list(
        Expense.objects.filter(firm=firm, kind="cost", claim__number__lt=1000).exclude(merchant="").order_by("created", "pk")
        .values_list("owner_id", "merchant", "category", "charge__merchant_code")
    )  # fmt: skip
    counts: dict[str, int] = {"right": 0, "wrong": 0, "empty": 0}
    seen: dict[tuple[str, str], dict[int, int]] = {}
    for number, (owner, merchant, category, code) in enumerate(rows):
        key = plain_merchant(merchant)
        chosen = [Chosen(k, c, by.get(owner, 0), sum(by.values())) for (k, c), by in seen.items() if k == key]
        if number >= len(rows) // 3:
            found = propose(key, merchant, code or "", chosen, guide, names)
            counts["empty" if found is None else "right" if found.category == category else "wrong"] += 1
        by = seen.setdefault((key, category), {})
        by[owner] = by.get(owner, 0) + 1
    held = sum(counts.values()) or 1
    print(
        f"{'categories, ' + str(held) + ' held out':<34}"
        + "".join(f"{word} {n / held:>6.1%}   " for word, n in counts.items())
    )


def month() -> None:
    """Run the browser test of the month, which counts keys and clicks, and print what it took."""
    told_to = VAR / "month.json"
    told_to.unlink(missing_ok=True)
    command = [sys.executable, "manage.py", "test", "--noinput", "tests.browser.test_month.MonthTest.test_the_month"]
    env = {k: v for k, v in os.environ.items() if not k.startswith("WAINWRIGHT_")} | {"WAINWRIGHT_MONTH": str(told_to)}
    subprocess.run(command, cwd=VAR.parents[1], env=env, capture_output=True, check=False)
    if not told_to.exists():
        print("the month: its browser test failed; run make test to see why")
        return
    told = json.loads(told_to.read_text())
    print(
        f"{'the month, 40 receipts, 60 charges':<34}{told['acts']:>6} keys and clicks, {told['seconds']:.0f} s with reading, {told['wrong']} wrong"
    )


def claims() -> None:
    """A claim of a hundred lines, its splits, twenty thousand codes, and a document with sixty pages of evidence."""
    maren = Membership.objects.select_related("person", "firm").get(person__email__startswith="maren", firm__slug="ltd")
    claim = Claim.objects.filter(claimant=maren, trip__isnull=False, state="Open").order_by("pk").first()
    with transaction.atomic():
        day = claim.trip.starts
        Expense.objects.bulk_create(
            Expense(firm=maren.firm, owner=maren, claim=claim, date=day + timedelta(days=n % 5), merchant=f"M{n}", category=("taxi", "parking", "supplies")[n % 3],
                    currency="EUR", amount_minor=1000 + n, created=clock.now()) for n in range(100)
        )  # fmt: skip
        Code.objects.bulk_create(
            Code(firm=maren.firm, dimension="project", code=f"Q-{n:05d}", name=f"Harbour {n} of the outer bar")
            for n in range(20_000)
        )
        maren.firm.rules_version = new_version()
        maren.firm.save()
        client = Client()
        client.force_login(maren.person)
        for name, path in [
            ("claim of 100 lines", f"/claims/{claim.pk}/"), ("what it asks", f"/claims/{claim.pk}/asked/"), ("its split editor", f"/claims/{claim.pk}/?split=all"),
            ("one of 20,000 codes", "/codes/?split-coding=outer"),
        ]:  # fmt: skip
            median, high, queries, ratio = page(client, path)
            print(f"{name:<34}{median:>10.1f}{high:>10.1f}{queries:>9}{ratio:>12.1f}")
        transaction.set_rollback(True)
    costs, weights = [Money.from_minor(1000 + 37 * n, "EUR") for n in range(100)], [Decimal(20)] * 5
    timed("100 lines split over 5 codings", lambda: spread(costs, weights))
    picture = pages_of(papers.till_receipt(date(2026, 10, 15)))[0].content
    bound = [(f"C-0001 · line {n}", Bound(f"Receipt {n}", "", (picture, picture))) for n in range(30)]
    front = sheet("A claim of 40 lines", [(f"Line {n}", "10.00") for n in range(40)])
    timed("a document, 60 pages of evidence", lambda: document(front, "Evidence", bound), 3)


COUNTED = {
    "back to sent:": "tests.browser.test_claims.ClaimsTest.test_back_from_the_trip_to_sent_in_five_inputs",
    "a clean claim:": "tests.browser.test_bench.BenchTest.test_a_clean_claim_in_two_keys_and_forty_lines_in_a_minute",
    "forty lines, three odd:": "tests.browser.test_bench.BenchTest.test_a_clean_claim_in_two_keys_and_forty_lines_in_a_minute",
}


def counted() -> None:
    """Run the browser tests that count what is typed and pressed, and print their lines."""
    env = {k: v for k, v in os.environ.items() if not k.startswith("WAINWRIGHT_")}
    said: dict[str, str] = {}
    for test in dict.fromkeys(COUNTED.values()):
        command = [sys.executable, "manage.py", "test", "--noinput", test]
        done = subprocess.run(command, cwd=VAR.parents[1], env=env, capture_output=True, check=False, text=True)
        said[test] = done.stdout + done.stderr
    for name, test in COUNTED.items():
        line = next((each for each in said[test].splitlines() if each.startswith(name)), "")
        print(f"{name:<34}{line.removeprefix(name) or ' its browser test failed; run make test to see why'}")


if __name__ == "__main__":
    VAR.mkdir(parents=True, exist_ok=True)
    build()
    pages()
    core()
    matching()
    statement()
    categories()
    month()
    tasks(VAR / "tasks.jsonl")
    claims()
    books.measure(page, load.here())
    spending.report_of(
        Membership.objects.select_related("firm", "person").filter(finance=True, firm__slug="ltd").first()
    )
    counted()
    report(random.SystemRandom().randrange(10_000), 60, load.here())
