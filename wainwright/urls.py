"""Every address."""

from allauth.account import views as sign_in
from django.urls import include, path, re_path, register_converter
from drf_spectacular.views import SpectacularAPIView

from wainwright.accounts import views as accounts
from wainwright.api import endpoints
from wainwright.api import views as api
from wainwright.bench import corrected as bench_corrected
from wainwright.bench import deciding as bench_deciding
from wainwright.bench import queue as bench_queue
from wainwright.bench import views as bench
from wainwright.claims.views import acts as claim_acts
from wainwright.claims.views import page as claims
from wainwright.claims.views import papers as claim_papers
from wainwright.closing import views as closing
from wainwright.expenses.views import breakdown, cards, costs, expense, grid, loose, papers
from wainwright.journals import runs as posting_runs
from wainwright.journals import views as journals
from wainwright.masters import views as masters
from wainwright.profile import views as profile
from wainwright.reconciling import views as reconciling
from wainwright.rulebook import views as rate_views
from wainwright.staff import views as staff
from wainwright.tray import views as tray
from wainwright.trips.views import page, road, seats
from wainwright.trips.views.booking import cars, days, stays, ways
from wainwright.web import firm_lists
from wainwright.web import views as web


class Kind:
    """What lies on the bench."""

    regex = "trip|claim"

    def to_python(self, value: str) -> str:
        """Take it as it is."""
        return value

    to_url = to_python


class End(Kind):
    """How a road is ended."""

    regex = "send-back|turn-down"


for name, converter in (("kind", Kind), ("end", End)):
    register_converter(converter, name)

# Of the sign-in package only what is used here is served: nobody adds an address of their own or takes another's over.
SIGNING_IN = [
    path("accounts/login/", sign_in.login, name="account_login"),
    path("accounts/logout/", sign_in.logout, name="account_logout"),
    path("accounts/signup/", sign_in.signup, name="account_signup"),
    path("accounts/inactive/", sign_in.account_inactive, name="account_inactive"),
    path("accounts/reauthenticate/", sign_in.reauthenticate, name="account_reauthenticate"),
    path("accounts/password/change/", sign_in.password_change, name="account_change_password"),
    path("accounts/password/reset/", sign_in.password_reset, name="account_reset_password"),
    path("accounts/password/reset/done/", sign_in.password_reset_done, name="account_reset_password_done"),
    path(
        "accounts/password/reset/key/done/", sign_in.password_reset_from_key_done,
        name="account_reset_password_from_key_done",
    ),
    re_path(
        r"^accounts/password/reset/key/(?P<uidb36>[0-9A-Za-z]+)-(?P<key>.+)/$", sign_in.password_reset_from_key,
        name="account_reset_password_from_key",
    ),
]  # fmt: skip

