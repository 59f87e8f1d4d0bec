"""The demo scenario: Marram Valley Milk Haulage, an invented farmers' co-operative that collects milk at night."""

from lowhiss.demo.load import load_demo

__all__ = ["load_demo"]
