"""Backlights.

A light offers one of three things, which its attribute `offers` names, and has the method for it:

| offers | method |
|---|---|
| "switch" | `switch(on)`: on or off |
| "brightness" | `dim(fraction)`: 0.0, dark, to 1.0 |
| "colour" | `tint(red, green, blue)`: each 0.0 to 1.0 |
"""
