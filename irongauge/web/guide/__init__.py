"""The guide for technicians: `docs/guide`, shown by the application itself, searched, and opened where one stands."""
