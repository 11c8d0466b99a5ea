"""Invoices and mails as other programs write them, drawn from figures."""

from __future__ import annotations

import json
from datetime import date, timedelta
from email.message import EmailMessage

DAY = date(2026, 11, 10)


def ubl(number="R-2026-118", lines=(("Bollards, hire", "80.00", "23"), ("Charts", "40.00", "13.5")), taxes=None, gross=None, credit=False, head="", supplier="Harbour Chandler Ltd", day=DAY) -> bytes:  # fmt: skip
    """A UBL 2.1 invoice or credit note; sums follow the lines unless told otherwise."""
    root, line, quantity = (
        ("CreditNote", "CreditNoteLine", "CreditedQuantity")
        if credit
        else ("Invoice", "InvoiceLine", "InvoicedQuantity")
    )
    by_rate: dict[str, float] = {}
    for _, net, rate in lines:
        by_rate[rate] = by_rate.get(rate, 0) + float(net)
    taxes = taxes or [(rate, f"{net:.2f}", f"{net * float(rate) / 100:.2f}") for rate, net in by_rate.items()]
    net, tax = sum(by_rate.values()), sum(float(t) for *_, t in taxes)
    subtotals = "".join(
        f'<cac:TaxSubtotal><cbc:TaxableAmount currencyID="EUR">{n}</cbc:TaxableAmount><cbc:TaxAmount currencyID="EUR">{t}</cbc:TaxAmount>'
        f"<cac:TaxCategory><cbc:ID>S</cbc:ID><cbc:Percent>{rate}</cbc:Percent></cac:TaxCategory></cac:TaxSubtotal>"
        for rate, n, t in taxes
    )
    rows = "".join(
        f'<cac:{line}><cbc:ID>{k}</cbc:ID><cbc:{quantity}>1</cbc:{quantity}><cbc:LineExtensionAmount currencyID="EUR">{n}</cbc:LineExtensionAmount>'
        f"<cac:Item><cbc:Name>{name}</cbc:Name><cac:ClassifiedTaxCategory><cbc:Percent>{rate}</cbc:Percent></cac:ClassifiedTaxCategory></cac:Item></cac:{line}>"
        for k, (name, n, rate) in enumerate(lines, 1)
    )
    return f"""<?xml version="1.0" encoding="UTF-8"?>{head}
<{root} xmlns="urn:oasis:names:specification:ubl:schema:xsd:{root}-2" xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2" xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">
<cbc:ID>{number}</cbc:ID><cbc:IssueDate>{day.isoformat()}</cbc:IssueDate><cbc:DocumentCurrencyCode>EUR</cbc:DocumentCurrencyCode>
<cac:AdditionalDocumentReference><cbc:ID>1</cbc:ID><cac:Attachment><cbc:EmbeddedDocumentBinaryObject filename="slip.txt" mimeCode="text/plain">aGVsbG8=</cbc:EmbeddedDocumentBinaryObject></cac:Attachment></cac:AdditionalDocumentReference>
<cac:AccountingSupplierParty><cac:Party><cac:PartyName><cbc:Name>{supplier}</cbc:Name></cac:PartyName><cac:PartyTaxScheme><cbc:CompanyID>IE1234567T</cbc:CompanyID></cac:PartyTaxScheme></cac:Party></cac:AccountingSupplierParty>
<cac:TaxTotal><cbc:TaxAmount currencyID="EUR">{tax:.2f}</cbc:TaxAmount>{subtotals}</cac:TaxTotal>
<cac:LegalMonetaryTotal><cbc:TaxExclusiveAmount currencyID="EUR">{net:.2f}</cbc:TaxExclusiveAmount><cbc:TaxInclusiveAmount currencyID="EUR">{gross or f"{net + tax:.2f}"}</cbc:TaxInclusiveAmount><cbc:PayableAmount currencyID="EUR">{net + tax:.2f}</cbc:PayableAmount></cac:LegalMonetaryTotal>
{rows}</{root}>""".encode()


