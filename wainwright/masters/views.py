"""Pages of the ledger's masters: the connection and its health, what would change, what has to be connected."""

from __future__ import annotations

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.text import capfirst
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.accounts.connection import connection_of
from wainwright.accounts.models import FirmAccounts
from wainwright.accounts.selectors import books
from wainwright.core.masters import ACCOUNT, BANK, CUSTOMER, PERSON, SUPPLIER, TAX
from wainwright.core.said import joined, say, say_many
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import few, whole
from wainwright.formats.master_table import MOST_BYTES
from wainwright.masters.models import Fetch, Supplier
from wainwright.masters.selectors import gaps
from wainwright.masters.services import connecting, fetching, posting_to, proposing, taking
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.people.selectors import finance_of
from wainwright.rulebook.models import TaxCode
from wainwright.rulebook.selectors import rulebook

AT_ONCE = 60
# Kinds of masters that every ledger has; the others are dimensions, which a firm names.
OURS = {
    ACCOUNT: say("Account"), CUSTOMER: say("Customer"), SUPPLIER: say("Supplier"), TAX: say("Tax code"), PERSON: say("Person"), BANK: say("Bank account"),
}  # fmt: skip
# Code, kind and key of what is connected as it was proposed.
PARTS = 3
HOURS = [
    (0, say("only when asked")),
    (1, say("every hour")),
    (6, say("every six hours")),
    (24, say("every day")),
    (168, say("every week")),
]
WORDS = {
    "gone": say("gone"),
    "closed": say("closed"),
    "renamed": say("renamed"),
    "changed": say("changed"),
    "back": say("open again"),
    "new": say("new"),
}
KINDS = {
    "firm": say("Accounts of the firm"),
    "category": say("Categories"),
    "card": say("Cards"),
    "card bank": say("Cards without an account"),
    "bank": say("Bank accounts of the ledger"),
    "person": say("People"),
    "merchant": say("Merchants"),
}


@require_GET
def masters_page(request):
    """The connection, what was fetched, what has to be connected."""
    return _show(request)


def _show(request, status: int = 200, **more):
    must(request.member, "read_masters")
    firm = request.member.firm
    found = gaps(firm, clock.today(firm.zone))
    by_kind = [(key, name, [gap for gap in found if gap.kind == key]) for key, name in KINDS.items()]
    row = connection_of(firm)
    fetches = Fetch.objects.filter(firm=firm).defer("rows", "left").select_related("by__person", "taken_by__person")
    accounts = books(firm).account_names
    context = {
        "connection": row, "hours": HOURS, "fetches": fetches[:8], "fetching": fetches.filter(state="fetching").exists(), "old": books(firm).old,
        "gaps": [(key, name, rows[:AT_ONCE], max(0, len(rows) - AT_ONCE)) for key, name, rows in by_kind if rows], "gap_count": len(found),
        "accounts": accounts, "suppliers": Supplier.objects.filter(firm=firm, open_until__isnull=True)[:500], "people": finance_of(firm.pk),
        "counts": _counts(firm), "proposed": [gap for gap in found if gap.proposal and gap.kind != "firm"], "strangers": [gap for gap in found if gap.kind == "person" and not gap.proposal], "error": "", "field": "", "gap_error": "", "gap_at": "",
        "typed": {"address": row.address if row else "", "known_as": row.known_as if row else "", "every_hours": row.every_hours if row else 0, "kind": ""},
    }  # fmt: skip
    return render(request, "masters/masters.html", context | more, status=status)


def _counts(firm) -> list[tuple[str, int]]:
    ledger, found = books(firm), {}
    for dimension, _ in ledger.codes.codes:
        found[dimension] = found.get(dimension, 0) + 1
    names = {each.code: each.plural for each in ledger.dimensions}
    names[ACCOUNT] = say("Accounts")
    counted = [(names.get(key, key), number) for key, number in found.items()]
    return [
        *counted,
        (say("Suppliers"), Supplier.objects.filter(firm=firm).count()),
        (say("Tax codes"), TaxCode.objects.filter(firm=firm).count()),
    ]


