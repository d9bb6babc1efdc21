"""The colours of wires: by what they lead to, and by the voltage of a supply."""

COLOURS = {
    "VSS": "black", "VO": "brown", "RS": "turquoise", "RW": "grey", "E": "pink", "E2": "pink-white", "D4": "yellow",
    "D5": "green", "D6": "blue", "D7": "violet", "D0": "yellow-white", "D1": "green-white", "D2": "blue-white",
    "D3": "violet-white", "A": "red-white", "K": "black-white", "SDA": "green", "SCL": "yellow", "SER": "green",
    "SRCLK": "yellow", "RCLK": "blue",
}  # fmt: skip
"""Name -> colour of its wire: those of a ribbon, striped where they do not suffice. None is that of a supply."""

SUPPLY_COLOURS = {3.3: "orange", 5.0: "red"}
OTHER_SUPPLY = "red-black"
"""Volts -> colour of their wires, and that of any other voltage; what is within 10 % is alike."""

TINTS = {
    "black": "#20242a", "red": "#d02c2c", "brown": "#8a5a33", "orange": "#f58a07", "grey": "#8d949c",
    "white": "#ffffff", "pink": "#ee7fb3", "yellow": "#e3c800", "green": "#2f9e4f", "blue": "#2b6fd0",
    "violet": "#8a4fc0", "turquoise": "#14bcc8",
}  # fmt: skip
"""Colours of wires, as they are drawn. White is a stripe alone: by itself it would vanish on the sheet."""


def supply_colour(volts: float) -> str:
    """The colour of the wires of a supply."""
    return next((colour for known, colour in SUPPLY_COLOURS.items() if abs(volts - known) <= known / 10), OTHER_SUPPLY)
