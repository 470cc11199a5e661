"""What controllers, loggers and gauges are told of a sensor.

`figures` gives every form of a curve, `reading_back` names the slip in an entry, `cross_checks` compares what should agree,
`record` is what is kept.
"""