@require_POST
def connect(request):
    """Connect the ledger."""
    post = request.POST
    typed = {name: post.get(name, "")[:200] for name in ("address", "known_as")} | {
        "every_hours": whole(post.get("every_hours")),
        "kind": "",
    }
    try:
        connecting.connect(
            request.member, typed["address"], typed["known_as"], post.get("token", ""), typed["every_hours"]
        )
    except NotAllowed:
        raise
    except Refusal as refusal:
        return _show(request, 422, error=refusal.message, field=refusal.field, typed=typed)
    messages.info(request, say("The connection is kept, and the ledger is asked what it has."))
    return redirect("masters-fetch", fetching.fetch(request.member).pk)


@require_POST
def hand_over(request):
    """Hand the connection over."""
    row = connecting.hand_over(request.member, whole(request.POST.get("to")))
    messages.info(request, say("{holder} holds the connection now.", holder=row.holder.person.name))
    return redirect("masters")


@require_POST
def fetch(request):
    """Fetch now."""
    row = fetching.fetch(request.member)
    return redirect("masters-fetch", row.pk)


@require_POST
def read_file(request):
    """Read masters from a file."""
    given = request.FILES.get("file")
    try:
        if given is not None and given.size > MOST_BYTES:
            raise Refusal(say("The file is larger than 12 MB. Leave out what is not needed."), "file")
        name, content = (given.name or "", given.read()) if given is not None else ("", b"")
        row = fetching.read_file(
            request.member, name, content, request.POST.get("kind", ""), "complete" in request.POST
        )
    except NotAllowed:
        raise
    except Refusal as refusal:
        return _show(request, 422, error=refusal.message, field=refusal.field)
    return redirect("masters-fetch", row.pk)


@require_GET
def fetch_page(request, fetch_id: int):
    """What taking would change: what hurts first, then by what it is."""
    must(request.member, "read_masters")
    row = get_object_or_404(
        Fetch.objects.defer("rows").select_related("firm", "by__person", "taken_by__person"),
        firm=request.member.firm,
        pk=fetch_id,
    )
    wanted = request.GET.get("what", "")
    counted: dict[str, int] = {}
    for what, *_ in row.changes:
        counted[what] = counted.get(what, 0) + 1
    shown = [change for change in row.changes if not wanted or change[0] == wanted]
    names = {each.code: each.name for each in books(row.firm).dimensions}
    rows = [
        {"what": what, "kind": OURS.get(kind) or capfirst(names.get(kind, kind.replace("_", " "))), "code": code, "name": name, "words": words, "in_use": used, "hurts": hurts}
        for what, kind, code, name, words, used, hurts in shown
    ]  # fmt: skip
    context = {
        "row": row, "page": page_of(rows, AT_ONCE, request.GET.get("page")), "counted": [(what, WORDS[what], counted[what]) for what in WORDS if what in counted], "wanted": wanted,
        "left": page_of(row.left, 200, request.GET.get("left")), "hurting": sum(bool(change[6]) for change in row.changes), "more": f"what={wanted}&" if wanted in WORDS else "",
    }  # fmt: skip
    return render(request, "masters/fetch.html", context)


@require_POST
def take(request, fetch_id: int):
    """Take what was shown."""
    row = taking.take(request.member, fetch_id)
    messages.info(
        request,
        say_many(
            "{count} change is taken. What is not connected stands below, first.",
            "{count} changes are taken. What is not connected stands below, first.",
            len(row.changes),
        ),
    )
    return redirect("masters")


@require_GET
def categories_page(request):
    """To which account each category posts, by where it was paid, and its usual tax codes."""
    return _categories(request)


def _categories(request, status: int = 200, error: str = "", typed: dict | None = None):
    must(request.member, "read_masters")
    firm = request.member.firm
    rows = []
    today = clock.today(firm.zone)
    for row in rulebook(firm).categories.values():
        if row.until is not None and row.until < today:
            continue
        values = dict(zip(("account", "abroad", "by_country", "tax_codes"), posting_to.typed_posting(row), strict=True))
        mine = typed is not None and typed["category"] == row.code
        rows.append({"row": row, "values": typed if mine else values, "error": error if mine else ""})
    accounts = books(firm).account_names
    context = {"rows": rows, "accounts": accounts, "taxes": TaxCode.objects.filter(firm=firm)}
    return render(request, "masters/categories.html", context, status=status)


