"""What a site is made of: supplies, batteries, loads, places, points and readings. They know nothing of an outage."""
