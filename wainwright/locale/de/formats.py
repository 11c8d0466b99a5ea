"""Numbers that no filter of ours writes are for machines: drawings, addresses, hidden fields."""

DECIMAL_SEPARATOR = "."
THOUSAND_SEPARATOR = ""
NUMBER_GROUPING = 0
# Days are typed in the language's way, or as browsers send them.
DATE_INPUT_FORMATS = ["%Y-%m-%d", "%d.%m.%Y", "%d.%m.%y", "%d. %m. %Y"]
