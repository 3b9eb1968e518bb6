"""The bench: devices, batteries and meters of an organisation, whatever site they come from."""
