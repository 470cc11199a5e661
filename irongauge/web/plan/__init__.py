"""The Plan room: inputs, wiring, power, and the kit of a job."""
