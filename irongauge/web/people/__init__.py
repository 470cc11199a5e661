"""People: coming in, one's own account, who is here with which role, and the record of what was done."""
