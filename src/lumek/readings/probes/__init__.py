"""Where readings come from: one module a kind of source, all with `poll`, `shortest_s`, `lifetime_s` and `close`."""
