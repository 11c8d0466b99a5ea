"""Every address."""

from django.urls import include, path, register_converter

from wainwright.accounts import views as accounts
from wainwright.bench import views as bench
from wainwright.bookings import views as bookings
from wainwright.claims import views as claims
from wainwright.expenses.views import costs, tray
from wainwright.trips import views as trips
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


class Paper(Kind):
    """The two files of a pay run."""

    regex = "file|answer"


for name, converter in (("kind", Kind), ("end", End), ("paper", Paper)):
    register_converter(converter, name)

urlpatterns = [
    path("", web.desk, name="desk"),
    path("accounts/", include("allauth.account.urls")),
    path("up/", web.up, name="up"),
    path("find/", web.find_page, name="find"),
    path("news/", web.news_page, name="news"),
    path("news/read/", web.news_read, name="news-read"),
    path("firms/", web.firms_page, name="firms"),
    path("firms/<slug:slug>/", web.switch_firm, name="switch-firm"),
    path("rules/", web.rules_page, name="rules"),
    path("trail/", web.trail_page, name="trail"),
    path("demo-sign-in/", web.demo_sign_in, name="demo-sign-in"),
    path("clock/", web.move_clock, name="move-clock"),
    path("mail/", web.mailbox, name="mailbox"),
    path("mail/<int:mail_id>/", web.mail_page, name="mail"),
    path("mail/<int:mail_id>/<int:number>/", web.mail_attachment, name="mail-attachment"),
    path("look/", web.look, name="look"),
    path("places/", trips.places, name="places"),
    path("trips/", trips.trip_list, name="trips"),
    path("trips/new/", trips.start, name="trip-new"),
    path("trips/<int:trip_id>/", trips.trip_page, name="trip"),
    path("trips/<int:trip_id>/head/", trips.change_head, name="trip-head"),
    path("trips/<int:trip_id>/legs/", trips.add_leg, name="leg-add"),
    path("trips/<int:trip_id>/legs/<int:leg_id>/remove/", trips.remove_leg, name="leg-remove"),
    path("trips/<int:trip_id>/stay/", trips.set_stay, name="stay"),
    path("trips/<int:trip_id>/meal/", trips.mark_meal, name="meal"),
    path("trips/<int:trip_id>/others/", trips.add_other, name="other-add"),
    path("trips/<int:trip_id>/others/<int:other_id>/remove/", trips.remove_other, name="other-remove"),
    path("trips/<int:trip_id>/advance/", trips.ask_advance, name="advance"),
    path("trips/<int:trip_id>/explain/", trips.explain, name="trip-explain"),
    path("trips/<int:trip_id>/send/", trips.send, name="trip-send"),
    path("trips/<int:trip_id>/take-back/", trips.take_back, name="trip-take-back"),
    path("trips/<int:trip_id>/call-off/", trips.call_off, name="trip-call-off"),
    path("trips/<int:trip_id>/itinerary.ics", trips.itinerary, name="itinerary"),
    path("trips/<int:trip_id>/ways/", bookings.find_ways, name="ways"),
    path("trips/<int:trip_id>/ways/hold/", bookings.hold, name="hold"),
    path("trips/<int:trip_id>/bookings/<int:booking_id>/cancel/", trips.cancel_booking, name="booking-cancel"),
    path("trips/<int:trip_id>/claim/", claims.claim_trip, name="claim-trip"),
    path("tray/", tray.tray_page, name="tray"),
    path("tray/drop/", tray.drop, name="drop"),
    path("tray/card-file/", tray.card_file, name="card-file"),
    path("tray/take/", tray.take, name="take"),
    path("tray/take-all/", tray.take_all, name="take-all"),
    path("tray/personal/", tray.personal, name="personal"),
    path("receipts/<int:receipt_id>/", tray.receipt_page, name="receipt"),
    path("receipts/<int:receipt_id>/take/", tray.receipt_take, name="receipt-take"),
    path("receipts/<int:receipt_id>/original/", tray.original, name="receipt-original"),
    path("receipts/pages/<int:page_id>/", tray.page_picture, name="receipt-picture"),
    path("expenses/new/", costs.new_cost, name="cost-new"),
    path("expenses/ride/", costs.new_ride, name="ride-new"),
    path("expenses/<int:expense_id>/", costs.expense_page, name="expense"),
    path("expenses/<int:expense_id>/change/", costs.change, name="expense-change"),
    path("expenses/<int:expense_id>/parts/", costs.set_parts, name="parts"),
    path("expenses/<int:expense_id>/split/", costs.set_split, name="split"),
    path("expenses/<int:expense_id>/remove/", costs.remove, name="expense-remove"),
    path("expenses/<int:expense_id>/attach/", costs.attach, name="attach"),
    path("expenses/<int:expense_id>/detach/", costs.detach, name="detach"),
    path("claims/", claims.claim_list, name="claims"),
    path("claims/new/", claims.claim_loose, name="claim-new"),
    path("claims/<int:claim_id>/", claims.claim_page, name="claim"),
    path("claims/<int:claim_id>/explain/", claims.explain, name="claim-explain"),
    path("claims/<int:claim_id>/send/", claims.send, name="claim-send"),
    path("claims/<int:claim_id>/take-back/", claims.take_back, name="claim-take-back"),
    path("claims/<int:claim_id>/put-in/", claims.put_in, name="put-in"),
    path("claims/<int:claim_id>/expenses/<int:expense_id>/out/", claims.take_out, name="take-out"),
    path("claims/<int:claim_id>/coding/", claims.change_coding, name="claim-coding"),
    path("claims/<int:claim_id>/say/", claims.say, name="claim-say"),
    path("bench/", bench.bench_page, name="bench"),
    path("bench/<kind:kind>/<int:object_id>/", bench.item, name="bench-item"),
    path("bench/<kind:kind>/<int:object_id>/approve/", bench.approve, name="approve"),
    path("bench/<kind:kind>/<int:object_id>/end/<end:act>/", bench.end, name="end"),
    path("bench/<kind:kind>/<int:object_id>/pass-on/", bench.pass_on, name="pass-on"),
    path("bench/<kind:kind>/<int:object_id>/say/", bench.say, name="bench-say"),
    path("bench/claim/<int:object_id>/clear/", bench.clear, name="clear"),
    path("bench/claim/<int:object_id>/post/", bench.post, name="post"),
    path("bench/claim/<int:object_id>/finance/<end:act>/", bench.finance_end, name="finance-end"),
    path("bench/claim/<int:object_id>/recode/", bench.recode, name="recode"),
    path("ledger/", accounts.ledger_page, name="ledger"),
    path("ledger/<int:posting_id>/", accounts.journal_page, name="journal"),
    path("ledger/pay/", accounts.pay_page, name="pay"),
    path("ledger/pay/run/", accounts.pay, name="pay-make"),
    path("ledger/pay/<int:run_id>/", accounts.run_page, name="pay-run"),
    path("ledger/pay/<int:run_id>/<paper:which>/", accounts.run_file, name="pay-file"),
]
