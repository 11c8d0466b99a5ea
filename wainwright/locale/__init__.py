"""The languages: words in catalogs, and what Django is told of numbers."""
