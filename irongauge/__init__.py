"""Iron Gauge: a bench companion for testing and commissioning vehicle sensors."""

__all__ = ["__version__"]

__version__ = "0.1.0"
