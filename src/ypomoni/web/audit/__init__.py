"""The stage Audit: register, measuring points, readings, tables brought in."""
