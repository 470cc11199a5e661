"""Recorded logs, their channels and samples, health rules, and what is normal for a vehicle."""