def cii(number="C-77", net="100.00", tax="23.00", gross="123.00", kind="380", day=DAY) -> bytes:
    """A CII invoice of one line."""
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<rsm:CrossIndustryInvoice xmlns:rsm="urn:un:unece:uncefact:data:standard:CrossIndustryInvoice:100" xmlns:ram="urn:un:unece:uncefact:data:standard:ReusableAggregateBusinessInformationEntity:100" xmlns:udt="urn:un:unece:uncefact:data:standard:UnqualifiedDataType:100">
<rsm:ExchangedDocumentContext><ram:GuidelineSpecifiedDocumentContextParameter><ram:ID>urn:cen.eu:en16931:2017</ram:ID></ram:GuidelineSpecifiedDocumentContextParameter></rsm:ExchangedDocumentContext>
<rsm:ExchangedDocument><ram:ID>{number}</ram:ID><ram:TypeCode>{kind}</ram:TypeCode><ram:IssueDateTime><udt:DateTimeString format="102">{day:%Y%m%d}</udt:DateTimeString></ram:IssueDateTime></rsm:ExchangedDocument>
<rsm:SupplyChainTradeTransaction>
<ram:IncludedSupplyChainTradeLineItem><ram:SpecifiedTradeProduct><ram:Name>Survey boat, one day</ram:Name></ram:SpecifiedTradeProduct><ram:SpecifiedLineTradeSettlement><ram:ApplicableTradeTax><ram:TypeCode>VAT</ram:TypeCode><ram:RateApplicablePercent>23.00</ram:RateApplicablePercent></ram:ApplicableTradeTax><ram:SpecifiedTradeSettlementLineMonetarySummation><ram:LineTotalAmount>{net}</ram:LineTotalAmount></ram:SpecifiedTradeSettlementLineMonetarySummation></ram:SpecifiedLineTradeSettlement></ram:IncludedSupplyChainTradeLineItem>
<ram:ApplicableHeaderTradeAgreement><ram:BuyerReference>P-0417</ram:BuyerReference><ram:SellerTradeParty><ram:Name>Skerry Boats</ram:Name><ram:SpecifiedTaxRegistration><ram:ID schemeID="VA">IE7654321A</ram:ID></ram:SpecifiedTaxRegistration></ram:SellerTradeParty></ram:ApplicableHeaderTradeAgreement>
<ram:ApplicableHeaderTradeDelivery/>
<ram:ApplicableHeaderTradeSettlement><ram:InvoiceCurrencyCode>EUR</ram:InvoiceCurrencyCode><ram:ApplicableTradeTax><ram:CalculatedAmount>{tax}</ram:CalculatedAmount><ram:TypeCode>VAT</ram:TypeCode><ram:BasisAmount>{net}</ram:BasisAmount><ram:RateApplicablePercent>23.00</ram:RateApplicablePercent></ram:ApplicableTradeTax>
<ram:SpecifiedTradeSettlementHeaderMonetarySummation><ram:LineTotalAmount>{net}</ram:LineTotalAmount><ram:TaxBasisTotalAmount>{net}</ram:TaxBasisTotalAmount><ram:TaxTotalAmount currencyID="EUR">{tax}</ram:TaxTotalAmount><ram:GrandTotalAmount>{gross}</ram:GrandTotalAmount><ram:DuePayableAmount>{gross}</ram:DuePayableAmount></ram:SpecifiedTradeSettlementHeaderMonetarySummation></ram:ApplicableHeaderTradeSettlement>
</rsm:SupplyChainTradeTransaction></rsm:CrossIndustryInvoice>""".encode()


def mail(
    sender="maren.oyelaran@brackwater.example",
    subject="Fwd: your receipt",
    text="Harbour Taxi\nTotal EUR 18.40\n",
    files=(),
    page="",
    day=DAY,
) -> bytes:
    """A forwarded mail; ``files`` are (name, type, content)."""
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = (
        f"Somebody <{sender}>",
        "maren@tray.wainwright.example",
        subject,
    )
    message["Date"] = f"{day:%a, %d %b %Y} 09:30:00 +0000"
    if text:
        message.set_content(text)
    if page:
        (message.add_alternative if text else message.set_content)(page, subtype="html")
    for name, kind, content in files:
        main, _, sub = kind.partition("/")
        message.add_attachment(content, maintype=main, subtype=sub, filename=name)
    return message.as_bytes()


def flight_page(first=DAY) -> str:
    """A page of a mail with a flight and a room as JSON-LD."""
    rows = [
        {"@context": "http://schema.org", "@type": "FlightReservation", "reservationNumber": "SK4471", "totalPrice": "212.40", "priceCurrency": "EUR",
         "reservationFor": {"@type": "Flight", "flightNumber": "118", "airline": {"@type": "Airline", "name": "Skerry Air", "iataCode": "ZK"},
                            "departureAirport": {"@type": "Airport", "iataCode": "ORK"}, "arrivalAirport": {"@type": "Airport", "iataCode": "BGO"},
                            "departureTime": f"{first}T08:10:00+00:00", "arrivalTime": f"{first}T12:25:00+01:00"}},
        {"@type": "LodgingReservation", "reservationNumber": "LQ-9", "checkinTime": f"{first}T15:00:00", "checkoutTime": f"{first + timedelta(days=2)}T10:00:00",
         "totalPrice": "258.00", "priceCurrency": "EUR",
         "reservationFor": {"@type": "LodgingBusiness", "name": "Lamp Quay Hotel", "address": {"addressLocality": "Bergen"}}},
    ]  # fmt: skip
    data = json.dumps(rows)
    return f'<html><head><title>x</title><script type="application/ld+json">{data}</script><style>p {{}}</style></head><body><p>Your journey</p><script>alert(1)</script><table><tr><td>Total</td><td>EUR 212.40</td></tr></table></body></html>'
