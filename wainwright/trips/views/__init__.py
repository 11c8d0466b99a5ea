"""Views of a trip: the page itself, its itinerary, its details, its basket, its road."""
