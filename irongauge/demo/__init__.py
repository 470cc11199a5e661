"""A sample shop, loaded by one command: Saltmarsh Depot, which keeps odd machines running."""

from irongauge.demo.saltmarsh import load_demo

__all__ = ["load_demo"]
