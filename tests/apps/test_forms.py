"""The whole road by plain forms, as it works without JavaScript: every button posts, every page answers."""

from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile

from demo import papers
from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright.accounts.models import PayRun, Posting
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.expenses.models import CardFile, Charge, Expense, Receipt
from wainwright.news.models import Notice
from wainwright.signoff.models import Remark
from wainwright.standins.ledger.models import ClosedPeriod
from wainwright.trips.models import Night, Trip


class FormsTest(WorldTestCase):
    def send(self, member, path, says="", status=200, **data):
        """Post a form as a person and follow to the page it leads to; ``says`` must stand there."""
        self.enter(member)
        if path.startswith("/bench/") and "version" not in data:
            # What the page shows carries its version in every form.
            _, _, kind, number, *_ = path.split("/")
            data["version"] = (Trip if kind == "trip" else Claim).objects.get(pk=number).version
        with self.done():
            response = self.client.post(path, data, follow=True)
        self.assertEqual(response.status_code, status)
        if says:
            self.assertContains(response, says, status_code=status)
        return response

    def start(self) -> Trip:
        self.send(
            self.maren,
            "/trips/new/",
            "Gauge at the pier",
            title="Gauge at the pier",
            purpose="To mend it",
            **{"code-cost_centre": "3120"},
        )
        return Trip.objects.latest("pk")

    def leg(self, trip, day, origin="ORK", target="BGO", leaves="09:00", arrives="14:00", **more):
        data = {
            "mode": "air",
            "origin": origin,
            "target": target,
            "leaves_day": day.isoformat(),
            "leaves_time": leaves,
            "arrives_time": arrives,
            "paid_by": "firm",
        }
        return self.send(self.maren, f"/trips/{trip.pk}/legs/", **(data | more))

    def test_planning(self):
        trip, day = self.start(), self.today + timedelta(days=30)
        self.leg(trip, day, says="Bergen airport", estimate="210,50")
        self.leg(trip, day + timedelta(days=2), "BGO", "ORK", says="Cork airport")
        trip.refresh_from_db()
        page = f"/trips/{trip.pk}/"
        nights = [n.date.isoformat() for n in trip.nights.all()]
        self.send(
            self.maren, page + "stay/", "20.00 a night over", night=nights, name="Lamp Quay", cost="170", paid_by="firm"
        )
        self.assertEqual(set(Night.objects.values_list("cost_minor", flat=True)), {170_00})
        self.send(self.maren, page + "stay/", "Enter a number", status=422, night=nights, cost="much", paid_by="firm")
        finding = f"ceiling@night:{nights[0]}"
        self.send(
            self.maren,
            page + "explain/",
            "Say in a few words",
            status=422,
            identity=finding,
            reason="Needed for the work",
            words="no",
        )
        self.send(
            self.maren,
            page + "explain/",
            "On the quay itself",
            identity=finding,
            reason="Needed for the work",
            words="On the quay itself",
        )
        self.send(self.maren, page + "meal/", "is supplied by others now", meal=f"{nights[0]}:dinner")
        self.send(self.maren, page + "meal/", "is yours to eat now", meal=f"{nights[0]}:dinner")
        self.send(
            self.maren,
            page + "others/",
            "Pier parking",
            category="parking",
            label="Pier parking",
            amount="54",
            paid_by="self",
        )
        self.send(
            self.maren,
            page + "others/",
            "more than nothing",
            status=422,
            category="parking",
            amount="0",
            paid_by="self",
        )
        self.send(self.maren, f"{page}others/{trip.others.get().pk}/remove/", "The whole trip was")
        self.send(self.maren, page + "advance/", "An advance lies between", status=422, advance="9999", why="Cash")
        self.send(self.maren, page + "advance/", "Say what the advance is for", status=422, advance="10")
        self.send(
            self.maren,
            page + "head/",
            "Gauge at the outer pier",
            title="Gauge at the outer pier",
            purpose="To mend it",
            **{"code-cost_centre": "3140"},
        )
        self.send(
            self.maren,
            page + "head/",
            "asks for a task",
            status=422,
            title="Gauge",
            purpose="To mend it",
            **{"code-cost_centre": "3120"},
            **{"code-project": "P-0417"},
        )
        trip.refresh_from_db()
        self.send(
            self.maren, page + "send/", "on its way to be signed off", version=trip.version, name="maren oyelaran"
        )
        self.send(self.maren, page + "take-back/", "Look it over and sign")
        self.send(self.maren, page + "call-off/", "Called off")
        self.assertEqual(Trip.objects.get().state, "Called off")

    def test_finding_and_holding_a_way(self):
        trip, day = self.start(), self.today + timedelta(days=30)
        self.enter(self.maren)
        parts = [("ORK", "BGO", day), ("BGO", "ORK", day + timedelta(days=3))]
        said = "&".join(f"from={one}&to={other}&on={on}&when=any&at=" for one, other, on in parts)
        search = f"/trips/{trip.pk}/ways/?{said}"
        out = self.client.get(search)
        self.assertContains(out, "choose one to see its yardstick")
        first = next(r for r in out.context["rows"] if r.each.offer.mode == "air")
        back = self.client.get(f"/trips/{trip.pk}/ways/{first.link.partition('#')[0]}")
        self.assertContains(back, "Bergen to Cork")
        last = next(r for r in back.context["rows"] if not r.cost.fault)
        chosen = self.client.get(f"/trips/{trip.pk}/ways/{last.link.partition('#')[0]}")
        self.assertContains(chosen, "What it does to the trip")
        for order in ("leaves", "arrives", "time", "carbon", "price", "nonsense"):
            self.assertEqual(self.client.get(f"{search}&order={order}").status_code, 200)
        data = {
            "from": ["ORK", "BGO"], "to": ["BGO", "ORK"], "on": [str(p[2]) for p in parts], "when": ["any"] * 2, "at": ["", ""],
            "pick0": chosen.context["picks"][0], "pick1": chosen.context["picks"][1], "reason": chosen.context["reasons"][0],
            "words": "In time for the tide",
        }  # fmt: skip
        self.send(self.maren, f"/trips/{trip.pk}/ways/hold/", "is held under", **data)
        self.send(self.maren, f"/trips/{trip.pk}/ways/hold/", "is held under", **data)
        self.assertEqual(Booking.objects.count(), 1)
        self.send(self.maren, f"/trips/{trip.pk}/bookings/{Booking.objects.get().pk}/cancel/", "no legs yet")
        late = self.client.get(f"{search}&from=&to=&on=".replace(str(parts[1][2]), str(day - timedelta(days=3))))
        self.assertContains(late, "before the part before it", status_code=422)

    @shows("R5.1")
    def test_recording(self):
        self.authorised_trip()
        first = self.today - timedelta(days=12)
        files = [
            SimpleUploadedFile("till.jpg", papers.till_receipt(first + timedelta(days=3))),
            SimpleUploadedFile("virus.exe", b"MZ" * 99),
        ]
        self.send(self.maren, "/tray/drop/", "1 paper taken in", files=files)
        self.send(
            self.maren,
            "/tray/card-file/",
            "card.ofx",
            file=SimpleUploadedFile("card.ofx", papers.card_file(first)),
        )
        file = CardFile.objects.get()
        shown = self.client.get(f"/tray/card-file/{file.pk}/")
        self.assertContains(shown, "nothing is taken yet: 6 new, 0 booked now, 0 doubtful, 0 known already")
        self.send(self.maren, f"/tray/card-file/{file.pk}/take/", "6 taken, 0 known already, 0 left out")
        self.send(self.maren, "/tray/take-all/", "1 taken.")
        self.send(
            self.maren,
            "/tray/personal/",
            "you will owe 16.00 back",
            charge=Charge.objects.get(merchant="GAMLE KINO BERGEN").pk,
        )
        ferry = Charge.objects.get(merchant__startswith="FJORDLINK")
        self.send(self.maren, "/tray/take/", "is an expense now", charge=ferry.pk)
        self.send(self.maren, "/tray/take/", "taken already", charge=ferry.pk)
        ferry.refresh_from_db()
        page = f"/expenses/{ferry.expense_id}/"
        self.send(
            self.maren, page + "attach/", "ferry.png", file=SimpleUploadedFile("ferry.png", papers.ferry_ticket(first))
        )
        receipt = Receipt.objects.get(name="ferry.png")
        self.send(self.maren, page + "detach/", "No receipt yet", receipt=receipt.pk)
        self.send(self.maren, page + "attach/", "ferry.png", receipt=receipt.pk)
        version = Expense.objects.get(pk=ferry.expense_id).version
        rows = {
            "part-category": ["ferry", "meals"],
            "part-label": ["Crossing", "Soup"],
            "part-amount": ["80,20", "8.00"],
            "part-night": ["", ""],
            "part-personal": ["1"],
        }
        self.send(self.maren, page + "parts/", "the parts come to 88.20", version=version, **rows)
        self.send(
            self.maren,
            page + "parts/",
            "is left to place",
            status=422,
            version=version + 1,
            **(rows | {"part-amount": ["1", "2"]}),
        )
        self.send(
            self.maren,
            page + "parts/",
            "no amount of EUR",
            status=422,
            version=version + 1,
            **(rows | {"part-amount": ["1", "two"]}),
        )
        split = {"split-coding": ["3120", "3140"], "split-share": ["60", "40"]}
        self.send(self.maren, page + "split/", "Take the split off", version=version + 1, **split)
        self.send(
            self.maren,
            page + "split/",
            "add up to 50",
            status=422,
            version=version + 2,
            **(split | {"split-share": ["10", "40"]}),
        )
        self.send(
            self.maren,
            page + "split/",
            "is no share and no amount",
            status=422,
            version=version + 2,
            **(split | {"split-share": ["x", "40"]}),
        )
        self.send(self.maren, page + "remove/", "lie in the tray again")
        self.assertEqual(Charge.objects.get(pk=ferry.pk).state, "Loose")

    @shows("R2.2")
    def test_a_receipt_is_confirmed_or_corrected(self):
        with self.done():
            self.enter(self.maren)
            self.client.post(
                "/tray/drop/",
                {"files": SimpleUploadedFile("ferry.png", papers.ferry_ticket(self.today - timedelta(days=5)))},
            )
        receipt = Receipt.objects.get()
        self.assertContains(self.client.get(f"/receipts/{receipt.pk}/"), "88.20")
        typed = {
            "date": (self.today - timedelta(days=5)).isoformat(),
            "merchant": "Fjordlink",
            "category": "ferry",
            "amount": "88,20",
            "currency": "EUR",
            "paid_by": "self",
        }
        self.send(self.maren, f"/receipts/{receipt.pk}/take/", "Fjordlink", **typed)
        receipt.refresh_from_db()
        self.assertEqual(receipt.expense.amount, eur("88.20"))
        self.send(self.maren, f"/receipts/{receipt.pk}/take/", status=422, **(typed | {"amount": "much"}))

    @shows("C2.1")
    def test_claiming_deciding_posting_paying(self):
        claim = self.a_claim(costs=("20.00",))
        self.a_cost(amount="24.00", merchant="Another taxi")
        page = f"/claims/{claim.pk}/"
        self.send(self.maren, page + "put-in/", "1 put in.")
        self.send(self.maren, page + "put-in/", "Nothing is loose")
        other = Expense.objects.get(merchant="Another taxi")
        self.send(self.maren, page + "move/", "1 moved.", row=other.pk, to="tray")
        self.send(self.maren, page + "move/", "Tick the lines first", to="tray")
        self.send(self.maren, page + "move/", "Not all of them are on this claim", row=other.pk, to="tray")
        self.send(self.maren, page + "coding/", "3140", **{"code-cost_centre": "3140"})
        self.send(self.maren, page + "say/", "Please be quick", text="Please be quick")
        version = Claim.objects.get().version
        self.send(self.maren, page + "send/", "Type your name", status=422, version=version, name="Nobody")
        self.send(self.maren, page + "send/", "on its way", version=version, name="Maren Oyelaran")
        self.send(self.maren, page + "take-back/", "Certify and send")
        self.send(self.maren, page + "send/", "on its way", version=Claim.objects.get().version, name="Maren Oyelaran")
        bench = f"/bench/claim/{claim.pk}/"
        line = claim.expenses.get().key
        self.send(self.tobias, bench + "say/", "Which pier?", line=line, text="Which pier?")
        self.send(
            self.tobias,
            bench + "end/send-back/",
            "Sent back with your comment",
            comment="",
            **{f"line-{line}": "Say which pier"},
        )
        self.assertEqual(
            set(Remark.objects.filter(line=line).values_list("text", flat=True)), {"Which pier?", "Say which pier"}
        )
        self.send(self.maren, page + "send/", "on its way", version=Claim.objects.get().version, name="Maren Oyelaran")
        self.send(
            self.tobias, bench + "pass-on/", "Passed on to Signe Halloran", to=self.signe.pk, comment="You know it"
        )
        self.send(self.signe, bench + "approve/", "Approved")
        self.send(self.ottilie, bench + "approve/", "it is with finance now")
        self.send(
            self.priya,
            bench + "finance/send-back/",
            "Sent back with your comment",
            version=Claim.objects.get().version,
            comment="Which month?",
        )
        self.send(self.maren, page + "send/", version=Claim.objects.get().version, name="Maren Oyelaran")
        # Nothing that was signed has changed, so it is with finance at once.
        self.assertEqual(Claim.objects.get().state, "In finance check")
        period = ClosedPeriod.objects.create(firm="ltd", month=f"{self.today:%Y-%m}")
        self.send(self.priya, bench + "clear/", "The ledger refused it", version=Claim.objects.get().version, post="1")
        self.send(
            self.priya,
            bench + "recode/",
            "The coding was corrected",
            version=Claim.objects.get().version,
            old="cost_centre:3140",
            **{"code-cost_centre": "3120"},
        )
        self.send(
            self.priya,
            bench + "recode/",
            "Choose what to replace",
            422,
            version=Claim.objects.get().version,
            old="nonsense",
            **{"code-cost_centre": "3120"},
        )
        period.delete()
        self.send(self.priya, bench + "post/", "is posted", version=Claim.objects.get().version)
        self.send(self.priya, "/ledger/pay/run/", "went to the bank and was answered", claim=claim.pk)
        self.send(self.priya, "/ledger/pay/run/", "Nothing is left to pay", claim=claim.pk)
        self.assertEqual(
            (Claim.objects.get().state, PayRun.objects.count(), Posting.objects.filter(state="Entered").count()),
            ("Settled", 1, 2),
        )
        self.enter(self.priya)
        self.assertIn(b"pain.001", self.client.get(f"/ledger/pay/{PayRun.objects.get().pk}/file/").content)
        self.assertIn(
            b"pain.002",
            self.client.get(
                f"/ledger/pay/{PayRun.objects.get().pk}/answers/{PayRun.objects.get().answers.get().pk}/"
            ).content,
        )

    def test_news_firms_and_signing_out(self):
        self.sent_trip(starts=20)
        self.send(self.tobias, "/news/read/", "News")
        self.assertFalse(Notice.objects.filter(member=self.tobias, read=False).exists())
        self.send(self.benedikt, "/firms/norge/", "Brackwater Norge AS")
        self.assertEqual(self.client.session["firm"], self.ingrid.firm_id)
        self.enter(self.maren)
        self.assertEqual(self.client.post("/firms/norge/").status_code, 404)
        self.client.post("/accounts/logout/")
        self.assertEqual(self.client.get("/").status_code, 302)

    def test_somebody_without_a_firm_is_told_so(self):
        type(self.maren).objects.filter(pk=self.maren.pk).update(active=False)
        self.client.force_login(self.maren.person)
        self.assertContains(self.client.get("/"), "not a member of a firm", status_code=403)
