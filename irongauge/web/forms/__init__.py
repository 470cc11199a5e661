"""What people type, checked field by field; each message stands beside its field and the typed text stays in it."""
