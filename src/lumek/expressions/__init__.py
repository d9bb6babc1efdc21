"""Formulas and conditions over readings: their text, their value, and a probe that computes one."""