urlpatterns = [
    path("", web.desk, name="desk"),
    *SIGNING_IN,
    path("accounts/2fa/", include("allauth.mfa.urls")),
    path("up/", web.up, name="up"),
    path("find/", web.find_page, name="find"),
    path("news/", web.news_page, name="news"),
    path("news/mail/<str:token>/", web.news_mail, name="news-mail"),
    path("news/read/", web.news_read, name="news-read"),
    path("firms/", web.firms_page, name="firms"),
    path("firms/<slug:slug>/", web.switch_firm, name="switch-firm"),
    path("rules/", web.rules_page, name="rules"),
    path("rules/safeguards/", web.set_safeguards, name="set-safeguards"),
    path("rates/", rate_views.rates_page, name="rates"),
    path("rates/take/", rate_views.take, name="rates-take"),
    path("people/", staff.people, name="people"),
    path("people/names/", staff.offered, name="people-names"),
    path("people/<int:member_id>/", staff.person, name="person"),
    path("people/<int:member_id>/place/", staff.set_place, name="set-place"),
    path("people/<int:member_id>/cover/", staff.set_cover, name="set-cover"),
    path("people/<int:member_id>/cover/<int:cover_id>/end/", staff.end_cover, name="end-cover"),
    path("people/<int:member_id>/delegate/", staff.set_delegate, name="set-delegate"),
    path("people/<int:member_id>/delegate/<int:delegate_id>/end/", staff.end_delegate, name="end-delegate"),
    path("delegate/begin/", staff.begin, name="prepare-for"),
    path("delegate/stop/", staff.stop_preparing, name="stop-preparing"),
    path("trail/", web.trail_page, name="trail"),
    path("demo-sign-in/", web.demo_sign_in, name="demo-sign-in"),
    path("clock/", web.move_clock, name="move-clock"),
    path("mail/", web.mailbox, name="mailbox"),
    path("mail/<int:mail_id>/", web.mail_page, name="mail"),
    path("mail/<int:mail_id>/<int:number>/", web.mail_attachment, name="mail-attachment"),
    path("look/", web.look, name="look"),
    path("stand-ins/", web.stand_ins, name="stand-ins"),
    path("profile/", profile.profile, name="profile"),
    path("profile/sessions/", profile.sessions_page, name="sessions"),
    path("profile/sessions/end/", profile.end_sessions, name="end-sessions"),
    path("profile/subscribe/", road.subscribe, name="subscribe"),
    path("profile/unsubscribe/", road.unsubscribe, name="unsubscribe"),
    path("calendar/<str:secret>.ics", road.subscribed, name="subscribed"),
    path("places/", page.places, name="places"),
    path("codes/", accounts.codes, name="codes"),
    path("codes/<slug:kind>/", accounts.codes, name="codes-of"),
    path("trips/", page.trip_list, name="trips"),
    path("trips/new/", page.start, name="trip-new"),
    path("trips/<int:trip_id>/", page.trip_page, name="trip"),
    path("trips/<int:trip_id>/open/<str:opened>/", page.open_panel, name="trip-open"),
    *page.panel_paths(),
    path("trips/<int:trip_id>/sign/", road.sign, name="sign"),
    path("trips/<int:trip_id>/send/", road.send, name="trip-send"),
    path("trips/<int:trip_id>/take-back/", road.take_back, name="trip-take-back"),
    path("trips/<int:trip_id>/reopen/", road.reopen, name="trip-reopen"),
    path("trips/<int:trip_id>/call-off/", road.call_off, name="trip-call-off"),
    path("trips/<int:trip_id>/itinerary.ics", road.itinerary, name="itinerary"),
    path("trips/<int:trip_id>/itinerary/", road.itinerary_page, name="itinerary-page"),
    path("trips/<int:trip_id>/itinerary/mail/", road.mail_itinerary, name="itinerary-mail"),
    path("trips/<int:trip_id>/order/", road.order, name="order"),
    path("trips/<int:trip_id>/order.pdf", road.order_pdf, name="order-pdf"),
    path("trips/<int:trip_id>/ways/", ways.find_ways, name="ways"),
    path("trips/<int:trip_id>/ways/days/", days.day_rows, name="ways-days"),
    path("trips/<int:trip_id>/ways/hold/", ways.hold_ways, name="hold"),
    path("trips/<int:trip_id>/cars/", cars.find_cars, name="cars"),
    path("trips/<int:trip_id>/cars/hold/", cars.hold_car, name="car-hold"),
    path("trips/<int:trip_id>/stays/", stays.find_stays, name="stays"),
    path("trips/<int:trip_id>/stays/hold/", stays.hold_stay, name="stay-hold"),
    path("trips/<int:trip_id>/bookings/<int:booking_id>/seats/", seats.seats, name="seats"),
    path("trips/<int:trip_id>/papers.pdf", claim_papers.trip_papers, name="trip-papers"),
    path("trips/<int:trip_id>/close/", claim_acts.close_trip, name="trip-close"),
    path("trips/<int:trip_id>/as-signed/", road.leave_as_signed, name="trip-as-signed"),
    path("trips/<int:trip_id>/ready/", road.ready, name="trip-ready"),
    path("trips/<int:trip_id>/claim/", claims.claim_trip, name="claim-trip"),
    path("tray/", tray.tray_page, name="tray"),
    path("tray/drop/", tray.drop, name="drop"),
    path("tray/card-file/", cards.card_file, name="card-file"),
    path("tray/card-file/<int:file_id>/", cards.look, name="card-look"),
    path("tray/card-file/<int:file_id>/columns/", cards.columns, name="card-columns"),
    path("tray/card-file/<int:file_id>/take/", cards.take_file, name="card-take"),
    path("tray/card-file/<int:file_id>/away/", cards.put_away, name="card-away"),
    path("tray/sort/", tray.sort, name="sort"),
    path("tray/undo/", tray.undo, name="undo"),
    path("tray/take/", tray.take, name="take"),
    path("tray/take-all/", tray.take_all, name="take-all"),
    path("tray/personal/", tray.personal, name="personal"),
    path("tray/issuer/", tray.ask_issuer, name="issuer"),
    path("tray/mails/<int:mail_id>/", papers.held_mail, name="held-mail"),
    path("receipts/<int:receipt_id>/", papers.receipt_page, name="receipt"),
    path("receipts/<int:receipt_id>/take/", papers.receipt_take, name="receipt-take"),
    path("receipts/<int:receipt_id>/original/", papers.original, name="receipt-original"),
    path("receipts/<int:receipt_id>/thumb/", papers.thumb, name="receipt-thumb"),
    path("receipts/<int:receipt_id>/join/", papers.join, name="receipt-join"),
    path("receipts/<int:receipt_id>/trip/", papers.put_on_trip, name="receipt-trip"),
    path("receipts/pages/<int:page_id>/", papers.page_picture, name="receipt-picture"),
    path("receipts/pages/<int:page_id>/off/", papers.page_off, name="page-off"),
    path("receipts/pages/<int:page_id>/cut/", papers.cut, name="page-cut"),
    path("expenses/new/", costs.new_cost, name="cost-new"),
    path("expenses/check/", costs.check_typed, name="check"),
    path("expenses/ride/", costs.new_ride, name="ride-new"),
    path("expenses/ride/check/", costs.check_ride, name="ride-check"),
    path("expenses/grid/", grid.costs, name="cost-grid"),
    path("expenses/rides/", grid.month_of_rides, name="ride-grid"),
    path("expenses/<int:expense_id>/", expense.expense_page, name="expense"),
    path("expenses/<int:expense_id>/change/", expense.change, name="expense-change"),
    path("expenses/<int:expense_id>/parts/", breakdown.set_parts, name="parts"),
    path("expenses/<int:expense_id>/personal/", breakdown.set_personal, name="own-share"),
    path("expenses/<int:expense_id>/lost/", expense.declare_lost, name="lost"),
    path("expenses/<int:expense_id>/order/", expense.order_papers, name="papers-order"),
    path("expenses/<int:expense_id>/split/", breakdown.set_split, name="split"),
    path("expenses/<int:expense_id>/remove/", expense.remove, name="expense-remove"),
    path("expenses/<int:expense_id>/attach/", expense.attach, name="attach"),
    path("expenses/<int:expense_id>/detach/", expense.detach, name="detach"),
    path("claims/", claims.claim_list, name="claims"),
    path("claims/new/", claims.claim_loose, name="claim-new"),
    path("claims/<int:claim_id>/", claims.claim_page, name="claim"),
    path("claims/<int:claim_id>/owed/", claims.owed, name="claim-owed"),
    path("claims/<int:claim_id>/papers.pdf", claim_papers.papers, name="claim-papers"),
    path("claims/<int:claim_id>/claim.pdf", claim_papers.document, name="claim-document"),
    path("claims/<int:claim_id>/asked/", claims.asked, name="claim-asked"),
    path("claims/<int:claim_id>/lines/", claims.lines, name="claim-lines"),
    path("claims/<int:claim_id>/by-coding/", claims.coding_summary, name="claim-by-coding"),
    path("claims/<int:claim_id>/planned/", claims.planned, name="claim-planned"),
    path("claims/<int:claim_id>/answer/", claim_acts.answer, name="claim-answer"),
    path("claims/<int:claim_id>/ready/", claim_acts.ready, name="claim-ready"),
    path("claims/<int:claim_id>/withdraw/", claim_acts.withdraw, name="claim-withdraw"),
    path("claims/<int:claim_id>/pays-back/", claim_acts.pays_back, name="claim-pays-back"),
    path("claims/<int:claim_id>/trips/", claim_acts.add_trip, name="claim-trip-add"),
    path("claims/<int:claim_id>/trips/<int:trip_id>/off/", claim_acts.take_trip_off, name="claim-trip-off"),
    path("claims/<int:claim_id>/advances/<int:trip_id>/", claim_acts.set_advance, name="claim-advance"),
    path("claims/<int:claim_id>/to-issuer/", claim_acts.to_issuer, name="claim-to-issuer"),
    path("claims/<int:claim_id>/cost/", claim_acts.type_cost, name="claim-cost"),
    path("claims/<int:claim_id>/move/", claim_acts.move, name="claim-move"),
    path("claims/<int:claim_id>/split/", claim_acts.split, name="claim-split"),
    path("claims/<int:claim_id>/send/", claim_acts.send, name="claim-send"),
    path("claims/<int:claim_id>/take-back/", claim_acts.take_back, name="claim-take-back"),
    path("claims/<int:claim_id>/put-in/", claim_acts.put_in, name="put-in"),
    path("claims/<int:claim_id>/coding/", claim_acts.change_coding, name="claim-coding"),
    path("claims/<int:claim_id>/say/", claim_acts.say, name="claim-say"),
    path("firm/trips/", firm_lists.all_trips, name="firm-trips"),
    path("firm/claims/", firm_lists.all_claims, name="firm-claims"),
    path("bench/queue/", bench_queue.queue, name="queue"),
    path("bench/claim/<int:object_id>/part/", bench_deciding.in_part, name="bench-part"),
    path("bench/claim/<int:object_id>/line/", bench_deciding.line_out, name="bench-line"),
    path("bench/claim/<int:object_id>/correct/<int:expense_id>/", bench_deciding.correct, name="bench-correct"),
    path("bench/claim/<int:object_id>/correct/<int:expense_id>/parts/", bench_deciding.break_down, name="bench-parts"),
    path("bench/claim/<int:object_id>/split/<int:expense_id>/", bench_deciding.split, name="bench-split"),
    path("bench/claim/<int:object_id>/earlier/", bench.earlier, name="bench-earlier"),
    path("bench/claim/<int:object_id>/changed/", bench.changed, name="bench-changed"),
    path("bench/claim/<int:object_id>/add/", bench_deciding.add, name="bench-add"),
    path("bench/claim/<int:object_id>/objection/", bench_deciding.answer_objection, name="bench-objection"),
    path("claims/<int:claim_id>/object/", claim_acts.object_to, name="claim-object"),
    path("bench/corrections/", bench_corrected.corrections, name="corrections"),
    path("bench/queue/keep/", bench_queue.keep_view, name="queue-keep"),
    path("bench/queue/approve/", bench_queue.approve_calm, name="queue-approve"),
    path("bench/queue/<int:signoff_id>/take-over/", bench_queue.take_over, name="take-over"),
    path("bench/", bench.bench_page, name="bench"),
    path("bench/<kind:kind>/<int:object_id>/", bench.item, name="bench-item"),
    path("bench/<kind:kind>/<int:object_id>/undo/", bench.undo, name="undo-decision"),
    path("bench/<kind:kind>/<int:object_id>/approve/", bench.approve, name="approve"),
    path("bench/<kind:kind>/<int:object_id>/end/<end:act>/", bench.end, name="end"),
    path("bench/<kind:kind>/<int:object_id>/pass-on/", bench.pass_on, name="pass-on"),
    path("bench/<kind:kind>/<int:object_id>/say/", bench.say, name="bench-say"),
    path("bench/claim/<int:object_id>/recall/", bench.recall, name="recall"),
    path("bench/claim/<int:object_id>/clear/", bench.clear, name="clear"),
    path("bench/claim/<int:object_id>/post/", bench.post, name="post"),
    path("bench/claim/<int:object_id>/finance/<end:act>/", bench.finance_end, name="finance-end"),
    path("bench/claim/<int:object_id>/recode/", bench.recode, name="recode"),
    path("bench/claim/<int:object_id>/allow/", bench.allow_over, name="bench-allow"),
    path("ledger/", journals.ledger_page, name="ledger"),
    path("ledger/runs/", posting_runs.runs_page, name="posting-runs"),
    path("ledger/runs/start/", posting_runs.start, name="posting-run-start"),
    path("ledger/runs/<int:run_id>/", posting_runs.run_page, name="posting-run"),
    path("ledger/runs/<int:run_id>/go-on/", posting_runs.go_on, name="posting-run-on"),
    path("ledger/api/", api.page, name="api"),
    path("ledger/api/tokens/", api.make_token, name="api-token"),
    path("ledger/api/tokens/<int:token_id>/revoke/", api.revoke, name="api-revoke"),
    path("ledger/api/webhooks/", api.add_webhook, name="api-webhook"),
    path("ledger/api/webhooks/drop/", api.drop_webhook, name="api-webhook-drop"),
    path(
        "api/v1/openapi.yaml",
        SpectacularAPIView.as_view(urlconf="wainwright.api.urls", authentication_classes=[], permission_classes=[]),
        name="api-document",
    ),
    path("api/v1/claims/cleared/", endpoints.Cleared.as_view(), name="api-cleared"),
    path("api/v1/claims/<str:number>/posted/", endpoints.Posted.as_view(), name="api-posted"),
    path("api/v1/claims/<str:number>/refused/", endpoints.RefusedBy.as_view(), name="api-refused"),
    path("ledger/month/", closing.month_page, name="month"),
    path("ledger/month/accrue/", closing.accrue, name="month-accrue"),
    path("ledger/month/take-back/", closing.take_back, name="month-take-back"),
    path("ledger/month/account/", closing.account, name="month-account"),
    path("ledger/month/close/", closing.close, name="month-close"),
    path("ledger/month/reopen/", closing.reopen, name="month-reopen"),
    path("ledger/accounts/", closing.choose_account, name="account-choose"),
    path("ledger/accounts/<slug:code>/", closing.account_page, name="account-moves"),
    path("ledger/cards/<int:card_id>/statement/", closing.card_page, name="card-statement"),
    path("ledger/tables/", closing.tables_page, name="tables"),
    path("ledger/tables/table/", closing.table, name="table"),
    path("ledger/tables/journal.json", closing.journal_json, name="journal-json"),
    path("ledger/tables/keep/", closing.keep_shape, name="table-keep"),
    path("ledger/masters/", masters.masters_page, name="masters"),
    path("ledger/masters/connection/", masters.connect, name="masters-connect"),
    path("ledger/masters/hand-over/", masters.hand_over, name="masters-hand-over"),
    path("ledger/masters/fetch/", masters.fetch, name="masters-fetch-now"),
    path("ledger/masters/file/", masters.read_file, name="masters-file"),
    path("ledger/masters/connect-one/", masters.close_gap, name="masters-gap"),
    path("ledger/masters/suppliers/", masters.make_suppliers, name="masters-suppliers"),
    path("ledger/masters/<int:fetch_id>/", masters.fetch_page, name="masters-fetch"),
    path("ledger/masters/<int:fetch_id>/take/", masters.take, name="masters-take"),
    path("ledger/bank/", reconciling.accounts_page, name="bank-accounts"),
    path("ledger/bank/<int:account_id>/", reconciling.account_page, name="bank-account"),
    path("ledger/bank/<int:account_id>/take/", reconciling.take, name="bank-take"),
    path("ledger/bank/<int:account_id>/confirm/", reconciling.confirm, name="bank-confirm"),
    path("ledger/bank/<int:account_id>/lines/<int:line_id>/", reconciling.line_page, name="bank-line"),
    path("ledger/bank/<int:account_id>/rules/", reconciling.rule, name="bank-rule"),
    path("ledger/bank/<int:account_id>/rules/apply/", reconciling.apply_rules, name="bank-rules-apply"),
    path("ledger/bank/<int:account_id>/matches/<int:match_id>/undo/", reconciling.undo, name="bank-undo"),
    path("ledger/bank/<int:account_id>/close/", reconciling.close, name="bank-close"),
    path("ledger/bank/<int:account_id>/closed/<int:number>/", reconciling.reconciliation, name="reconciliation"),
    path(
        "ledger/bank/<int:account_id>/closed/<int:number>/pdf/",
        reconciling.reconciliation_pdf,
        name="reconciliation-pdf",
    ),
    path("ledger/bank/<int:account_id>/closed/<int:number>/reopen/", reconciling.reopen, name="reconciliation-reopen"),
    path("ledger/<int:posting_id>/", journals.journal_page, name="journal"),
    path("ledger/<int:posting_id>/again/", journals.post_again, name="post-again"),
    path("ledger/loose/", loose.loose_page, name="loose"),
    path("ledger/loose/remind/", loose.remind, name="remind"),
    path("ledger/cards/", loose.cards_page, name="firm-cards"),
    path("ledger/cards/issuers/", loose.set_issuer, name="issuer-set"),
    path("ledger/cards/give/", loose.give_card, name="card-give"),
    path("ledger/cards/<int:card_id>/", loose.change_card, name="firm-card"),
    path("ledger/pay/", journals.pay_page, name="pay"),
    path("ledger/pay/run/", journals.pay, name="pay-make"),
    path("ledger/pay/back/<int:claim_id>/", journals.paid_back, name="paid-back"),
    path("ledger/pay/hand/<int:claim_id>/", journals.pay_by_hand, name="pay-by-hand"),
    path("ledger/pay/back/<int:claim_id>/remind/", journals.remind_owed, name="owed-remind"),
    path("ledger/pay/back/<int:claim_id>/write-off/", journals.write_off, name="write-off"),
    path("ledger/pay/<int:run_id>/release/", journals.release, name="pay-release"),
    path("ledger/pay/<int:run_id>/drop/", journals.drop_run, name="pay-drop"),
    path("ledger/pay/<int:run_id>/csv/", journals.run_csv, name="pay-csv"),
    path("ledger/pay/<int:run_id>/", journals.run_page, name="pay-run"),
    path("ledger/pay/accounts/<int:member_id>/", journals.confirm_account, name="account-confirm"),
    path("ledger/pay/<int:run_id>/file/", journals.run_file, name="pay-file"),
    path("ledger/pay/<int:run_id>/payments/<int:payment_id>/", journals.settle_payment, name="pay-settle"),
    path("ledger/pay/<int:run_id>/answers/", journals.take_answer, name="pay-take-answer"),
    path("ledger/pay/<int:run_id>/answers/<int:answer_id>/", journals.answer_file, name="pay-answer"),
]
