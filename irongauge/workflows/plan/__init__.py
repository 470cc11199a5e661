"""A vehicle's inputs, wiring and feeds, and the kit of a job."""
