"""What a technician does, one module each: read, compute, save. Neither a page nor pure."""