@require_POST
def set_category(request):
    """Set one category."""
    typed = {
        name: request.POST.get(name, "")[:300] for name in ("category", "account", "abroad", "by_country", "tax_codes")
    }
    try:
        row = posting_to.set_category(
            request.member,
            typed["category"],
            *(typed[name] for name in ("account", "abroad", "by_country", "tax_codes")),
        )
    except (NotAllowed, Stale):
        raise
    except Refusal as refusal:
        return _categories(request, 422, refusal.message, typed)
    messages.info(request, say("{name} is set. What is posted from now on follows it.", name=row.name))
    return redirect("categories")


@require_GET
def accounts_page(request):
    """On which accounts what the firm owes and is owed stands."""
    return _accounts(request)


def _accounts(request, status: int = 200, error: str = "", which: str = "", typed: str = ""):
    must(request.member, "read_masters")
    firm = request.member.firm
    row, ledger = FirmAccounts.objects.get(firm=firm), books(firm)
    names = dict(ledger.account_names)
    rows = [
        {"which": key, "name": name, "stands": words, "account": typed if which == key else getattr(row, key), "called": names.get(getattr(row, key), ""), "error": error if which == key else "", "needed": key not in posting_to.OPTIONAL}
        for key, (name, words) in posting_to.FIRM_ACCOUNTS.items()
    ]  # fmt: skip
    context = {"rows": rows, "proposed": proposing.proposals(firm) if request.member.may["masters"] else []}
    return render(request, "masters/accounts.html", context, status=status)


@require_POST
def name_account(request):
    """Name one."""
    which, typed = request.POST.get("which", "")[:20], request.POST.get("account", "")[:60]
    try:
        account = books(request.member.firm).picks("account").exact(typed) if typed.strip() else ""
        posting_to.name_account(request.member, which, account)
    except NotAllowed:
        raise
    except (Refusal, ValueError) as fault:
        words = getattr(fault, "message", say("The ledger does not know account {account}.", account=typed[:20]))
        return _accounts(request, 422, words, which, typed)
    messages.info(request, joined("", (posting_to.FIRM_ACCOUNTS[which][0], ": ", account or "none", ".")))
    return redirect("firm-accounts")


@require_POST
def take_proposals(request):
    """Name every account that is proposed by its name."""
    found = proposing.take_proposals(request.member)
    messages.info(
        request,
        (
            say(
                "{found_count} named: {list} ….",
                found_count=len(found),
                list=joined(", ", (joined("", (each.name, " ", each.account)) for each in found[:6])),
            )
            if len(found) > 6
            else say(
                "{found_count} named: {list}.",
                found_count=len(found),
                list=joined(", ", (joined("", (each.name, " ", each.account)) for each in found[:6])),
            )
        ),
    )
    return redirect("firm-accounts")


@require_POST
def close_gap(request):
    """Connect one thing."""
    post = request.POST
    try:
        connecting.close_gap(request.member, post.get("kind", "")[:20], post.get("key", "")[:120], post.get("code", ""))
    except (NotAllowed, Stale):
        raise
    except Refusal as refusal:
        return _show(request, 422, gap_error=refusal.message, gap_at=post.get("key", "")[:120])
    messages.info(request, say("It is connected."))
    return redirect("masters")


@require_POST
def make_suppliers(request):
    """Make people suppliers of the ledger; and connect what else was proposed, where all was asked for at once."""
    picked = [each.split("|", 2) for each in request.POST.getlist("proposed")]
    named = [(kind, key, code) for code, kind, key in (each for each in picked if len(each) == PARTS)]
    count, left = connecting.close_gaps(request.member, named)
    done, others = connecting.make_suppliers(request.member, [whole(each) for each in request.POST.getlist("person")])
    left += others
    if count:
        messages.info(
            request,
            say_many("{count} thing is connected as proposed.", "{count} things are connected as proposed.", count),
        )
    if done:
        messages.info(
            request,
            say_many(
                "{count} person is connected with a supplier.", "{count} people are connected with a supplier.", done
            ),
        )
    for words in few(left):
        messages.error(request, words)
    return redirect("masters")
