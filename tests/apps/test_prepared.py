"""Reads that are put together once, and fields that are written without a template: the same as Django's own."""

from __future__ import annotations

import re
from datetime import timedelta

from django import forms
from django.db import connection
from django.forms.renderers import DjangoTemplates
from django.test import SimpleTestCase
from django.test.utils import CaptureQueriesContext
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.apps.world import World
from wainwright.claims.models import Claim
from wainwright.claims.selectors import claim_for, claims_of, newest_of
from wainwright.expenses.models import Expense, Receipt
from wainwright.people.models import Membership
from wainwright.prepared import padded, prepared
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Trip
from wainwright.visible import visible_row
from wainwright.widgets import Renderer


class PreparedTest(World):
    """A query put together once answers for every key it is asked with."""

    def test_it_answers_for_each_as_the_query_would(self):
        claims = [self.a_claim(), self.a_claim(costs=("12.00", "9.99"))]
        for member in (self.maren, self.aiko, self.maren):
            self.assertEqual(newest_of(member.pk), list(claims_of(member)))
        self.assertEqual(
            {claim.pk for claim in newest_of(self.maren.pk)} & {c.pk for c in claims}, {c.pk for c in claims}
        )

    def test_what_is_joined_annotated_and_fetched_along_comes_too(self):
        claim = self.a_claim(costs=("12.00", "9.99"))

        @prepared
        def costs(owner: int, since, number: int):
            rows = Expense.objects.filter(owner_id=owner, date__gte=since, claim__number=number)
            return rows.select_related("claim__claimant__person").prefetch_related("receipts").order_by("pk")

        for _ in range(2):
            with CaptureQueriesContext(connection) as asked:
                found = costs(self.maren.pk, self.today - timedelta(days=400), claim.number)
                names = [(cost.claim.claimant.person.name, len(cost.receipts.all())) for cost in found]
            self.assertEqual(names, [(self.maren.person.name, 0)] * 2)
            self.assertEqual(len(asked), 2)
        self.assertEqual(costs(self.maren.pk, self.today + timedelta(days=400), claim.number), [])
        self.assertEqual(costs(self.aiko.pk, self.today - timedelta(days=400), claim.number), [])

    def test_what_it_gives_is_what_stands_there_now(self):
        claim = self.a_claim()
        self.assertEqual(claim_for(self.maren, claim.pk).title, claim.title)
        Claim.objects.filter(pk=claim.pk).update(title="Another")
        self.assertEqual(claim_for(self.maren, claim.pk).title, "Another")

    def test_nobody_sees_by_it_what_they_may_not(self):
        claim = self.a_claim()
        for member in (self.aiko, self.liv):
            with self.assertRaises(Claim.DoesNotExist):
                claim_for(member, claim.pk)
        for member in (self.maren, self.priya):
            self.assertEqual(claim_for(member, claim.pk).pk, claim.pk)

    def test_one_row_for_whoever_may_see_it_is_as_visible_as_in_a_list(self):
        claim = self.sent_claim()
        cost = claim.expenses.get()
        everybody = [self.maren, self.aiko, self.priya, self.liv, self.tobias]
        for rows, key in (
            (Trip.objects, claim.trip_id), (Claim.objects, claim.pk), (Expense.objects, cost.pk),
            (Claim.objects, 2**70), (Expense.objects, -1), (Trip.objects, claim.trip_id + 1),
        ):  # fmt: skip
            one = visible_row(lambda who, rows=rows: rows.visible_to(who))
            for member in everybody * 2:
                with self.subTest(rows.model.__name__, key=key, member=member):
                    there = [row for row in rows.visible_to(member) if row.pk == key]
                    self.assertEqual(one(member, key), there[0] if there else None)

    def test_whoever_prepares_for_somebody_sees_what_they_prepare_and_nothing_they_decide(self):
        claim = self.sent_claim()
        signer = SignOff.objects.get(subject=claim.subject, turn=True).signer
        one = visible_row(lambda who: Claim.objects.visible_to(who))
        self.assertEqual(one(signer, claim.pk), claim)
        signer.prepared_by = self.aiko
        self.assertIsNone(one(signer, claim.pk))
        self.maren.prepared_by = self.aiko
        self.assertEqual(one(self.maren, claim.pk), claim)

    def test_several_keys_are_asked_for_with_a_few_wordings(self):
        costs = [self.a_cost(self.maren, f"{number}.00") for number in range(1, 12)]

        @prepared
        def some(owner: int, *keys: int):
            return Expense.objects.filter(owner_id=owner, pk__in=keys).order_by("pk")

        for count in range(1, 12):
            keys = [cost.pk for cost in costs[:count]]
            self.assertEqual(some(self.maren.pk, *padded(keys)), costs[:count])
        self.assertEqual(len(some.kept), 3)

    @given(st.lists(st.integers(), max_size=70))
    def test_padding_adds_nothing_that_is_not_there(self, values):
        found = padded(values)
        self.assertEqual(found[: len(values)], values)
        self.assertEqual(set(found), set(values))
        self.assertTrue(not values or (len(found) >= 4 and len(found) & (len(found) - 1) == 0))

    def test_a_time_is_asked_for_in_the_databases_own_zone(self):
        paper = self.a_paper()

        @prepared
        def since(owner: int, time):
            return Receipt.objects.filter(owner_id=owner, received__gte=time)

        self.assertEqual(since(self.maren.pk, paper.received), [paper])
        self.assertEqual(since(self.maren.pk, paper.received + timedelta(microseconds=1)), [])

    def test_what_it_is_not_asked_with_and_nothing_at_all_are_refused(self):
        @prepared
        def forgets(owner: int, text: str):
            return Expense.objects.filter(owner_id=owner)

        @prepared
        def like(text: str):
            return Membership.objects.filter(person__name__icontains=text)

        with self.assertRaises(TypeError):
            forgets(1, "more")
        with self.assertRaises(TypeError):
            like("Maren")
        for nothing in (None, True, [1]):
            with self.subTest(nothing=nothing), self.assertRaises(TypeError):
                newest_of(nothing)

    def test_hostile_text_stays_text(self):
        @prepared
        def of(name: str):
            return Membership.objects.filter(person__name=name)

        self.assertEqual(of("' OR 1=1 --"), [])
        self.assertEqual(of("stands in for text 0"), [])
        self.assertEqual(of(self.maren.person.name), [self.maren])


