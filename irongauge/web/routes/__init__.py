"""Routes, grouped by what the technician is looking at."""
