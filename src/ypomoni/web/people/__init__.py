"""Signing in, and who belongs to the organisation."""
