"""The queue as a list: what waits for oneself, for others, what was decided; many at once, and taken over."""

from __future__ import annotations

from django.contrib import messages
from django.http import QueryDict
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright.bench import services
from wainwright.bench.selectors import SHOWS, SORTS, Wanted, bench, calm, left_of
from wainwright.core.said import say, say_many
from wainwright.fields import whole
from wainwright.people.may import must
from wainwright.signoff.models import WHAT


@require_GET
def queue(request):
    """What waits, filtered and sorted as the address says."""
    must(request.member, "queue")
    member, wanted = request.member, Wanted.of(request.GET)
    shows = {key: name for key, name in SHOWS.items() if key != "mine" or member.may["decide"]}
    if wanted.show not in shows:
        wanted = Wanted.of(request.GET | {"show": "others"})
    found = bench(member, wanted, request.GET.get("page"))
    easy = calm(member, wanted) if wanted.show == "mine" and member.may["take_over"] and found.easy.count else []
    context = {
        "bench": found, "left": left_of(member, found.waiting) if wanted.show != "decided" else {}, "wanted": wanted, "easy": easy,
        "tabs": [(name, wanted.address(show=key), key == wanted.show) for key, name in shows.items()],
        "sorts": [(key, name) for key, name in SORTS.items()] if wanted.show != "decided" else [], "kinds": WHAT,
        "more": wanted.address().removeprefix("?") + ("&" if wanted.address() else ""),
        "kept": list(member.kept_views.all()), "query": wanted.address().removeprefix("?"),
        # Whoever stands above sees what waits and may take it over; what is in it they see once it is theirs.
        "opens": wanted.show != "others" or member.may["read_all"],
        "may_take": member.may["take_over"] and wanted.show == "others",
    }  # fmt: skip
    return render(request, "bench/queue.html", context)


@require_POST
def keep_view(request):
    """Keep what is looked at under a name, or drop a kept one."""
    must(request.member, "queue")
    if "drop" in request.POST:
        services.drop_view(request.member, whole(request.POST.get("drop")))
        return redirect("queue")
    wanted = Wanted.of(QueryDict(request.POST.get("query", "")[:400]))
    kept = services.keep_view(request.member, request.POST.get("name", ""), wanted.address().removeprefix("?"))
    messages.info(request, say("“{kept}” is kept.", kept=kept.name))
    return redirect(f"/bench/queue/{wanted.address()}")


@require_POST
def approve_calm(request):
    """Approve everything that was shown with nothing out of line, each at the version that was shown."""
    shown = [
        tuple(whole(part) for part in each.split(":"))
        for each in ",".join(request.POST.getlist("thing")).split(",")[:200]
    ]
    done, left = services.approve_calm(request.member, [each for each in shown if len(each) == 2])
    if done:
        messages.info(request, say_many("{count} is approved.", "{count} are approved.", done))
    for words in left:
        messages.error(request, words)
    return redirect("queue")


@require_POST
def take_over(request, signoff_id: int):
    """Take a decision over from a colleague."""
    row = services.take_over(request.member, signoff_id)
    messages.info(request, say("{title} waits for you now. Whose it was is told.", title=row.title))
    return redirect("bench-item", row.kind, row.object_id)
