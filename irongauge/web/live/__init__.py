"""Live data, under the room Trace: what a vehicle's bus tells now, its recordings, its trouble codes."""
