"""Who may do what in a shop, what a password or a number of one's own must be, and what is written down of every change."""
