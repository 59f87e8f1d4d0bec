"""Marks of any kind of log over HTTP, and nudges to whoever watches one."""
