"""The Handover: the sheet."""
