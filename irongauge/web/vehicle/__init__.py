"""The vehicle's own page: card and promise with their history, circuits of all jobs, modules, notes and pictures."""
