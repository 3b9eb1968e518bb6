"""Meters that are read by themselves: one protocol, a driver that speaks SCPI over TCP, and simulated meters that ship with the product."""
