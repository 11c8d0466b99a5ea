"""Own profile: contact, cards, places, vehicles. Stands on trips, whose calendar address it shows."""
