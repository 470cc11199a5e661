"""The room Trace: recorded logs, what is found in them, and a vehicle's own normals."""
