"""The stage Power: UPS or direct DC, what a UPS really burns, supplies that back each other up, the bench record of a small supply."""
