"""What comes again is told by a rule, which posts it."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from wainwright import clock
from wainwright.accounts.models import Posting
from wainwright.accounts.selectors import books
from wainwright.core.coding import Coding, check_coding
from wainwright.core.money import Money
from wainwright.core.posting import Entry, Journal
from wainwright.core.said import joined, say
from wainwright.errors import Refusal
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.reconciling.models import BankAccount, Line, LineRule, Match
from wainwright.reconciling.selectors import open_lines
from wainwright.reconciling.services.base import account_for
from wainwright.reconciling.services.posted import AWAY, key_of, posted_for
from wainwright.trail.services import record


@transaction.atomic
def make_rule(member: Membership, account_id: int, words: str, ledger_account: str, coding: Coding) -> LineRule:
    """Make a rule for what comes again: lines with these words are posted to an account. Raises ``Refusal``."""
    must(member, "reconcile")
    account = account_for(member, account_id)
    words = " ".join(words.split()).casefold()[:80]
    if len(words) < 3:
        raise Refusal(say("Name words that stand in the line: three letters or more."), "words")
    book = books(member.firm).codes
    if ("account", ledger_account) not in book.codes:
        raise Refusal(
            say("The ledger has no account {ledger_account}.", ledger_account=ledger_account[:20]), "ledger_account"
        )
    if coding:
        faults = check_coding(coding, book, clock.today(member.firm.zone))
        if faults:
            raise Refusal(faults[0].text, "coding")
    codes = [list(pair) for pair in coding.codes]
    rule, _ = LineRule.objects.update_or_create(
        account=account, words=words, defaults={"ledger_account": ledger_account, "codes": codes, "by": member}
    )
    record(
        member,
        say("made a rule for bank lines"),
        f"bankaccount:{account.pk}",
        after={"words": words, "account": ledger_account},
    )
    return rule


def fitting_rule(line: Line, rules: Sequence[LineRule]) -> LineRule | None:
    """The rule whose words stand in a line; the longest where several do."""
    written = joined("", (line.name, " ", line.text)).casefold()
    found = [rule for rule in rules if rule.words in written]
    return max(found, key=lambda rule: len(rule.words), default=None)


def apply_rules(member: Membership, account_id: int, line_ids: Sequence[int] | None = None) -> tuple[int, list[str]]:
    """Post every open line that a rule tells; each a journal under the line's key. Returns how many, and of the others why not."""
    must(member, "reconcile")
    account = account_for(member, account_id)
    rules = list(account.rules.all())
    rows = open_lines(account) if line_ids is None else open_lines(account).filter(pk__in=line_ids)
    done, left = 0, []
    for line in rows:
        rule = fitting_rule(line, rules)
        if rule is None:
            continue
        try:
            posting = _posted_by(member, account, line, rule)
        except Refusal as refusal:
            left.append(joined("", (line.name, " ", line.amount, ": ", refusal.message)))
            if refusal.message == AWAY:
                break
            continue
        done += _told_by(member, account, line, rule, posting)
    return done, left


def _posted_by(member: Membership, account: BankAccount, line: Line, rule: LineRule) -> Posting:
    """The journal of a line that a rule tells, entered once under the line's own key. Raises ``Refusal``."""
    size, nothing = max(line.amount, -line.amount), Money.zero(account.currency)
    out = line.amount < nothing
    text = f"{line.name} {line.text}".strip()[:150] or rule.words
    there = Entry(
        Coding.of(rule.codes).with_account(rule.ledger_account),
        size if out else nothing,
        nothing if out else size,
        text,
    )
    here = Entry(Coding(account.ledger_account), nothing if out else size, size if out else nothing, text)
    subject = f"bankline:{line.pk}"
    journal = Journal(key_of(line, "bank-line", subject), account.currency, (there, here) if out else (here, there))
    return posted_for(member, account, journal, subject, joined("", (account.name, ": ", text)), line)


@transaction.atomic
def _told_by(member: Membership, account: BankAccount, line: Line, rule: LineRule, posting: Posting) -> int:
    row = Line.objects.select_for_update(no_key=True).get(pk=line.pk)
    if row.match_id is not None:
        return 0
    match = Match.objects.create(
        account=account, why=say("Rule “{rule_words}”: posted to {ledger_account} as {number}", rule_words=rule.words, ledger_account=rule.ledger_account, number=posting.number)[:300], score=100, posting=posting, by=member,
        time=clock.now(),
    )  # fmt: skip
    Line.objects.filter(pk=row.pk).update(match=match)
    record(
        member,
        say("told a line by a rule"),
        f"bankaccount:{account.pk}",
        after={"line": row.pk, "rule": rule.words, "posting": posting.number},
    )
    return 1
