"""Testing one circuit: its readings, what follows from them and is kept, the simulated vehicle."""
