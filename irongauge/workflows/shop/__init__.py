"""The shop's own things: jobs, vehicles, the Shelf, hand-over, files and backups, the queue, and what several rooms look at."""
