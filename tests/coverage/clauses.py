"""What the application must do: each capability by its code, and its sentence clause by clause.

A clause is named by its code and its place: U1.2. Tests say which they show (``tests.coverage.shows``); what no test shows is
named in ``OPEN``, with what is missing.
"""

CAPABILITIES: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    (
        "U1",
        "Signing in",
        (
            "by e-mail and password",
            "a second factor by an authenticator",
            "recovery codes that are shown once",
            "the firm can require it",
            "the person manages it on a page for security",
        ),
    ),
    (
        "U2",
        "Profile",
        (
            "contact, and where itineraries go",
            "a card on file, by its last four and its expiry",
            "a bank account for repayment, its IBAN checked",
            "home and place of work",
            "usual coding and approver",
            "vehicles",
            "a trip and a claim keep a copy of what they used",
            "a change for this trip alone, or for the profile too",
            "the copy side by side with the profile",
            "a card that expires before the trip ends is a finding",
        ),
    ),
    (
        "U3",
        "Roles",
        (
            "traveller, approver, finance reviewer, administrator, auditor",
            "an auditor reads all and changes nothing",
            "a person may hold several",
            "what a role may do is written beside it",
            "approving one's own claim is a privilege of its own, off by default",
            "approvers cannot pay; only finance can",
        ),
    ),
    (
        "U4",
        "Delegates and covers",
        (
            "delegates prepare for somebody",
            "they never certify",
            "while an approver is away a named person decides",
            "the trail says for whom",
        ),
    ),
    (
        "U5",
        "Coming and leaving",
        (
            "invite a person",
            "retire a person: no access, history kept",
            "open work is handed over",
            "the card is closed",
            "bring one back",
        ),
    ),
    (
        "U6",
        "Several firms",
        (
            "under one sign-in",
            "with a switch",
            "nothing leaks from one to another",
            "a new firm can be set up",
        ),
    ),
    (
        "U7",
        "News",
        (
            "every act that concerns a person reaches them in the application and by e-mail",
            "with a link to the thing",
        ),
    ),
    (
        "U8",
        "Finding",
        (
            "a trip, claim, person, merchant, amount, number of a document",
            "from anywhere, recent things first",
            "only what one may see",
        ),
    ),
    (
        "U9",
        "On a phone",
        (
            "it can be installed",
            "pictures and PDFs that are shared land in the tray",
            "recording works without a network and is sent later, once",
        ),
    ),
    (
        "P1",
        "Starting a trip",
        (
            "in a minute: title, purpose, where and when, coding",
            "the firm's own questions, with required ones marked",
            "save and come back at any time",
            "papers attached, each with a kind",
            "a kind that the rules require is asked for where it is due",
        ),
    ),
    (
        "P2",
        "Legs",
        (
            "many legs and stops",
            "times in the local time of each place",
            "the next leg starts from where and when the last one ended",
        ),
    ),
    (
        "P3",
        "Estimates",
        (
            "for each leg, night and other cost, from the booking or typed",
            "totals by category and by who pays",
        ),
    ),
    (
        "P4",
        "The daily allowance in the plan",
        (
            "right from the start: rate and ceiling by place and date, first and last day",
            "supplied meals and quarters",
            "permission for actual cost",
            "evidence that supplied quarters were full",
            "days alike are edited together, or one by one",
        ),
    ),
    (
        "P5",
        "Own car",
        (
            "distance looked up, typed or by odometer",
            "there and back in one act, rate by date",
            "beyond the firm's limit a comparison is made for the traveller",
            "a taxi and mileage for the same ride exclude each other",
        ),
    ),
    (
        "P6",
        "Advance",
        (
            "proposed as the firm's percentage of what qualifies, can be lowered",
            "needs a reason, is confirmed when the trip is sent",
        ),
    ),
    (
        "P7",
        "Findings while planning",
        (
            "in plain words with the figures, what would cure each, and a link there",
            "an Explain takes a reason and words; one reason can serve several",
            "a finding goes when its cause goes",
            "special permissions come and go with their cause; more by hand, each with a comment",
        ),
    ),
    (
        "P8",
        "Before sending",
        (
            "one page shows everything that will be signed",
            "the traveller certifies",
        ),
    ),
    (
        "P9",
        "The route",
        (
            "line manager, owners of each coding, limits of authority, cover",
            "shown before sending: who, in which order, why",
            "comments to those on it",
            "every step in the trail; who is next is always visible",
            "the traveller can take it back",
        ),
    ),
    (
        "P10",
        "When authorised",
        (
            "the cost is committed on each coding's budget",
            "the approver sees the budget before and after",
        ),
    ),
    (
        "P11",
        "An order of travel",
        (
            "printable, as PDF",
            "by e-mail",
        ),
    ),
    (
        "P12",
        "Splitting a plan",
        ("as a whole, by category or line by line; owners of each sign",),
    ),
    (
        "B1",
        "Searching flights",
        (
            "there and back, one way, several stops",
            "any time, or a window to leave or arrive in",
            "order by price or time; narrow by stops, carrier, arrival",
            "price against time in a picture",
        ),
    ),
    (
        "B2",
        "Fares",
        (
            "bags, refund and change conditions, read before it is held",
            "a contracted fare that fits needs a reason to be passed by",
            "contracted fares come first",
        ),
    ),
    (
        "B3",
        "Rules at choosing",
        (
            "shown before choosing, with the figure; a choice outside takes a reason",
            "the approver is told by e-mail with the reason and the cheaper ways",
        ),
    ),
    (
        "B4",
        "Seats",
        ("from a map where the carrier gives one, else a preference, else none",),
    ),
    (
        "B5",
        "Hire car",
        (
            "place and times are proposed from the flights",
            "dearer than the cheapest that fits needs a reason",
        ),
    ),
    (
        "B6",
        "Lodging",
        (
            "on a map and in a list, against the ceiling and the distance to the work",
            "the firm's own or supplied quarters first, and a record that they were full",
        ),
    ),
    (
        "B7",
        "Other modes",
        ("rail, ferry and coach beside air",),
    ),
    (
        "B8",
        "One basket",
        (
            "price summary, who pays by which card, hold, confirm, ticket",
            "a hold lapses after the firm's limit if the trip is not sent",
            "tickets by a limit in business hours; each state with the time it runs out",
            "change and cancel, with what it costs",
        ),
    ),
    (
        "B9",
        "The itinerary",
        (
            "by e-mail (HTML and plain text), on paper",
            "as a calendar file and a subscription",
        ),
    ),
    (
        "B10",
        "Bought elsewhere",
        (
            "ticket, agent's fee; paid by the traveller or centrally",
            "a ticket number only once",
        ),
    ),
    (
        "B11",
        "No sign-off",
        ("a firm that asks none for a trip buys at once",),
    ),
    (
        "R1",
        "Receipts",
        (
            "dropped, chosen, many at once; JPEG, PNG, HEIC, PDF of many pages",
            "from the phone's camera",
            "forwarded by e-mail to an address whose name can be changed",
            "several per expense, pages added, taken off, looked at large",
            "all of a claim's papers as one PDF",
        ),
    ),
    (
        "R2",
        "Reading",
        (
            "date, total, currency, merchant, tax, lines; how sure, and where on the picture",
            "the person confirms or corrects",
            "what cannot be read is said so",
        ),
    ),
    (
        "R3",
        "Charges",
        (
            "by the issuer's feed",
            "by a file: OFX, camt, MT940, CSV",
            "which card means which account of the ledger",
            "it becomes an expense, or is personal and owed back",
            "whose charge lies loose, and for how long",
        ),
    ),
    (
        "R4",
        "Finding each other",
        (
            "receipt, charge and booking find each other; one key accepts",
            "duplicates: same receipt, same charge",
            "the same cost by two people",
            "a night both in the bill and typed again",
        ),
    ),
    (
        "R5",
        "By hand",
        (
            "date, merchant (remembered), category by name or code, amount, currency, tax, who paid by what",
            "description, reference, bill on to a customer, project",
        ),
    ),
    (
        "R6",
        "A bill breaks down",
        (
            "nights, city tax, meals, parking, personal; by night in one act",
            "the parts always add up",
            "a meal on a hotel bill counts against the allowance",
        ),
    ),
    (
        "R7",
        "Mileage",
        (
            "route, distance or odometer; there and back",
            "vehicle and its rate by date and yearly band",
            "passengers",
        ),
    ),
    (
        "R8",
        "The daily allowance",
        ("follows the legs and the supplied meals, worked out again whenever they change",),
    ),
    (
        "R9",
        "Many at once",
        ("a grid that takes a paste from a spreadsheet",),
    ),
    (
        "R10",
        "Invoices",
        ("UBL or CII files, and PDFs with such a file inside, with their tax lines",),
    ),
    (
        "R11",
        "Categories proposed",
        ("from the merchant, the card's code, what was chosen before",),
    ),
    (
        "R12",
        "Foreign money",
        ("the card's own figure first, else the rate of the day with its source",),
    ),
    (
        "C1",
        "Making a claim",
        (
            "from a trip, from the tray, or empty",
            "header with coding",
            "a trip's approval is required where the rules say so, and only there",
        ),
    ),
    (
        "C2",
        "What is on it",
        (
            "put expenses in, take them out, move them",
            "several trips or none",
        ),
    ),
    (
        "C3",
        "Findings on claims",
        ("missing receipt, over limit, late, twice, personal, not on the plan, required paper",),
    ),
    (
        "C4",
        "Splits",
        (
            "by share or amount, for one expense, several, a category",
            "kept splits; a summary by coding",
            "coding parts depend on each other: only what applies is asked",
            "owners of each coding join the route",
        ),
    ),
    (
        "C5",
        "What it comes to",
        (
            "spent, personal, paid by the firm, advance, owed to the traveller or back",
            "part of it to the card issuer",
        ),
    ),
    (
        "C6",
        "Certify and send",
        (
            "only the traveller",
            "the firm's terms are shown",
            "due so many days after the trip",
        ),
    ),
    (
        "C7",
        "After sending",
        (
            "take back while nobody has decided",
            "a conversation on the claim and on a line; history",
        ),
    ),
    (
        "C8",
        "As a PDF",
        ("with all evidence",),
    ),
    (
        "C9",
        "Moving house",
        (
            "the family may travel apart; each party has its own claim",
            "legs with mode, stop and reason for the stop",
            "costs and entitlement answers",
            "a flat relocation sum",
            "advances against the employee's claim alone",
        ),
    ),
    (
        "C10",
        "Authorised against actual",
        ("line by line",),
    ),
    (
        "C11",
        "A supplement",
        ("to a settled claim, for what was forgotten",),
    ),
    (
        "C12",
        "A claim drafts itself",
        (
            "from what is known",
            "asks only what is really open, one thing after another",
        ),
    ),
    (
        "V1",
        "What waits",
        (
            "for me, by due date, by kind",
            "all that waits in the firm, and taking one over",
            "how the road goes on from here",
        ),
    ),
    (
        "V2",
        "Says, Shows, Allows",
        (
            "for each line, out of line first",
            "the evidence beside it",
            "the authorised plan beside the claim",
        ),
    ),
    (
        "V3",
        "Deciding",
        (
            "approve, send back with comments, turn down with a reason, pass on with a message",
            "one line or the whole",
            "all that have nothing out of line at once",
        ),
    ),
    (
        "V4",
        "Finance corrects",
        (
            "a line, its tax and its coding",
            "the claimant is told; the trail shows before and after",
        ),
    ),
    (
        "V5",
        "Budgets",
        ("of each coding before and after",),
    ),
    (
        "V6",
        "Late decisions",
        ("are reminded and go on to the next person",),
    ),
    (
        "V7",
        "Risk and sampling",
        (
            "order by risk",
            "the firm chooses what share of harmless claims finance looks at",
        ),
    ),
    (
        "A1",
        "Masters",
        (
            "accounts, cost centres, projects, tasks, customers, suppliers, tax codes, people come from the ledger",
            "now or on a schedule",
            "changes are shown before they are taken",
        ),
    ),
    (
        "A2",
        "Connecting",
        (
            "which category posts to which account",
            "which card to which clearing account",
            "which person to which supplier account (made where missing)",
            "which merchant to which supplier",
            "a connection belongs to the firm and can be handed over",
        ),
    ),
    (
        "A3",
        "Posting",
        (
            "payable, card clearing, splits and tax on their own lines, advances cleared",
            "the journal can be seen at any time before",
            "checked against the ledger's rules from the first draft on",
            "a refused posting says what to mend, on the claim and to finance; mend or send back; post again",
            "in the reader's language",
            "never twice",
        ),
    ),
    (
        "A4",
        "Paying",
        (
            "one by hand (method, date, reference, note)",
            "a pay run with a pain.001 file; the pain.002 answer is read",
            "a failed payment is open again",
            "advances are paid out; what is owed back is followed",
        ),
    ),
    (
        "A5",
        "Reconciling",
        (
            "statement lines (camt.053, MT940, OFX, CSV) find their payment or charge, one to one and one to many",
            "confirm in one act",
            "a statement of what is left",
        ),
    ),
    (
        "A6",
        "Month end",
        (
            "close a period",
            "accrue what is spent and not yet claimed or posted",
            "list the unpaid; the float's movements; each card's statement",
        ),
    ),
    (
        "A7",
        "Exports",
        ("CSV by kind, date and columns; the journal",),
    ),
    (
        "A8",
        "An API",
        ("fetch what is cleared, report posted or refused",),
    ),
    (
        "I1",
        "A catalogue",
        ("by subject, each with a sentence on what it answers; filters; table and picture",),
    ),
    (
        "I2",
        "Forms",
        ("on screen, CSV, XLSX, PDF, JSON",),
    ),
    (
        "I3",
        "Times",
        (
            "now, later, again and again; by e-mail with the file",
            "own and shared shelves; earlier runs kept",
        ),
    ),
    (
        "I4",
        "One's own",
        ("columns, filters, grouping; kept as one's own",),
    ),
    (
        "I5",
        "The least there is",
        (
            "spend, outside the rules, loose, unpaid, advances, accruals, stages, plan against actual, budget, mileage, allowances, tax, activity",
        ),
    ),
    (
        "I6",
        "Home pages",
        ("for each role, with the few figures that ask for an act",),
    ),
    (
        "S1",
        "Policies",
        (
            "limits, receipt threshold, required fields, by category, for groups, from a date",
            "the policy text published to the home page",
        ),
    ),
    (
        "S2",
        "Categories",
        ("laid down by day, with words, codes, accounts",),
    ),
    (
        "S3",
        "Mileage",
        ("rates and vehicles, km or miles",),
    ),
    (
        "S4",
        "Allowances",
        (
            "schemes and rates by place and date",
            "imported from a file",
        ),
    ),
    (
        "S5",
        "Routes",
        ("with conditions",),
    ),
    (
        "S6",
        "Dimensions",
        ("and how they depend on each other",),
    ),
    (
        "S7",
        "Questions",
        ("the firm's own",),
    ),
    (
        "S8",
        "People",
        ("their places, roles, limits",),
    ),
    (
        "S9",
        "The firm",
        ("its letters, bank, months, money",),
    ),
    (
        "S10",
        "Connections",
        ("to the ledger, the provider of identities, an outside ledger",),
    ),
    (
        "S11",
        "Rehearsal",
        ("before a rule is switched on it is run over past claims",),
    ),
    (
        "X1",
        "Workings",
        ("on every figure",),
    ),
    (
        "X2",
        "The day ribbon",
        ("drawn, and worked by hand and keyboard",),
    ),
    (
        "X3",
        "Says, Shows, Allows",
        ("on each line of a claim",),
    ),
    (
        "X4",
        "The ledger's own checks",
        ("from the first draft on",),
    ),
    (
        "X5",
        "Rehearsal of rules",
        ("over what was sent",),
    ),
    (
        "X6",
        "Allowance schemes as data",
        ("able to say the published rules of several countries",),
    ),
    (
        "X7",
        "A trail that proves itself",
        ("each entry holds the one before; its end cannot be cut off unseen",),
    ),
    (
        "X8",
        "Receipts read on the machine",
        ("with no outside service",),
    ),
    (
        "X9",
        "Open formats",
        ("in both directions",),
    ),
    (
        "X10",
        "By keyboard",
        (
            "everything",
            "paste from a spreadsheet",
        ),
    ),
    (
        "X11",
        "Carbon",
        ("of each way, beside its price and time",),
    ),
    (
        "X12",
        "The whole trip priced",
        (
            "fare, bag, nights and allowance that each way changes",
            "also for leaving or coming back on other days",
        ),
    ),
    (
        "X13",
        "Leaving is easy",
        ("the whole firm as an archive of open formats, taken in again with equal sums",),
    ),
)

OPEN: dict[str, str] = {}
