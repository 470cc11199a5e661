"""The order of the work: steps, what a change between them takes, who does them when, and whether the promise holds."""
