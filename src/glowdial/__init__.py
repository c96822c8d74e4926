"""Glow Dial: a bench companion for restoring vintage radio receivers."""

__version__ = "0.1.0"
