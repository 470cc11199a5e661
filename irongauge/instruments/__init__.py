"""Stand-ins for what is outside: a simulated vehicle that answers every check as a real one would, a simulated pickup.

Nothing is imported here: `pickup_words` is asked for by forms that must not load the simulators.
"""
