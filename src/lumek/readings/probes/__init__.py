"""Probes."""
