"""What a board's main file has of the classes of the portable part, beyond what follows from the calls in them."""

COMMON = {
    "panel:Panel": {"_flush", "clear"},
    "_glyphs:Glyphs": {"__setitem__"},
    "_driver:Driver": {"_send"},
    "_lock:Alone": {"_is_owned"},
    "core.glyph:Glyph": {"laid_out", "rows"},
    "fields.bar:Bar": {"cells", "take"},
    "fields.field:Field": {"hides", "laid_out", "word"},
    "core.numbers:_Style": {"text"},
    **{one: {"light"} for one in ("links.byte_port:BytePort", "links.backpack:Backpack", "links.direct:Direct",
                                  "links.shift_register:ShiftRegister")},
}  # fmt: skip
"""Methods that most programs call: {class: methods}."""

SELDOM = {
    "panel:Panel": {
        "_once_started", "_refuse", "_tell_lost", "close", "health", "leftward", "rows", "send", "size",
        "slide",
    },
    "_glyphs:Glyphs": {"__getitem__", "update", "prefer", "rows_of", "_names"},
    "_driver:Driver": {"read", "_repeat", "_repainted", "_synchronised", "send"},
    "_health:Health": {"failed", "tell", "_change"},
    "core.cells:Cells": {
        "_drawing", "_filled", "_first", "_look_again", "_lose", "_nearest", "_settle", "_want", "draw", "fitting",
        "text",
    },
    "core.costs:Costs": {"of"},
    "core.geometry:Geometry": {"_counted", "_name"},
    "core.glyph:Glyph": {"_combined", "__or__", "__and__", "__xor__", "__sub__", "__invert__"},
    "core.numbers:_Style": {"_prefixed", "_scientific", "_to_base", "overflow", "parts"},
    "core.pen:Pen": {"write_glyphs", "begin", "slide", "turn", "_leave", "_mirrored", "_place_cursor"},
    "core.slots:Slots": {"drawings", "give", "redraw"},
    "fields.bar:Bar": {"_remember"},
    "fields.field:Field": {"cells"},
    "lights.backlight:Backlight": {"ask"},
    "links.backpack:Backpack": {"_each", "_nibble", "read"},
    "links.byte_port:BytePort": {"_each"},
    "links.shift_register:ShiftRegister": {"_each"},
    "links.direct:Direct": {"read"},
    "roms.rom:Rom": {"_drawn", "_search", "character", "characters", "drawings", "find", "matching", "_runs_and_twins"},
}  # fmt: skip
"""Methods that few programs need, though something in the main file calls them, or another of their name."""

GROUPS: dict[str, dict[str, set[str]]] = {
    "drawings": {
        "core.cells:Cells": {"_drawing", "_filled", "_settle", "_want", "draw", "fitting"},
        "core.pen:Pen": {"write_glyphs", "_leave"}, "roms.rom:Rom": {"matching"},
    },
    "losses": {"core.cells:Cells": {"_first", "_lose", "_nearest"}},
    "tables": {"roms.rom:Rom": {"_drawn", "_runs_and_twins"}},
    "clearing": {"core.pen:Pen": {"begin"}},
    "cursor": {"core.pen:Pen": {"_place_cursor"}},
    "ways": {"core.costs:Costs": {"of"}, "core.plan": {"_cheapest"}, "core.route": {"_around", "_compared", "_cost"}},
    "changes": {"core.cells:Cells": {"_look_again"}},
    "complaints": {"core.geometry:Geometry": {"_name"}},
}  # fmt: skip
"""Methods of classes and functions of modules that are needed at the same time, and share a file. The others of a class
are in one for each module that they are from."""

ASIDE = {
    "core.geometry:_listed", "core.geometry:_written", "core.glyph:_row_of_dots", "core.glyph:_rows_of_art",
    "core.glyph:dots_of_art", "core.glyph:for_cell", "core.layout:Text", "core.layout:in_middle",
    "core.numbers:numbers", "core.plan:_cheapest", "core.plan:_little_stays", "core.route:_compared",
    "core.route:_cost", "core.route:_around", "core.text:_check", "_together:Together",
}  # fmt: skip
"""Functions that are as seldom needed."""

START = {
    one: {"__init__"} for one in (
        "_driver:Driver", "_health:Health", "board:Face", "board:Show", "core.cells:Cells", "core.costs:Costs",
        "core.geometry:Geometry", "core.instructions:Timing", "core.slots:Slots", "faces.turns:Turns",
        "fields.bar:Bar", "fields.choice:Choice",
        "fields.clock:Clock", "fields.clock:Countdown", "fields.field:Field", "fields.measure:Measure",
        "fields.label:Label", "fields.lamp:Lamp", "fields.march:March", "fields.number:Number", "fields.tall:Tall",
        "fields.ticker:Ticker", "fields.trend:Trend", "lights.backlight:Backlight", "lights.backlight:LinkLight",
        "links.backpack:Backpack", "links.direct:Direct", "links.dues:Dues", "links.shift_register:ShiftRegister",
        "panel:Panel",
        "ports.board:BoardBus", "ports.board:BoardLines", "ports.board:BoardSpi",
    )
}  # fmt: skip
"""What is called once, to make a panel and the faces on it."""
START["_driver:Driver"].add("_start")
START["core.geometry:Geometry"].add("index_of")

ALSO_AT_START = {"core.instructions:Timing": {"pause", "scaled", "single"}}
"""Methods that the start needs, and few programs after it: the file of the start has them, too, and gives them up."""

TRANSIENT = {
    "core.tables.compositions", "core.tables.decompositions", "core.tables.drawings", "roms.a00_dots", "roms.a02_dots",
}  # fmt: skip
"""Tables that a board frees again after a search: they would fill its memory, and the results are kept."""

CHECKS = {
    "links.byte_port:_check_lines": None, "links.byte_port:check_level": None, "links.direct:_check_lines": None,
    "links.backpack:_checked_address": 0, "_upkeep:checked_retries": 0, "roms:rom_named": 0,
    "links.shared:hand_over": None,
}  # fmt: skip
"""Functions that check what was checked when the hookup file was read: what they return, the number of an argument."""

RECORDS = {"links.expanders:Expander": ("base", "lines", "registers")}
"""The fields that a board needs of a record, in their order: {full name: fields}."""

WITHOUT = {"groups", "word_groups"}
"""Methods of fields that say which slots a face may need: that is known when its file is read."""

INTERNAL = {
    "_driver",
    "_explain",
    "_failing",
    "_later",
    "_notice",
    "_raw",
    "_read_back",
    "_tending",
    "_together",
    "core.bundled",
    "core.cells",
    "core.clusters",
    "core.composing",
    "core.geometry",
    "core.costs",
    "core.pen",
    "core.picture",
    "core.plan",
    "core.repaint",
    "core.route",
    "core.similar",
    "core.slots",
    "core.startup",
    "core.text",
    "core.words",
    "lights.backlight",
    "links.byte_port",
    "links.shared",
}
"""Modules whose functions no program calls."""

INNER = {
    "_driver:Driver", "core.cells:Cells", "core.costs:Costs", "core.geometry:Geometry", "core.instructions:Timing",
    "core.pen:Pen", "core.picture:Picture", "core.slots:Slots", "links.dues:Dues",
}  # fmt: skip
"""Classes whose objects no program meets, nor what a program brings of its own: links, ports, lights."""

HARDWARE = {"board", "ports.bit_banged", "ports.board"}
"""Modules that speak with objects of the interpreter, whose attributes are called as it calls them."""
