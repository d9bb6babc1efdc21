"""The hookup file: one description of panel and wiring, which is drawn, checked and driven.

| module | is |
|---|---|
| `keys`, `wiring`, `model`, `file` | what the file may have, and reading it |
| `checks` | what is checked before power is applied; the formulas are in `formulas` |
| `sheet`, `drawing` | the wiring table and its picture |
| `attach` | panels from the file, real or simulated |
| `maps`, `nets` | line maps and the header; what uses which line and bus |
"""
