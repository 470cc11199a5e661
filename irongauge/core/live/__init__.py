"""Live data: what a controller says on its bus, trouble codes, what a meter on the network shows. Sums and wording only."""
