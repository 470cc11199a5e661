"""A vehicle's bus watched and recorded, trouble codes, a meter on the network."""
