"""The Floor: the vehicles in the shop, and what each waits for."""