class Fields(forms.Form):
    """One field of each kind that is written by hand, and one that is not."""

    text = forms.CharField(required=False)
    mail = forms.EmailField(required=False)
    number = forms.IntegerField(required=False)
    day = forms.DateField(required=False)
    secret = forms.CharField(required=False, widget=forms.PasswordInput)
    hidden = forms.CharField(required=False, widget=forms.HiddenInput)
    yes = forms.BooleanField(required=False)
    paper = forms.FileField(required=False)
    words = forms.CharField(required=False, widget=forms.Textarea)
    several = forms.MultipleChoiceField(required=False, choices=[("a", "A & B"), ("<", "<b>")])
    one = forms.ChoiceField(required=False)


TEXTS = st.text(max_size=12)


class WidgetsTest(SimpleTestCase):
    """What is written is what Django's own templates write, but for blanks between tags."""

    @settings(max_examples=25)
    @given(typed=TEXTS, label=TEXTS, group=TEXTS, attribute=TEXTS, on=st.sampled_from([True, False, None, 7, 1.5]))
    def test_the_same_fields_as_djangos_own(self, typed, label, group, attribute, on):
        for bound in (False, True):
            pages = []
            for renderer in (Renderer(), DjangoTemplates()):
                data = {"text": typed, "yes": "on", "several": ["a", typed], "one": typed, "day": typed, "words": typed}
                form = Fields(data if bound else None, initial={"text": typed, "number": 1234567}, renderer=renderer)
                form.fields["one"].choices = [("", "none"), (typed, label), (group, [(attribute, label), ("7", 7)])]
                form.fields["text"].widget.attrs |= {"data-x": attribute, "autofocus": on, "size": on}
                pages.append([re.sub(r">\s+<", "><", str(field)).replace("\n", "") for field in form])
            self.assertEqual(*pages)
