"""Words that stand in tables, states and choices: what a sentence may name besides a name of somebody's, a number or a day.

They are gathered here for translation, since where they stand they are keys as well as words.
"""

from django.utils.translation import gettext_noop as later

WORDS = (
    later("air"), later("rail"), later("ferry"), later("coach"), later("hire car"), later("own car"), later("taxi"), later("on foot"), later("stay"), later("fee"),
    later("Planning"), later("Awaiting sign-off"), later("Authorised"), later("Under way"), later("Back"), later("Closed"), later("Sent back"), later("Turned down"), later("Called off"),
    later("Asked"), later("Held"), later("Confirmed"), later("Ticketed"), later("Cancelled"), later("Lapsed"), later("held"), later("confirmed"), later("ticketed"), later("asked"), later("cancelled"), later("lapsed"),
    later("Open"), later("In sign-off"), later("In finance check"), later("Cleared"), later("Posting refused"), later("Posted"), later("Settled"), later("Withdrawn"),
    later("Loose"), later("In an expense"), later("Personal"), later("booking"), later("charge"), later("claim"), later("trip"), later("expense"), later("cost"), later("mileage"), later("receipt"), later("invoice"), later("mail"), later("calendar"), later("track"),
    later("sent"), later("taken back"), later("sent back"), later("turned down"), later("authorised"), later("called off"), later("begun"), later("ended"), later("closed"), later("let go"), later("used"), later("freed"), later("marked personal"), later("posted"), later("reversed"), later("signed off"), later("put before others"), later("cleared"), later("refused"), later("settled"), later("opened again"), later("withdrawn"), later("left as it was signed"), later("undone"), later("put back to finance"),
    later("Plan"), later("Authorise"), later("Book"), later("Travel"), later("Claim"), later("Check"), later("Post"), later("Pay"),
    later("breakfast"), later("lunch"), later("dinner"), later("supplement"), later("half"), later("the whole"), later("once"),
    later("Waiting"), later("Reading"), later("Read"), later("Unreadable"), later("Columns"), later("Shown"), later("Taken"), later("Put away"), later("Entered"), later("Refused"), later("Left out"), later("Done"), later("Broken off"), later("Given"), later("Kept"), later("Passed on"), later("Dropped"), later("Empty"), later("Failed"), later("Sending"), later("Prepared"), later("Sent"), later("Answered"), later("Paid"), later("Unclear"), later("Redone"),
    later("waiting"), later("ready"), later("failed"), later("opening"), later("unreadable"), later("being made"), later("made"), later("fetching"), later("shown"), later("taken"), later("away"), later("given up"), later("reading"), later("columns"),
    later("traveller"), later("approver"), later("finance"), later("finance reviewer"), later("administrator"), later("auditor"),
    later("stop"), later("explain"), later("note"), later("Stop"), later("Explain"), later("Note"),
    later("A hire car may be used"), later("The lodging ceiling is lifted"), later("The own car may be used for the whole way"), later("A higher class may be used"), later("Lodging outside the supplied quarters is allowed"),
    later("Stopped"), later("at the end of every month"), later("after a month is closed"), later("first"), later("owners"), later("last"), later("by code"), later("free"),
    later("signed"), later("signed before, unchanged"), later("may sign their own"),
    later("Amount"), later("Currency"), later("Date"), later("Day"), later("Description"), later("Expires"), later("File"), later("Issuer"), later("Kind"), later("Label"), later("Meals"), later("Mode"), later("Name"), later("Passengers"), later("Phone"), later("Plate"), later("Purpose"), later("Reference"), later("Roles"), later("Title"), later("Value"), later("Vehicle"),
    later("charges"), later("receipts"), later("invoices"), later("mails"), later("papers"), later("spent"), later("bars"), later("shares"), later("actual"), later("planned"), later("claimed"), later("legs"), later("merchant"), later("stage"), later("currency"), later("amount"), later("lines"), later("person"), later("month"), later("quarter"), later("year"), later("week"), later("category"), later("country"), later("trips"), later("claims"), later("nothing"), later("nobody"), later("everybody"), later("anywhere"), later("car"), later("motorcycle"), later("bicycle"), later("van"), later("electric car"), later("committed"), later("Bank account"), later("Card account"), later("yes"), later("no"), later("approved"), later("recorded"), later("paid"), later("miles"), later("hold"), later("confirm"), later("ticket"), later("lapse"), later("cancel"),
    later("agenda"), later("invitation"), later("price comparison"), later("other paper"), later("in force"), later("comes"), later("draft"), later("bank transfer"), later("with the salary"), later("company cheque"), later("second factor"), later("second factor from"), later("days of grace"), later("flat night"),
    later("Code"), later("Claim"), later("Claimant"), later("Trip"), later("State"), later("price"), later("leaving"), later("arriving"), later("carbon"), later("cash"), later("budget"),
    later("Above, for payroll"), later("Account"), later("Back on"), later("Card"), later("Category"), later("Coding"), later("Credit"), later("Debit"), later("Due"), later("End-to-end"), later("Free of tax"), later("Key"), later("Line"), later("Merchant"), later("Merchant code"), later("Net"), later("Number"), later("Run"), later("Stands at"), later("Supplier"), later("Tax back"), later("Text"), later("To"), later("Total"), later("What"), later("Who paid"), later("Whose"), later("Why it failed"),
)  # fmt: skip
