"""The order of the work: its steps, hours and plan."""
