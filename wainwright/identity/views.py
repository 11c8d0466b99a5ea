"""Signing in by a provider, and setting it."""

from __future__ import annotations

from allauth.socialaccount.models import SocialApp
from allauth.socialaccount.providers.openid_connect import views as allauth_views
from django.conf import settings
from django.contrib import messages
from django.db.models import Count
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from wainwright.core.roles import ROLES
from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal
from wainwright.fields import tell
from wainwright.identity import bringing, services
from wainwright.identity.forms import AddressForm, ProviderForm
from wainwright.identity.models import Door, Group
from wainwright.paging import page_of
from wainwright.people.may import must
from wainwright.people.models import SignInBy
from wainwright.people.providers import NONSENSE, words_for


@require_http_methods(["GET", "POST"])
def by_provider(request):
    """Find the provider of one's firm by one's address. Only what stands behind the @ is looked at: nobody learns who is here."""
    form = AddressForm(request.POST if request.method == "POST" else None)
    rows = []
    if form.is_bound and form.is_valid():
        domain = form.cleaned_data["address"].strip().lower().rpartition("@")[2]
        rows = list(SignInBy.objects.filter(domain=domain).select_related("firm").order_by("firm__name"))
        if not rows:
            form.add_error("address", say("No firm of that address signs in by a provider. Sign in by password."))
    return render(request, "identity/by.html", {"form": form, "rows": rows}, status=422 if form.errors else 200)


@require_POST
def begin(request, provider_id: str):
    """Go to the provider. A page leads there: a form that is answered by another site's address is stopped by browsers."""
    row = _row(provider_id)
    try:
        answer = allauth_views.login(request, provider_id)
    except SocialApp.DoesNotExist as error:
        raise Http404 from error
    except NONSENSE:
        messages.error(request, words_for(row.firm.name))
        return redirect("account_login")
    if answer.status_code != 302:
        return answer
    if not answer["Location"].startswith(
        ("https://", "http://127.0.0.1" if settings.DEMO or settings.TESTING else "https://")
    ):
        messages.error(request, words_for(row.firm.name))
        return redirect("account_login")
    return render(request, "identity/going.html", {"to": answer["Location"], "firm": row.firm})


@require_GET
def answered(request, provider_id: str):
    """Come back from the provider."""
    row = _row(provider_id)
    try:
        answer = allauth_views.callback(request, provider_id)
    except NONSENSE:
        messages.error(request, words_for(row.firm.name))
        return redirect("account_login")
    if request.user.is_authenticated:
        request.session["firm"] = row.firm_id
    return answer


def _row(slug: str) -> SignInBy:
    row = SignInBy.objects.select_related("firm").filter(firm__slug=slug).first()
    if row is None:
        raise Http404
    return row


@require_GET
def provider_page(request):
    """By which provider the firm's people sign in."""
    return _page(request)


def _page(request, status: int = 200, form: ProviderForm | None = None, token: str = ""):
    must(request.member, "firm")
    row = SignInBy.objects.filter(firm_id=request.member.firm_id).first()
    answer = settings.ADDRESS + reverse("openid_connect_callback", args=[request.member.firm.slug])
    groups = (
        Group.objects.filter(firm_id=request.member.firm_id).annotate(count=Count("members")).order_by("name", "pk")
    )
    context = {
        "row": row, "form": form or ProviderForm(row=row), "answer": answer, "door": Door.objects.filter(firm_id=request.member.firm_id).first(),
        "groups": page_of(groups, 50, request.GET.get("groups")), "roles": list(ROLES), "base": f"{settings.ADDRESS}/scim/v2",
        "token": token,
    }  # fmt: skip
    return render(request, "identity/provider.html", context, status=status)


@require_POST
def set_provider(request):
    """Set it."""
    form = ProviderForm(request.POST)
    if form.is_valid():
        try:
            services.set_provider(request.member, form.provider)
            messages.info(request, say("The provider answers, and is set."))
            return redirect("provider")
        except NotAllowed:
            raise
        except Refusal as refusal:
            tell(form, refusal)
    return _page(request, 422, form)


@require_POST
def drop_provider(request):
    """Drop it."""
    services.drop_provider(request.member)
    messages.info(request, say("People sign in by password again."))
    return redirect("provider")


@require_POST
def make_door(request):
    """Make the provider's token; it is shown this once."""
    _, text = bringing.make_door(request.member)
    return _page(request, token=text)


@require_POST
def shut_door(request):
    """Let the provider in no more."""
    bringing.shut_door(request.member)
    messages.info(request, say("The provider brings nobody in or out any more."))
    return redirect("provider")


@require_POST
def set_group(request, group_id: int):
    """Say which role a group gives."""
    group = bringing.set_group_role(request.member, group_id, request.POST.get("role", ""))
    messages.info(
        request, say("Who is in {group} is {role}.", group=group.name, role=group.role or say("given no role by it"))
    )
    return redirect("provider")
