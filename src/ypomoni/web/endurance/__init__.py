"""The stage Endurance: one outage played, the schools beside each other, the battery sheet."""
