"""Who comes in, with what password, and the record of what was changed."""
