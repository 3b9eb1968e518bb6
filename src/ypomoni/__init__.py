"""Ypomoni: how long always-on equipment really holds when the mains fails, and what to fit so that it holds."""
